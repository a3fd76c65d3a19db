-- What was asked for when a job came: for whom, and how many of each drawing.
ALTER TABLE jobs ADD COLUMN customer TEXT NOT NULL DEFAULT '';
ALTER TABLE jobs ADD COLUMN quantity INTEGER NOT NULL DEFAULT 1;
-- What one shift leaves for the next to know.
CREATE TABLE notes (
    id INTEGER PRIMARY KEY NOT NULL,
    text TEXT NOT NULL,
    person TEXT NOT NULL,
    at TEXT NOT NULL,
    done_by TEXT NOT NULL DEFAULT '',
    done_at TEXT
);
