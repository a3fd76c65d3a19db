ALTER TABLE searches DROP COLUMN batch;
ALTER TABLE revisions DROP COLUMN person;
