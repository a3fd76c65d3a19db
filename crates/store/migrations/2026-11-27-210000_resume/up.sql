-- Where the head was when a run was last heard, mm, and which run another goes on from.
ALTER TABLE runs ADD COLUMN x DOUBLE NOT NULL DEFAULT 0;
ALTER TABLE runs ADD COLUMN y DOUBLE NOT NULL DEFAULT 0;
ALTER TABLE runs ADD COLUMN goes_on INTEGER;
