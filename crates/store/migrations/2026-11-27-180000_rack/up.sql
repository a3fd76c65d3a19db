-- The stock rack: full sheets with their count, offcuts with their true outline, who has them in hand, and what became of them.
CREATE TABLE stock (
    id INTEGER PRIMARY KEY AUTOINCREMENT NOT NULL,
    material TEXT NOT NULL,
    thickness DOUBLE NOT NULL,
    sheet TEXT NOT NULL,
    offcut INTEGER NOT NULL,
    count INTEGER NOT NULL,
    price DOUBLE,
    place TEXT NOT NULL,
    origin TEXT NOT NULL,
    created_at TEXT NOT NULL
);
CREATE INDEX stock_here ON stock (material, thickness) WHERE count > 0;
CREATE TABLE stock_events (
    id INTEGER PRIMARY KEY AUTOINCREMENT NOT NULL,
    stock_id INTEGER NOT NULL REFERENCES stock (id) ON DELETE CASCADE,
    at TEXT NOT NULL,
    person TEXT NOT NULL,
    words TEXT NOT NULL,
    run_id INTEGER,
    job_id INTEGER
);
CREATE INDEX stock_told ON stock_events (stock_id);
CREATE TABLE reservations (
    stock_id INTEGER NOT NULL REFERENCES stock (id) ON DELETE CASCADE,
    job_id INTEGER NOT NULL REFERENCES jobs (id) ON DELETE CASCADE,
    count INTEGER NOT NULL,
    PRIMARY KEY (stock_id, job_id)
);
-- Runs whose sheet has been taken off the rack, or had none there.
ALTER TABLE runs ADD COLUMN racked INTEGER NOT NULL DEFAULT 0;
UPDATE runs SET racked = 1;
