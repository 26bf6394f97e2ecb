-- Snapshots: figures of a part of a model as they stood, with the model as it was then. Written once.
CREATE TABLE snapshot (
	id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
	model_id integer NOT NULL REFERENCES model ON DELETE CASCADE,
	name text NOT NULL,
	purpose text NOT NULL DEFAULT '',
	-- Which part, in words of then.
	part text NOT NULL DEFAULT '',
	-- What it was taken of, where that was not the plan.
	branch_id integer REFERENCES branch ON DELETE CASCADE,
	revision bigint NOT NULL,
	taken_by integer REFERENCES person,
	acting_id integer REFERENCES person,
	taken_at timestamptz NOT NULL DEFAULT now(),
	-- What took it: somebody, a run, a submission, an approval.
	through text NOT NULL DEFAULT '',
	cells integer NOT NULL,
	-- The dimensions of then, in address order: rights on others cannot be held against it.
	dimensions integer[] NOT NULL,
	-- All that shaped the model, rates and formulas among it, and the figures: packed.
	definition bytea NOT NULL,
	figures bytea NOT NULL
);
CREATE UNIQUE INDEX snapshot_name ON snapshot (model_id, lower(name));
