-- Where a dimension has been taken out of a model, the journal of before stays as it was written, with addresses of the
-- dimensions there were. The first change set after it says everything that stood then.
ALTER TABLE model ADD COLUMN journal_from bigint NOT NULL DEFAULT 0;
-- The dimensions, in address order without the period, of change sets up to a revision.
CREATE TABLE model_shape (
	model_id integer NOT NULL REFERENCES model ON DELETE CASCADE,
	until bigint NOT NULL,
	dimensions integer[] NOT NULL,
	PRIMARY KEY (model_id, until)
);
-- What is needed to put a dimension back as long as nothing has been written since: cells of before are in cells_<model>_<id>.
CREATE TABLE dimension_taken_out (
	id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
	model_id integer NOT NULL REFERENCES model ON DELETE CASCADE,
	dimension_id integer NOT NULL REFERENCES dimension,
	person_id integer REFERENCES person,
	at timestamptz NOT NULL DEFAULT now(),
	revision bigint NOT NULL,
	journal_from bigint NOT NULL,
	position smallint NOT NULL,
	-- Layouts, rules of imports and places as they were.
	kept jsonb NOT NULL,
	put_back_at timestamptz
);
