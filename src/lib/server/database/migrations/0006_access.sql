-- Grants and locks as slices over several dimensions together. A dimension without a row is not limited.
CREATE TABLE access_grant (
	id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
	model_id integer NOT NULL REFERENCES model ON DELETE CASCADE,
	person_id integer NOT NULL REFERENCES person ON DELETE CASCADE,
	name text NOT NULL,
	level text NOT NULL CHECK (level IN ('write', 'none'))
);
CREATE TABLE access_grant_member (
	grant_id integer NOT NULL REFERENCES access_grant ON DELETE CASCADE,
	member_id integer NOT NULL REFERENCES member,
	PRIMARY KEY (grant_id, member_id)
);
CREATE TABLE access_lock (
	id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
	model_id integer NOT NULL REFERENCES model ON DELETE CASCADE,
	layer text NOT NULL CHECK (layer IN ('period close', 'cycle', 'board')),
	state text NOT NULL CHECK (state IN ('open', 'held', 'closed')),
	name text NOT NULL
);
CREATE TABLE access_lock_member (
	lock_id integer NOT NULL REFERENCES access_lock ON DELETE CASCADE,
	member_id integer NOT NULL REFERENCES member,
	PRIMARY KEY (lock_id, member_id)
);
