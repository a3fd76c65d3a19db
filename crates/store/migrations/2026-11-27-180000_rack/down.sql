ALTER TABLE runs DROP COLUMN racked;
DROP TABLE reservations;
DROP TABLE stock_events;
DROP TABLE stock;
