-- Forms are designed in the application: versions, who sees them, and what people leave beside figures.
ALTER TABLE role_permission DROP CONSTRAINT role_permission_permission_check;
ALTER TABLE role_permission ADD CONSTRAINT role_permission_permission_check CHECK (permission IN
	('structure.read', 'structure.write', 'data.read', 'data.load', 'data.write', 'form.read', 'form.enter', 'form.design'));
INSERT INTO role_permission (role_id, permission)
	SELECT role_id, 'form.design' FROM role_permission WHERE permission = 'structure.write' ON CONFLICT DO NOTHING;

-- Markdown shown above the grid; roles that see the form, nobody named: everybody.
ALTER TABLE form ADD COLUMN instructions text NOT NULL DEFAULT '';
ALTER TABLE form ADD COLUMN roles integer[] NOT NULL DEFAULT '{}';
ALTER TABLE form ADD COLUMN version integer NOT NULL DEFAULT 1;

CREATE TABLE form_version (
	form_id integer NOT NULL REFERENCES form ON DELETE CASCADE,
	version integer NOT NULL,
	name text NOT NULL,
	folder text NOT NULL,
	description text NOT NULL,
	instructions text NOT NULL,
	roles integer[] NOT NULL,
	layout jsonb NOT NULL,
	person_id integer REFERENCES person,
	at timestamptz NOT NULL DEFAULT now(),
	PRIMARY KEY (form_id, version)
);
INSERT INTO form_version (form_id, version, name, folder, description, instructions, roles, layout)
	SELECT id, version, name, folder, description, instructions, roles, layout FROM form;

-- A figure is named by its members, one a dimension of the model in address order with the period last; parents too.
CREATE TABLE note (
	id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
	model_id integer NOT NULL REFERENCES model ON DELETE CASCADE,
	place integer[] NOT NULL,
	-- The note it answers: threads are one level deep.
	thread integer REFERENCES note ON DELETE CASCADE,
	person_id integer NOT NULL REFERENCES person,
	at timestamptz NOT NULL DEFAULT now(),
	text text NOT NULL,
	resolved_at timestamptz,
	resolved_by integer REFERENCES person,
	-- The form it was written on, to lead there.
	form_id integer REFERENCES form ON DELETE SET NULL
);
CREATE INDEX note_place ON note (model_id, place);
CREATE TABLE note_mention (
	note_id integer NOT NULL REFERENCES note ON DELETE CASCADE,
	person_id integer NOT NULL REFERENCES person ON DELETE CASCADE,
	seen_at timestamptz,
	PRIMARY KEY (note_id, person_id)
);
CREATE INDEX note_mention_person ON note_mention (person_id) WHERE seen_at IS NULL;

-- A small sum behind a leaf cell, in the cell's own currency.
CREATE TABLE detail_line (
	id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
	model_id integer NOT NULL REFERENCES model ON DELETE CASCADE,
	place integer[] NOT NULL,
	position integer NOT NULL,
	label text NOT NULL,
	amount double precision NOT NULL,
	factor double precision NOT NULL DEFAULT 1
);
CREATE INDEX detail_line_place ON detail_line (model_id, place);

CREATE TABLE cell_link (
	id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
	model_id integer NOT NULL REFERENCES model ON DELETE CASCADE,
	place integer[] NOT NULL,
	person_id integer NOT NULL REFERENCES person,
	at timestamptz NOT NULL DEFAULT now(),
	title text NOT NULL,
	-- An address on the web, or a kept file.
	address text,
	file_type text,
	bytes bytea,
	CHECK ((address IS NULL) <> (bytes IS NULL))
);
CREATE INDEX cell_link_place ON cell_link (model_id, place);
ALTER TABLE cell_link ALTER COLUMN bytes SET STORAGE EXTERNAL;

-- How a row was filled last, to be looked at and done again. The place ends before the period.
CREATE TABLE row_method (
	model_id integer NOT NULL REFERENCES model ON DELETE CASCADE,
	place integer[] NOT NULL,
	method jsonb NOT NULL,
	person_id integer NOT NULL REFERENCES person,
	at timestamptz NOT NULL DEFAULT now(),
	PRIMARY KEY (model_id, place)
);

-- Who has a form open; a row older than a minute says nothing.
CREATE UNLOGGED TABLE form_presence (
	form_id integer NOT NULL REFERENCES form ON DELETE CASCADE,
	person_id integer NOT NULL REFERENCES person ON DELETE CASCADE,
	at timestamptz NOT NULL DEFAULT now(),
	-- The cell they stand at: members by dimension.
	place jsonb NOT NULL DEFAULT '{}',
	PRIMARY KEY (form_id, person_id)
);
