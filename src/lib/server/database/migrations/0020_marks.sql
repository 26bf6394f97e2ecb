-- How each person wants figures marked: which of three sets of looks, and which marks not at all.
ALTER TABLE person ADD COLUMN marks jsonb NOT NULL DEFAULT '{}';
