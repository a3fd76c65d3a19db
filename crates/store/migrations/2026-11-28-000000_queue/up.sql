-- The alarm a run ended with, its place in its machine's queue, how its sheet lies on the bed,
-- and how many parts it made.
ALTER TABLE runs ADD COLUMN alarm TEXT NOT NULL DEFAULT '';
ALTER TABLE runs ADD COLUMN place INTEGER NOT NULL DEFAULT 0;
UPDATE runs SET place = id;
ALTER TABLE runs ADD COLUMN pose TEXT NOT NULL DEFAULT '';
ALTER TABLE runs ADD COLUMN made INTEGER NOT NULL DEFAULT 0;
