-- Per leaf: figures may be typed where the formula stands, and then stand above its result.
ALTER TABLE formula ADD COLUMN may_be_typed boolean NOT NULL DEFAULT false;
