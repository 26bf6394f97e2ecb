-- Views of the explorer: forms nobody had to make. They belong to somebody, who may share them.
ALTER TABLE form ADD COLUMN owner_id integer REFERENCES person ON DELETE CASCADE;
-- Whether a view has been given a name and is kept; others go after a while.
ALTER TABLE form ADD COLUMN kept boolean NOT NULL DEFAULT true;
ALTER TABLE form ADD COLUMN shared boolean NOT NULL DEFAULT true;
ALTER TABLE form ADD COLUMN changed_at timestamptz NOT NULL DEFAULT now();
CREATE INDEX form_of_owner ON form (owner_id, model_id) WHERE owner_id IS NOT NULL;

-- Boards: pages of tiles.
CREATE TABLE board (
	id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
	model_id integer NOT NULL REFERENCES model ON DELETE CASCADE,
	owner_id integer REFERENCES person ON DELETE SET NULL,
	name text NOT NULL,
	description text NOT NULL DEFAULT '',
	shared boolean NOT NULL DEFAULT false,
	content jsonb NOT NULL,
	version integer NOT NULL DEFAULT 1,
	changed_at timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX board_of_model ON board (model_id);
CREATE TABLE board_version (
	board_id integer NOT NULL REFERENCES board ON DELETE CASCADE,
	version integer NOT NULL,
	name text NOT NULL,
	content jsonb NOT NULL,
	person_id integer REFERENCES person ON DELETE SET NULL,
	at timestamptz NOT NULL DEFAULT now(),
	PRIMARY KEY (board_id, version)
);
-- Tiles somebody does not want to see.
CREATE TABLE board_hidden (
	board_id integer NOT NULL REFERENCES board ON DELETE CASCADE,
	person_id integer NOT NULL REFERENCES person ON DELETE CASCADE,
	tiles integer[] NOT NULL,
	PRIMARY KEY (board_id, person_id)
);
-- What people say to a board or a tile, with the figures as they stood.
CREATE TABLE board_comment (
	id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
	board_id integer NOT NULL REFERENCES board ON DELETE CASCADE,
	tile integer,
	person_id integer NOT NULL REFERENCES person ON DELETE CASCADE,
	acting_id integer REFERENCES person,
	at timestamptz NOT NULL DEFAULT now(),
	text text NOT NULL,
	figures text NOT NULL DEFAULT ''
);
CREATE INDEX board_comment_of ON board_comment (board_id, id);
