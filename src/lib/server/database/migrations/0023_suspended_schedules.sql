-- What runs in somebody's name waits for them after somebody else has changed what it does.
ALTER TABLE import_schedule ADD COLUMN suspended_by integer REFERENCES person ON DELETE SET NULL;
ALTER TABLE runbook_schedule ADD COLUMN suspended_by integer REFERENCES person ON DELETE SET NULL;
