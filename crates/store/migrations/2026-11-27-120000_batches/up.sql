-- Every revision says who made it.
ALTER TABLE revisions ADD COLUMN person TEXT NOT NULL DEFAULT '';
-- A nest is of one batch.
ALTER TABLE searches ADD COLUMN batch INTEGER NOT NULL DEFAULT 1;
