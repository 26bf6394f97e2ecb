-- People, what they may do, and their sessions.
CREATE TABLE person (
	id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
	email text NOT NULL,
	name text NOT NULL,
	title text NOT NULL DEFAULT '',
	password_hash text NOT NULL,
	locale text NOT NULL DEFAULT 'en-GB',
	theme text NOT NULL DEFAULT 'paper' CHECK (theme IN ('paper', 'night')),
	active boolean NOT NULL DEFAULT true
);
CREATE UNIQUE INDEX person_email ON person (lower(email));

CREATE TABLE role (
	id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
	code text NOT NULL UNIQUE,
	name text NOT NULL
);
CREATE TABLE role_permission (
	role_id integer NOT NULL REFERENCES role ON DELETE CASCADE,
	permission text NOT NULL CHECK (permission IN ('structure.read', 'data.read', 'data.load', 'form.read', 'form.enter')),
	PRIMARY KEY (role_id, permission)
);
CREATE TABLE person_role (
	person_id integer NOT NULL REFERENCES person ON DELETE CASCADE,
	role_id integer NOT NULL REFERENCES role ON DELETE CASCADE,
	PRIMARY KEY (person_id, role_id)
);

-- Only a hash of the cookie's token is kept: a copy of this table opens no session.
CREATE TABLE session (
	token_hash bytea PRIMARY KEY,
	person_id integer NOT NULL REFERENCES person ON DELETE CASCADE,
	created_at timestamptz NOT NULL DEFAULT now(),
	expires_at timestamptz NOT NULL
);
CREATE INDEX session_expiry ON session (expires_at);

CREATE TABLE sign_in_attempt (
	subject text NOT NULL,
	at timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX sign_in_attempt_subject ON sign_in_attempt (subject, at);

-- Facts about this installation, such as whether it holds the demo.
CREATE TABLE setting (
	key text PRIMARY KEY,
	value text NOT NULL
);
