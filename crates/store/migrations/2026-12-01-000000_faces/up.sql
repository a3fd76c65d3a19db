-- The shop's own faces: TrueType and OpenType files, by the name that they are chosen by.
CREATE TABLE faces (
    name TEXT PRIMARY KEY NOT NULL,
    bytes BLOB NOT NULL,
    person TEXT NOT NULL,
    at TEXT NOT NULL
);
