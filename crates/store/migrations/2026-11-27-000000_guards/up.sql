-- What a run knows of itself: what it is the program of, how far the machine got, and when it was last heard.
ALTER TABLE runs ADD COLUMN sum TEXT NOT NULL DEFAULT '';
ALTER TABLE runs ADD COLUMN line INTEGER NOT NULL DEFAULT 0;
ALTER TABLE runs ADD COLUMN cuts INTEGER NOT NULL DEFAULT 0;
ALTER TABLE runs ADD COLUMN cuts_done INTEGER NOT NULL DEFAULT 0;
ALTER TABLE runs ADD COLUMN heard_at TEXT;
CREATE INDEX runs_open ON runs (machine) WHERE ended_at IS NULL;
-- The list that is gone through before a start: who ticked what, and when.
CREATE TABLE run_ticks (
    run_id INTEGER NOT NULL REFERENCES runs (id) ON DELETE CASCADE,
    item TEXT NOT NULL,
    person TEXT NOT NULL,
    at TEXT NOT NULL,
    PRIMARY KEY (run_id, item)
);
-- Jobs that are put away, and what the floor shows of each without working anything out.
ALTER TABLE jobs ADD COLUMN archived INTEGER NOT NULL DEFAULT 0;
CREATE TABLE cards (
    job_id INTEGER PRIMARY KEY NOT NULL REFERENCES jobs (id) ON DELETE CASCADE,
    revision INTEGER NOT NULL,
    body TEXT NOT NULL,
    miniature TEXT NOT NULL
);
-- Which files a job's revisions name: a file goes when no job names it any more.
CREATE TABLE job_files (
    job_id INTEGER NOT NULL REFERENCES jobs (id) ON DELETE CASCADE,
    hash TEXT NOT NULL,
    PRIMARY KEY (job_id, hash)
);
-- A thing of the shop's book counts its changes, so that a stale form is told from a fresh one.
ALTER TABLE settings ADD COLUMN revision INTEGER NOT NULL DEFAULT 1;
