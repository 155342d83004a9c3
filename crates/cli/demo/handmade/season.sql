-- What the annual meeting wants to know.
SELECT r.name AS region, k.postcode, sum(v.honey_kg) AS honey_kg
FROM harvest v
JOIN colony c ON c.id = v.colony_id
JOIN hive h ON h.id = c.hive_id
JOIN apiary a ON a.id = h.apiary_id
JOIN keeper k ON k.id = a.keeper_id
JOIN region r ON r.id = a.region_id
GROUP BY r.name, k.postcode
ORDER BY honey_kg DESC;
