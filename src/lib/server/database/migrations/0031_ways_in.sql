-- Sessions say when and where they were last used, and whose place they take.
ALTER TABLE session ADD COLUMN seen_at timestamptz NOT NULL DEFAULT now();
ALTER TABLE session ADD COLUMN address text NOT NULL DEFAULT '';
ALTER TABLE session ADD COLUMN browser text NOT NULL DEFAULT '';
ALTER TABLE session ADD COLUMN as_person_id integer REFERENCES person ON DELETE CASCADE;
ALTER TABLE session ADD COLUMN as_way text CHECK (as_way IN ('look', 'stand in'));
ALTER TABLE session ADD CONSTRAINT session_as CHECK ((as_person_id IS NULL) = (as_way IS NULL));

-- The second factor: its secret is sealed, and a code is good once.
CREATE TABLE second_factor (
	person_id integer PRIMARY KEY REFERENCES person ON DELETE CASCADE,
	secret text NOT NULL,
	-- Null until its first code was right.
	confirmed_at timestamptz,
	-- The latest span of time a code was taken of.
	last_step bigint NOT NULL DEFAULT 0
);
CREATE TABLE recovery_code (
	person_id integer NOT NULL REFERENCES person ON DELETE CASCADE,
	code_hash bytea NOT NULL,
	PRIMARY KEY (person_id, code_hash)
);
-- Between a password that was right and the code that follows it.
CREATE TABLE sign_in_step (
	token_hash bytea PRIMARY KEY,
	person_id integer NOT NULL REFERENCES person ON DELETE CASCADE,
	expires_at timestamptz NOT NULL
);

-- What programs sign in with: in somebody's name, for some purposes, until a day.
CREATE TABLE access_token (
	id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
	person_id integer NOT NULL REFERENCES person ON DELETE CASCADE,
	-- In this model only; in every one the person works in where it is null.
	model_id integer REFERENCES model ON DELETE CASCADE,
	name text NOT NULL,
	scopes text[] NOT NULL,
	token_hash bytea NOT NULL UNIQUE,
	-- Its first letters, to tell it by.
	hint text NOT NULL,
	made_at timestamptz NOT NULL DEFAULT now(),
	expires_at timestamptz NOT NULL,
	used_at timestamptz,
	ended_at timestamptz
);
CREATE INDEX access_token_person ON access_token (person_id);

-- Who stands in for somebody while they are away; both days included.
CREATE TABLE substitute (
	id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
	person_id integer NOT NULL REFERENCES person ON DELETE CASCADE,
	substitute_id integer NOT NULL REFERENCES person ON DELETE CASCADE,
	from_date date NOT NULL,
	until_date date NOT NULL,
	CHECK (person_id <> substitute_id),
	CHECK (until_date >= from_date)
);
CREATE INDEX substitute_person ON substitute (person_id);
CREATE INDEX substitute_substitute ON substitute (substitute_id);

-- Whose hands it was, where somebody stood in for another.
ALTER TABLE change_set ADD COLUMN acting_id integer REFERENCES person;
ALTER TABLE access_change ADD COLUMN acting_id integer REFERENCES person;
ALTER TABLE job ADD COLUMN acting_id integer REFERENCES person;
CREATE FUNCTION doer(person integer, acting integer) RETURNS text LANGUAGE sql STABLE AS
	$$ SELECT p.name || coalesce(', by ' || (SELECT a.name FROM person a WHERE a.id = acting), '') FROM person p WHERE p.id = person $$;

-- Kinds of access are named by the application.
ALTER TABLE access_change DROP CONSTRAINT access_change_kind_check;

