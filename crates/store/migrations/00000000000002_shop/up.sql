-- The shop's own settings: machines, materials, chart rows, rules. One row a thing, its body as JSON.
CREATE TABLE settings (
    kind TEXT NOT NULL,
    key TEXT NOT NULL,
    position INTEGER NOT NULL,
    body TEXT NOT NULL,
    PRIMARY KEY (kind, key)
);
-- Every change of them: what it was, what it is, who and when.
CREATE TABLE setting_changes (
    id INTEGER PRIMARY KEY NOT NULL,
    kind TEXT NOT NULL,
    key TEXT NOT NULL,
    before TEXT,
    after TEXT,
    person TEXT NOT NULL,
    reason TEXT NOT NULL,
    at TEXT NOT NULL
);
CREATE INDEX setting_changes_of ON setting_changes (kind, key, id);
