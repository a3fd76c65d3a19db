-- The alarm a run ended with, its place in its machine's queue, and how its sheet lies on the bed.
ALTER TABLE runs ADD COLUMN alarm TEXT NOT NULL DEFAULT '';
ALTER TABLE runs ADD COLUMN place INTEGER NOT NULL DEFAULT 0;
UPDATE runs SET place = id;
ALTER TABLE runs ADD COLUMN pose TEXT NOT NULL DEFAULT '';
