-- Rounds of planning: who fills what by when, and how far it is.
CREATE TABLE round (
	id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
	model_id integer NOT NULL REFERENCES model ON DELETE CASCADE,
	name text NOT NULL,
	state text NOT NULL DEFAULT 'planned' CHECK (state IN ('planned', 'running', 'ended')),
	scenario_id integer NOT NULL REFERENCES member,
	-- The first and the last period that are planned.
	from_id integer NOT NULL REFERENCES member,
	to_id integer NOT NULL REFERENCES member,
	settings jsonb NOT NULL,
	version integer NOT NULL DEFAULT 1,
	made_by integer REFERENCES person,
	started_at timestamptz,
	ended_at timestamptz
);
CREATE UNIQUE INDEX round_name ON round (model_id, lower(name));

CREATE TABLE cycle_unit (
	id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
	round_id integer NOT NULL REFERENCES round ON DELETE CASCADE,
	parent_id integer REFERENCES cycle_unit ON DELETE CASCADE,
	position integer NOT NULL,
	depth integer NOT NULL,
	-- Members (ids), one of each dimension of the round at most.
	members integer[] NOT NULL,
	name text NOT NULL,
	state text NOT NULL DEFAULT 'not started' CHECK (state IN ('not started', 'in progress', 'submitted', 'returned', 'approved')),
	reviewed integer NOT NULL DEFAULT 0,
	owner_id integer REFERENCES person,
	due date,
	moved_at timestamptz,
	lock_id integer REFERENCES access_lock ON DELETE SET NULL,
	-- Reminded of its due day, told that it is late.
	reminded boolean NOT NULL DEFAULT false,
	told_late boolean NOT NULL DEFAULT false
);
CREATE INDEX cycle_unit_round ON cycle_unit (round_id, position);
CREATE INDEX cycle_unit_owner ON cycle_unit (owner_id);
CREATE TABLE unit_reviewer (
	unit_id integer NOT NULL REFERENCES cycle_unit ON DELETE CASCADE,
	-- The first review is 0.
	review integer NOT NULL,
	person_id integer NOT NULL REFERENCES person,
	PRIMARY KEY (unit_id, review, person_id)
);
CREATE INDEX unit_reviewer_person ON unit_reviewer (person_id);

CREATE TABLE unit_move (
	id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
	unit_id integer NOT NULL REFERENCES cycle_unit ON DELETE CASCADE,
	at timestamptz NOT NULL DEFAULT now(),
	person_id integer REFERENCES person,
	acting_id integer REFERENCES person,
	move text NOT NULL,
	state text NOT NULL,
	reviewed integer NOT NULL DEFAULT 0,
	note text NOT NULL DEFAULT '',
	-- Of what is returned: accounts (by name) with what is said of each.
	fields jsonb NOT NULL DEFAULT '[]',
	cells integer
);
CREATE INDEX unit_move_unit ON unit_move (unit_id, id);
-- The figures as they were submitted.
CREATE TABLE unit_figures (
	move_id integer PRIMARY KEY REFERENCES unit_move ON DELETE CASCADE,
	revision integer NOT NULL,
	cells integer NOT NULL,
	packed bytea NOT NULL
);

-- What people are told; sent as letters at once, or once a day.
CREATE TABLE message (
	id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
	at timestamptz NOT NULL DEFAULT now(),
	person_id integer NOT NULL REFERENCES person ON DELETE CASCADE,
	model_id integer NOT NULL REFERENCES model ON DELETE CASCADE,
	unit_id integer REFERENCES cycle_unit ON DELETE SET NULL,
	kind text NOT NULL,
	subject text NOT NULL,
	body text NOT NULL,
	path text NOT NULL DEFAULT '',
	read_at timestamptz,
	mailed_at timestamptz
);
CREATE INDEX message_person ON message (person_id, id);
CREATE INDEX message_waiting ON message (id) WHERE mailed_at IS NULL;
ALTER TABLE person ADD COLUMN told text NOT NULL DEFAULT 'at once' CHECK (told IN ('at once', 'daily', 'never'));
-- The key of a person's feed of due dates; only a hash of it is kept.
ALTER TABLE person ADD COLUMN feed_key_hash bytea UNIQUE;
ALTER TABLE outbox ADD COLUMN sent_at timestamptz;
ALTER TABLE outbox ADD COLUMN failed text NOT NULL DEFAULT '';

INSERT INTO role_permission (role_id, permission)
	SELECT id, 'cycle.read' FROM role WHERE code IN ('administrator', 'controller', 'planner', 'reviewer', 'auditor') ON CONFLICT DO NOTHING;
INSERT INTO role_permission (role_id, permission)
	SELECT id, 'cycle.write' FROM role WHERE code IN ('administrator', 'controller') ON CONFLICT DO NOTHING;