-- Grants by attribute: at each member of a dimension whose owner, reviewers or attribute name somebody, that person has it.
CREATE TABLE attribute_grant (
	id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
	model_id integer NOT NULL REFERENCES model ON DELETE CASCADE,
	dimension_id integer NOT NULL REFERENCES dimension ON DELETE CASCADE,
	field text NOT NULL CHECK (field IN ('owner', 'reviewers', 'attribute')),
	attribute_id integer REFERENCES attribute,
	level text NOT NULL CHECK (level IN ('read', 'write')),
	CHECK ((field = 'attribute') = (attribute_id IS NOT NULL)),
	UNIQUE NULLS NOT DISTINCT (model_id, dimension_id, field, attribute_id)
);
CREATE VIEW named_by_attribute AS
	SELECT g.id AS grant_id, e.owner_id AS person_id, m.id AS member_id FROM attribute_grant g
		JOIN member m ON m.dimension_id = g.dimension_id JOIN entity e ON e.member_id = m.id WHERE g.field = 'owner' AND e.owner_id IS NOT NULL
	UNION ALL
	SELECT g.id, r.person_id, m.id FROM attribute_grant g
		JOIN member m ON m.dimension_id = g.dimension_id JOIN entity_reviewer r ON r.member_id = m.id WHERE g.field = 'reviewers'
	UNION ALL
	SELECT g.id, p.id, v.member_id FROM attribute_grant g
		JOIN attribute_value v ON v.attribute_id = g.attribute_id JOIN person p ON lower(p.email) = lower(v.value #>> '{}') WHERE g.field = 'attribute';

CREATE FUNCTION slice_of_grant(asked integer) RETURNS json LANGUAGE sql STABLE AS $$
	SELECT coalesce(json_object_agg(d, m), '{}') FROM (SELECT m.dimension_id AS d, json_agg(m.id ORDER BY m.id) AS m
		FROM access_grant_member x JOIN member m ON m.id = x.member_id WHERE x.grant_id = asked GROUP BY m.dimension_id) AS named $$;
CREATE INDEX access_grant_model ON access_grant (model_id, person_id);
-- What each person is granted: by themselves, by a group, by attribute; with its members (ids) by dimension (id).
CREATE VIEW granted_slice AS
	SELECT g.person_id, g.model_id, 1 AS kind, g.id AS grant_id, g.name, g.level, slice_of_grant(g.id) AS slice
		FROM access_grant g WHERE g.person_id IS NOT NULL
	UNION ALL
	SELECT m.person_id, g.model_id, 1, g.id, g.name, g.level, slice_of_grant(g.id) FROM access_grant g JOIN people_group_member m ON m.group_id = g.group_id
	UNION ALL
	SELECT n.person_id, g.model_id, 2, g.id,
			CASE g.field WHEN 'owner' THEN 'Owner' WHEN 'reviewers' THEN 'Reviewers' ELSE (SELECT a.name FROM attribute a WHERE a.id = g.attribute_id) END
				|| ' of ' || (SELECT d.name FROM dimension d WHERE d.id = g.dimension_id),
			g.level, json_build_object(g.dimension_id, json_agg(DISTINCT n.member_id))
		FROM attribute_grant g JOIN named_by_attribute n ON n.grant_id = g.id GROUP BY n.person_id, g.id;

-- A directory tells who works here: what it calls them, and whether it has said that they left.
ALTER TABLE person ADD COLUMN external_id text;
ALTER TABLE person ADD COLUMN directory_id text UNIQUE;
ALTER TABLE person ADD COLUMN left_at timestamptz;
ALTER TABLE people_group ADD COLUMN external_id text;
ALTER TABLE people_group ADD COLUMN directory_id text UNIQUE;
-- Who the identity provider says somebody is: its address, and what it calls them.
CREATE TABLE person_identity (
	issuer text NOT NULL,
	subject text NOT NULL,
	person_id integer NOT NULL REFERENCES person ON DELETE CASCADE,
	PRIMARY KEY (issuer, subject)
);

-- When a right was last used, to the hour: what nobody uses can be taken away.
CREATE TABLE permission_used (
	person_id integer NOT NULL REFERENCES person ON DELETE CASCADE,
	permission text NOT NULL,
	model_id integer NOT NULL REFERENCES model ON DELETE CASCADE,
	at timestamptz NOT NULL DEFAULT now(),
	PRIMARY KEY (person_id, permission, model_id)
);

-- New permissions of administrators.
INSERT INTO role_permission (role_id, permission)
	SELECT id, given FROM role CROSS JOIN unnest(ARRAY['access.look', 'access.tokens']) AS given WHERE code = 'administrator' ON CONFLICT DO NOTHING;
INSERT INTO role_permission (role_id, permission)
	SELECT id, 'access.tokens' FROM role WHERE code = 'controller' ON CONFLICT DO NOTHING;
