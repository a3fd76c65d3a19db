CREATE TABLE files (
    hash TEXT PRIMARY KEY NOT NULL,
    name TEXT NOT NULL,
    bytes BLOB NOT NULL,
    added_at TEXT NOT NULL
);
CREATE TABLE jobs (
    id INTEGER PRIMARY KEY AUTOINCREMENT NOT NULL,
    name TEXT NOT NULL,
    person TEXT NOT NULL,
    due TEXT,
    -- The revision in force: undo and redo move it.
    head INTEGER,
    -- The revision that figures are compared with; the one before when empty.
    baseline INTEGER,
    created_at TEXT NOT NULL
);
CREATE TABLE revisions (
    id INTEGER PRIMARY KEY AUTOINCREMENT NOT NULL,
    job_id INTEGER NOT NULL REFERENCES jobs (id) ON DELETE CASCADE,
    parent INTEGER,
    label TEXT NOT NULL,
    decisions TEXT NOT NULL,
    ledger TEXT,
    created_at TEXT NOT NULL
);
CREATE INDEX revisions_of_job ON revisions (job_id);
-- A nest that is being searched; one left over after a crash is offered again.
CREATE TABLE searches (
    job_id INTEGER PRIMARY KEY NOT NULL REFERENCES jobs (id) ON DELETE CASCADE,
    revision INTEGER NOT NULL,
    started_at TEXT NOT NULL
);
CREATE TABLE runs (
    id INTEGER PRIMARY KEY AUTOINCREMENT NOT NULL,
    job_id INTEGER NOT NULL REFERENCES jobs (id) ON DELETE CASCADE,
    revision INTEGER NOT NULL,
    sheet INTEGER NOT NULL,
    machine TEXT NOT NULL,
    file_name TEXT NOT NULL,
    program TEXT NOT NULL,
    state TEXT NOT NULL,
    detail TEXT NOT NULL,
    seconds DOUBLE NOT NULL,
    total DOUBLE NOT NULL,
    created_at TEXT NOT NULL,
    ended_at TEXT
);
CREATE INDEX runs_of_job ON runs (job_id);
