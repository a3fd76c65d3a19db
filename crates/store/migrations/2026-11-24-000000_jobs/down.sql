DROP TABLE runs;
DROP TABLE searches;
DROP TABLE revisions;
DROP TABLE jobs;
DROP TABLE files;
