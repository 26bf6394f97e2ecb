-- Locks are set by people, with a reason, and may become another by themselves on a day.
ALTER TABLE access_lock ADD COLUMN reason text NOT NULL DEFAULT '';
ALTER TABLE access_lock ADD COLUMN set_by integer REFERENCES person;
ALTER TABLE access_lock ADD COLUMN set_at timestamptz;
ALTER TABLE access_lock ADD COLUMN turns_on date;
ALTER TABLE access_lock ADD COLUMN turns_to text CHECK (turns_to IN ('open', 'held', 'closed'));
ALTER TABLE access_lock ADD CHECK ((turns_on IS NULL) = (turns_to IS NULL));
CREATE INDEX access_lock_model ON access_lock (model_id);
CREATE INDEX access_lock_turns ON access_lock (turns_on) WHERE turns_on IS NOT NULL;

-- Who may still write although a lock is held: somebody, a group, or whom the member a figure lies at names.
CREATE TABLE access_lock_writer (
	lock_id integer NOT NULL REFERENCES access_lock ON DELETE CASCADE,
	person_id integer REFERENCES person ON DELETE CASCADE,
	group_id integer REFERENCES people_group ON DELETE CASCADE,
	dimension_id integer REFERENCES dimension ON DELETE CASCADE,
	field text CHECK (field IN ('owner', 'reviewers', 'attribute')),
	attribute_id integer REFERENCES attribute ON DELETE CASCADE,
	CHECK (num_nonnulls(person_id, group_id, dimension_id) = 1),
	CHECK ((dimension_id IS NULL) = (field IS NULL)),
	CHECK ((field IS NOT DISTINCT FROM 'attribute') = (attribute_id IS NOT NULL)),
	UNIQUE NULLS NOT DISTINCT (lock_id, person_id, group_id, dimension_id, field, attribute_id)
);

-- Whom members name: their owner, their reviewers, an attribute that holds people.
CREATE VIEW named_at_member AS
	SELECT m.dimension_id, 'owner' AS field, NULL::integer AS attribute_id, e.owner_id AS person_id, m.id AS member_id
		FROM entity e JOIN member m ON m.id = e.member_id WHERE e.owner_id IS NOT NULL
	UNION ALL
	SELECT m.dimension_id, 'reviewers', NULL, r.person_id, m.id FROM entity_reviewer r JOIN member m ON m.id = r.member_id
	UNION ALL
	SELECT a.dimension_id, 'attribute', a.id, p.id, v.member_id
		FROM attribute a JOIN attribute_value v ON v.attribute_id = a.id JOIN person p ON lower(p.email) = lower(v.value #>> '{}') WHERE a.type = 'person';

-- The dimensions that drive a model's lock board, in the order they are shown; none where it is switched off.
CREATE TABLE lock_dimension (
	model_id integer NOT NULL REFERENCES model ON DELETE CASCADE,
	dimension_id integer NOT NULL REFERENCES dimension ON DELETE CASCADE,
	position integer NOT NULL,
	PRIMARY KEY (model_id, dimension_id)
);

-- What was locked and unlocked: every lock a change touched, before and after.
CREATE TABLE lock_change (
	id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
	model_id integer NOT NULL REFERENCES model ON DELETE CASCADE,
	at timestamptz NOT NULL DEFAULT now(),
	-- Null where it happened by itself on its day.
	person_id integer REFERENCES person,
	acting_id integer REFERENCES person,
	layer text NOT NULL,
	words text NOT NULL,
	reason text NOT NULL DEFAULT '',
	before jsonb NOT NULL,
	after jsonb NOT NULL,
	takes_back integer REFERENCES lock_change
);
CREATE INDEX lock_change_model ON lock_change (model_id, id);

ALTER TABLE structure_step DROP CONSTRAINT structure_step_what_check;
ALTER TABLE structure_step ADD CONSTRAINT structure_step_what_check CHECK (what IN ('definition', 'origins', 'rates', 'access', 'locks'));

INSERT INTO role_permission (role_id, permission)
	SELECT id, given FROM role CROSS JOIN unnest(ARRAY['lock.write', 'lock.restate']) AS given WHERE code IN ('administrator', 'controller') ON CONFLICT DO NOTHING;
