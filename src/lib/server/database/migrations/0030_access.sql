-- Who may do what: permissions are named by the application, roles are given to people and groups, in one model or in all.
ALTER TABLE role_permission DROP CONSTRAINT role_permission_permission_check;
ALTER TABLE role ADD COLUMN description text NOT NULL DEFAULT '';
INSERT INTO role_permission (role_id, permission)
	SELECT id, given FROM role CROSS JOIN unnest(ARRAY['access.read', 'access.write']) AS given WHERE code = 'administrator' ON CONFLICT DO NOTHING;

CREATE TABLE people_group (
	id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
	name text NOT NULL,
	description text NOT NULL DEFAULT ''
);
CREATE UNIQUE INDEX people_group_name ON people_group (lower(name));
CREATE TABLE people_group_member (
	group_id integer NOT NULL REFERENCES people_group ON DELETE CASCADE,
	person_id integer NOT NULL REFERENCES person ON DELETE CASCADE,
	PRIMARY KEY (group_id, person_id)
);
CREATE INDEX people_group_member_person ON people_group_member (person_id);

CREATE TABLE role_given (
	role_id integer NOT NULL REFERENCES role ON DELETE CASCADE,
	person_id integer REFERENCES person ON DELETE CASCADE,
	group_id integer REFERENCES people_group ON DELETE CASCADE,
	-- In this model only; in every model where it is null.
	model_id integer REFERENCES model ON DELETE CASCADE,
	CHECK (num_nonnulls(person_id, group_id) = 1),
	UNIQUE NULLS NOT DISTINCT (role_id, person_id, group_id, model_id)
);
CREATE INDEX role_given_person ON role_given (person_id);
CREATE INDEX role_given_group ON role_given (group_id);
INSERT INTO role_given (role_id, person_id) SELECT role_id, person_id FROM person_role;
DROP TABLE person_role;
-- The roles a person has, given to them or to a group they are in.
CREATE VIEW person_role AS
	SELECT person_id, role_id, model_id FROM role_given WHERE person_id IS NOT NULL
	UNION
	SELECT m.person_id, g.role_id, g.model_id FROM role_given g JOIN people_group_member m ON m.group_id = g.group_id;

-- Grants are given to people and groups, to read or to write.
ALTER TABLE access_grant ALTER COLUMN person_id DROP NOT NULL;
ALTER TABLE access_grant ADD COLUMN group_id integer REFERENCES people_group ON DELETE CASCADE;
ALTER TABLE access_grant ADD CONSTRAINT access_grant_holder CHECK (num_nonnulls(person_id, group_id) = 1);
ALTER TABLE access_grant DROP CONSTRAINT access_grant_level_check;
ALTER TABLE access_grant ADD CONSTRAINT access_grant_level_check CHECK (level IN ('read', 'write', 'none'));
CREATE INDEX access_grant_person ON access_grant (person_id);
CREATE INDEX access_grant_group ON access_grant (group_id);

-- Dimensions on which a model restricts who reads what.
CREATE TABLE guarded_dimension (
	model_id integer NOT NULL REFERENCES model ON DELETE CASCADE,
	dimension_id integer NOT NULL REFERENCES dimension ON DELETE CASCADE,
	PRIMARY KEY (model_id, dimension_id)
);

-- Every change of access, with what was before and after; it can be taken back.
CREATE TABLE access_change (
	id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
	at timestamptz NOT NULL DEFAULT now(),
	person_id integer REFERENCES person,
	-- Of grants and guarded dimensions; null for people, groups and roles.
	model_id integer REFERENCES model ON DELETE CASCADE,
	kind text NOT NULL CHECK (kind IN ('person', 'group', 'role', 'grant', 'guarded')),
	object_id integer NOT NULL,
	name text NOT NULL,
	words text NOT NULL,
	before jsonb,
	after jsonb,
	takes_back integer REFERENCES access_change
);
CREATE INDEX access_change_object ON access_change (kind, object_id);

-- People are invited before they have a password; links to set one are kept as hashes and used once.
ALTER TABLE person ALTER COLUMN password_hash DROP NOT NULL;
CREATE TABLE password_link (
	token_hash bytea PRIMARY KEY,
	person_id integer NOT NULL REFERENCES person ON DELETE CASCADE,
	purpose text NOT NULL CHECK (purpose IN ('invitation', 'reset')),
	expires_at timestamptz NOT NULL
);
CREATE INDEX password_link_person ON password_link (person_id);
-- Letters to people: kept here instead of being sent, for an installation without mail.
CREATE TABLE outbox (
	id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
	at timestamptz NOT NULL DEFAULT now(),
	address text NOT NULL,
	subject text NOT NULL,
	body text NOT NULL
);

-- Open pages hear of a change of access as they hear of a change of structure; the model itself stays as it is.
ALTER TABLE structure_step DROP CONSTRAINT structure_step_what_check;
ALTER TABLE structure_step ADD CONSTRAINT structure_step_what_check CHECK (what IN ('definition', 'origins', 'rates', 'access'));
