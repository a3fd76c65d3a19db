-- Releases: what was handed over, kept as it was. Programs are kept once, by their checksum.
CREATE TABLE programs (
    sum TEXT PRIMARY KEY NOT NULL,
    text TEXT NOT NULL
);
CREATE TABLE releases (
    id INTEGER PRIMARY KEY AUTOINCREMENT NOT NULL,
    job_id INTEGER NOT NULL REFERENCES jobs (id) ON DELETE CASCADE,
    revision INTEGER NOT NULL,
    person TEXT NOT NULL,
    created_at TEXT NOT NULL,
    -- The figures of the whole job, as JSON.
    ledger TEXT NOT NULL
);
CREATE INDEX releases_of_job ON releases (job_id);
-- The work of each batch with all that it was worked out with.
CREATE TABLE release_batches (
    release_id INTEGER NOT NULL REFERENCES releases (id) ON DELETE CASCADE,
    batch INTEGER NOT NULL,
    body BLOB NOT NULL,
    PRIMARY KEY (release_id, batch)
);
CREATE TABLE release_sheets (
    release_id INTEGER NOT NULL REFERENCES releases (id) ON DELETE CASCADE,
    -- As numbered through, from 1; then its batch, and its number in it from 0.
    sheet INTEGER NOT NULL,
    batch INTEGER NOT NULL,
    place INTEGER NOT NULL,
    machine TEXT NOT NULL,
    file_name TEXT NOT NULL,
    sum TEXT NOT NULL,
    pieces INTEGER NOT NULL,
    seconds DOUBLE NOT NULL,
    -- What it is cut from: the rack's number, and pieces of it; in words for whoever lays it on the bed.
    stock_id INTEGER,
    pieces_of_stock INTEGER NOT NULL,
    lay TEXT NOT NULL,
    miniature TEXT NOT NULL,
    PRIMARY KEY (release_id, sheet)
);
CREATE TABLE release_papers (
    release_id INTEGER NOT NULL REFERENCES releases (id) ON DELETE CASCADE,
    name TEXT NOT NULL,
    bytes BLOB NOT NULL,
    PRIMARY KEY (release_id, name)
);
-- The work of runs that have some of their own: what is left of another's, or cut again.
CREATE TABLE run_work (
    run_id INTEGER PRIMARY KEY NOT NULL REFERENCES runs (id) ON DELETE CASCADE,
    body BLOB NOT NULL
);
ALTER TABLE runs ADD COLUMN release_id INTEGER;
-- What somebody said of the sheet when the run had ended.
ALTER TABLE runs ADD COLUMN answer TEXT NOT NULL DEFAULT 'none';
UPDATE runs SET answer = 'earlier' WHERE ended_at IS NOT NULL;
ALTER TABLE runs ADD COLUMN person TEXT NOT NULL DEFAULT '';
-- What it takes off the rack; nothing where it goes on with a sheet that was taken before.
ALTER TABLE runs ADD COLUMN stock_id INTEGER;
-- What the shop knows of itself: the name by which machines know it.
CREATE TABLE facts (
    name TEXT PRIMARY KEY NOT NULL,
    value TEXT NOT NULL
);
INSERT INTO facts (name, value) VALUES ('identity', lower(hex(randomblob(8))));
