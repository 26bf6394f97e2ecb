-- Entries have ids and are applied once, however often they are sent: what came of each is kept for a while.
CREATE TABLE entry_taken (
	person_id integer NOT NULL REFERENCES person ON DELETE CASCADE,
	model_id integer NOT NULL REFERENCES model ON DELETE CASCADE,
	id uuid NOT NULL,
	at timestamptz NOT NULL DEFAULT now(),
	faults jsonb NOT NULL,
	warnings jsonb NOT NULL,
	PRIMARY KEY (person_id, model_id, id)
);
-- A draft is one, but each of its cells was typed in a form: undo, discard and save act on the form one is in. Cells of
-- before, and of forms that are gone, go with whichever form is saved or discarded first.
ALTER TABLE draft_cell ADD COLUMN form_id integer REFERENCES form ON DELETE SET NULL;
ALTER TABLE draft_step ADD COLUMN form_id integer REFERENCES form ON DELETE SET NULL;
-- What was discarded last, until something else is: it can be brought back.
CREATE TABLE draft_discarded (
	draft_id integer NOT NULL REFERENCES draft ON DELETE CASCADE,
	form_id integer NOT NULL REFERENCES form ON DELETE CASCADE,
	at timestamptz NOT NULL DEFAULT now(),
	cells jsonb NOT NULL,
	PRIMARY KEY (draft_id, form_id)
);
