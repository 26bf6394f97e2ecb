-- Boards that are sent as PDF by themselves.
CREATE TABLE board_schedule (
	board_id integer PRIMARY KEY REFERENCES board ON DELETE CASCADE,
	cron text NOT NULL,
	time_zone text NOT NULL,
	active boolean NOT NULL DEFAULT true,
	-- In whose name it is sent, and to whom.
	person_id integer NOT NULL REFERENCES person,
	people integer[] NOT NULL,
	-- What stands chosen on it, as in its address.
	chosen text NOT NULL DEFAULT '',
	looked_at timestamptz NOT NULL DEFAULT now()
);

-- What comes with a message: a board on paper.
CREATE TABLE message_file (
	id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
	message_id integer NOT NULL REFERENCES message ON DELETE CASCADE,
	name text NOT NULL,
	bytes bytea NOT NULL
);
CREATE INDEX message_file_message ON message_file (message_id);
-- The messages a letter is made of: their files go with it.
ALTER TABLE outbox ADD COLUMN messages integer[] NOT NULL DEFAULT '{}';

-- Pictures on boards.
CREATE TABLE board_picture (
	id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
	board_id integer NOT NULL REFERENCES board ON DELETE CASCADE,
	person_id integer REFERENCES person,
	type text NOT NULL CHECK (type IN ('image/png', 'image/jpeg', 'image/webp', 'image/gif')),
	bytes bytea NOT NULL
);
CREATE INDEX board_picture_board ON board_picture (board_id);
