-- How each person wants figures marked: which of three sets of looks, and which marks not at all.
ALTER TABLE person ADD COLUMN marks jsonb NOT NULL DEFAULT '{}';

-- What a method gave when it filled a row, by period (member id), and in which currency: what it gives now is held
-- against it. Empty for rows filled before.
ALTER TABLE row_method ADD COLUMN filled jsonb NOT NULL DEFAULT '{}';
