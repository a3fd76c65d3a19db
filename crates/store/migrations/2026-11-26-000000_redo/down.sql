ALTER TABLE revisions DROP COLUMN in_force;
