-- Where values come from, and the append-only record of every change. The cells themselves live in one table per
-- model, cells_<model id>, made with the model because its columns are the model's dimensions.
CREATE TABLE origin (
	id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
	model_id integer NOT NULL REFERENCES model ON DELETE CASCADE,
	mode text NOT NULL CHECK (mode IN ('entry', 'proposes', 'adds')),
	name text NOT NULL,
	UNIQUE (model_id, name)
);
CREATE UNIQUE INDEX origin_one_entry ON origin (model_id) WHERE mode = 'entry';

CREATE TABLE change_set (
	model_id integer NOT NULL REFERENCES model ON DELETE CASCADE,
	revision bigint NOT NULL,
	person_id integer REFERENCES person,
	at timestamptz NOT NULL DEFAULT now(),
	through text NOT NULL,
	kind text NOT NULL CHECK (kind IN ('save', 'load')),
	cells integer NOT NULL,
	PRIMARY KEY (model_id, revision)
);

-- A typed cell: address holds member ids in the order of the model's dimensions, the period left out.
CREATE TABLE entry_change (
	model_id integer NOT NULL,
	revision bigint NOT NULL,
	origin_id integer NOT NULL REFERENCES origin,
	address integer[] NOT NULL,
	period_id integer NOT NULL REFERENCES period,
	before double precision,
	after double precision,
	FOREIGN KEY (model_id, revision) REFERENCES change_set ON DELETE CASCADE
);
CREATE INDEX entry_change_cell ON entry_change (model_id, address, period_id, revision);
CREATE INDEX entry_change_revision ON entry_change (model_id, revision);

-- Loads and runs: packed columns of whole series, before and after.
CREATE TABLE block_change (
	model_id integer NOT NULL,
	revision bigint NOT NULL,
	part integer NOT NULL,
	series integer NOT NULL,
	packed bytea NOT NULL,
	PRIMARY KEY (model_id, revision, part),
	FOREIGN KEY (model_id, revision) REFERENCES change_set ON DELETE CASCADE
);
ALTER TABLE block_change ALTER COLUMN packed SET STORAGE EXTERNAL;
