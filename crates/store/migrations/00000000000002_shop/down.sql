DROP TABLE setting_changes;
DROP TABLE settings;
