-- What a runbook would leave on a person's draft, shown in forms before anything is saved.
ALTER TABLE draft ADD COLUMN trial text;
-- The draft and the revision it was worked out on: later it is behind.
ALTER TABLE draft ADD COLUMN trial_version bigint;
ALTER TABLE draft ADD COLUMN trial_revision integer;
CREATE TABLE draft_trial_cell (
	draft_id integer NOT NULL REFERENCES draft ON DELETE CASCADE,
	address integer[] NOT NULL,
	period_id integer NOT NULL REFERENCES period,
	-- Null: nothing would stand there.
	value double precision,
	PRIMARY KEY (draft_id, address, period_id)
);
