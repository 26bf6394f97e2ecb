-- Saved imports, their maps, and what each batch loaded and rejected.
CREATE TABLE map (
	id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
	dimension_id integer NOT NULL REFERENCES dimension,
	name text NOT NULL UNIQUE
);
CREATE TABLE map_line (
	id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
	map_id integer NOT NULL REFERENCES map ON DELETE CASCADE,
	position integer NOT NULL,
	member_id integer REFERENCES member,
	skip boolean NOT NULL DEFAULT false,
	reverse_sign boolean NOT NULL DEFAULT false,
	kind text NOT NULL CHECK (kind IN ('single', 'any of', 'span', 'pattern', 'joint')),
	-- single {value}, any of {values}, span {from, to}, pattern {pattern}, joint {conditions: [{column, pattern}]}
	terms jsonb NOT NULL,
	UNIQUE (map_id, position)
);

CREATE TABLE import (
	id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
	model_id integer NOT NULL REFERENCES model ON DELETE CASCADE,
	origin_id integer NOT NULL UNIQUE REFERENCES origin,
	code text NOT NULL,
	name text NOT NULL,
	description text NOT NULL DEFAULT '',
	-- {delimiter, encoding, amountColumn, decimal, group}
	source jsonb NOT NULL,
	UNIQUE (model_id, code)
);
CREATE TABLE import_rule (
	import_id integer NOT NULL REFERENCES import ON DELETE CASCADE,
	dimension_id integer NOT NULL REFERENCES dimension,
	come_from text NOT NULL CHECK (come_from IN ('column', 'fixed', 'date')),
	source_column text,
	map_id integer REFERENCES map,
	member_id integer REFERENCES member,
	date_format text,
	PRIMARY KEY (import_id, dimension_id),
	CHECK (CASE come_from
		WHEN 'column' THEN source_column IS NOT NULL AND map_id IS NOT NULL
		WHEN 'fixed' THEN member_id IS NOT NULL
		ELSE source_column IS NOT NULL AND date_format IS NOT NULL END)
);

CREATE TABLE batch (
	id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
	import_id integer NOT NULL REFERENCES import ON DELETE CASCADE,
	person_id integer REFERENCES person,
	at timestamptz NOT NULL DEFAULT now(),
	file_name text NOT NULL,
	file_hash bytea NOT NULL,
	rows_read integer NOT NULL,
	rows_loaded integer NOT NULL,
	rows_skipped integer NOT NULL,
	rows_rejected integer NOT NULL,
	amount_read double precision NOT NULL,
	amount_loaded double precision NOT NULL,
	amount_rejected double precision NOT NULL,
	-- Null when nothing was written.
	revision bigint,
	-- What it replaced, in words: scenario and periods.
	extent text NOT NULL
);
CREATE INDEX batch_import ON batch (import_id, id DESC);
CREATE TABLE reject (
	batch_id integer NOT NULL REFERENCES batch ON DELETE CASCADE,
	file_line integer NOT NULL,
	code text NOT NULL,
	source_column text NOT NULL,
	value text NOT NULL,
	message text NOT NULL,
	-- json, not jsonb: the columns keep the file's order.
	row_values json NOT NULL
);
CREATE INDEX reject_batch ON reject (batch_id, file_line);
