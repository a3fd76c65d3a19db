UPDATE stock
SET place = 'on the bed of ' || (
    SELECT json_extract(body, '$.name') FROM settings WHERE kind = 'machine' AND 'bed:' || key = stock.place
)
WHERE EXISTS (SELECT 1 FROM settings WHERE kind = 'machine' AND 'bed:' || key = stock.place);
