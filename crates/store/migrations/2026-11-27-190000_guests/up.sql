-- The best layout that a search had found when it was last written down: it outlives the power.
ALTER TABLE searches ADD COLUMN best TEXT;
-- Parts that were made in a run of another job than their own.
CREATE TABLE made (
    run_id INTEGER NOT NULL REFERENCES runs (id) ON DELETE CASCADE,
    job_id INTEGER NOT NULL REFERENCES jobs (id) ON DELETE CASCADE,
    part TEXT NOT NULL,
    count INTEGER NOT NULL,
    host_id INTEGER NOT NULL,
    PRIMARY KEY (run_id, job_id, part)
);
CREATE INDEX made_for ON made (job_id);
