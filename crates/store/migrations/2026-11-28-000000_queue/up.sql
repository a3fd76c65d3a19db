-- The alarm a run ended with, and its place in its machine's queue.
ALTER TABLE runs ADD COLUMN alarm TEXT NOT NULL DEFAULT '';
ALTER TABLE runs ADD COLUMN place INTEGER NOT NULL DEFAULT 0;
UPDATE runs SET place = id;
