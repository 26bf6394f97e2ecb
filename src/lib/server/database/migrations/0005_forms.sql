-- Forms, and people's unsaved entries.
CREATE TABLE form (
	id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
	model_id integer NOT NULL REFERENCES model ON DELETE CASCADE,
	code text NOT NULL,
	name text NOT NULL,
	folder text NOT NULL DEFAULT '',
	description text NOT NULL DEFAULT '',
	layout jsonb NOT NULL,
	UNIQUE (model_id, code)
);

CREATE TABLE draft (
	id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
	person_id integer NOT NULL REFERENCES person ON DELETE CASCADE,
	model_id integer NOT NULL REFERENCES model ON DELETE CASCADE,
	-- Counts every change, so that a server notices when another one changed the draft.
	version bigint NOT NULL DEFAULT 0,
	changed_at timestamptz NOT NULL DEFAULT now(),
	UNIQUE (person_id, model_id)
);
CREATE TABLE draft_cell (
	draft_id integer NOT NULL REFERENCES draft ON DELETE CASCADE,
	address integer[] NOT NULL,
	period_id integer NOT NULL REFERENCES period,
	-- Null: the entry is taken away.
	value double precision,
	-- What stood in the cell when the person first changed it.
	seen double precision,
	PRIMARY KEY (draft_id, address, period_id)
);
-- What one entry did to the draft, for undo: [{address, period, before, after}], each a draft value, "cleared" or null.
CREATE TABLE draft_step (
	draft_id integer NOT NULL REFERENCES draft ON DELETE CASCADE,
	sequence integer NOT NULL,
	undone boolean NOT NULL DEFAULT false,
	changes jsonb NOT NULL,
	PRIMARY KEY (draft_id, sequence)
);
