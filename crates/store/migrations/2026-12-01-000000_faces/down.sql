DROP TABLE faces;
