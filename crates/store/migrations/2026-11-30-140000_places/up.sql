-- What lies on a machine's bed says so by the machine's id: it may be called otherwise later.
UPDATE stock
SET place = 'bed:' || (
    SELECT key FROM settings WHERE kind = 'machine' AND 'on the bed of ' || json_extract(body, '$.name') = stock.place
)
WHERE EXISTS (
    SELECT 1 FROM settings WHERE kind = 'machine' AND 'on the bed of ' || json_extract(body, '$.name') = stock.place
);
