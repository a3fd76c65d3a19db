-- Redo goes to where undo came from: a count that rises each time a revision is put in force.
ALTER TABLE revisions ADD COLUMN in_force INTEGER NOT NULL DEFAULT 0;
UPDATE revisions SET in_force = id;
