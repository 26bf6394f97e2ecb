-- Structure that people change: the facts of accounts in full, calendars of any grain, attributes, variables, retired
-- members, rate sets by period range, and the journal of definitions.
ALTER TABLE role_permission DROP CONSTRAINT role_permission_permission_check;
ALTER TABLE role_permission ADD CONSTRAINT role_permission_permission_check
	CHECK (permission IN ('structure.read', 'structure.write', 'data.read', 'data.load', 'form.read', 'form.enter'));
INSERT INTO role_permission (role_id, permission) SELECT id, 'structure.write' FROM role WHERE code = 'administrator';

ALTER TABLE calendar DROP CONSTRAINT calendar_grain_check;
ALTER TABLE calendar ADD CONSTRAINT calendar_grain_check CHECK (grain IN ('quarter', 'month', 'week', 'day'));
ALTER TABLE calendar ADD COLUMN pattern text NOT NULL DEFAULT 'calendar months'
	CHECK (pattern IN ('calendar months', '4-4-5', '4-5-4', '5-4-4', '13×4'));
ALTER TABLE calendar ADD COLUMN week_start smallint CHECK (week_start BETWEEN 1 AND 7);
ALTER TABLE period DROP CONSTRAINT period_level_check;
ALTER TABLE period ADD CONSTRAINT period_level_check CHECK (level IN ('year', 'half', 'quarter', 'month', 'week', 'day'));

ALTER TABLE member ADD COLUMN retired boolean NOT NULL DEFAULT false;
-- Counts every change of the dimension: who holds an older one reads it anew.
ALTER TABLE dimension ADD COLUMN version bigint NOT NULL DEFAULT 0;
-- Counts every change of what shapes the model; engines follow it.
ALTER TABLE model ADD COLUMN structure_version bigint NOT NULL DEFAULT 0;

ALTER TABLE account DROP CONSTRAINT account_value_type_check;
ALTER TABLE account ADD CONSTRAINT account_value_type_check
	CHECK (value_type IN ('money', 'quantity', 'percent', 'price', 'choice', 'date', 'text'));
ALTER TABLE account DROP CONSTRAINT account_time_behaviour_check;
ALTER TABLE account ADD CONSTRAINT account_time_behaviour_check
	CHECK (time_behaviour IN ('flow', 'closing', 'opening', 'latest', 'average', 'none'));
ALTER TABLE account DROP CONSTRAINT account_consolidation_check;
ALTER TABLE account ADD CONSTRAINT account_consolidation_check
	CHECK (consolidation IN ('sum', 'weighted by', 'average', 'formula', 'none'));
ALTER TABLE account ADD COLUMN weighed_by integer REFERENCES account;
ALTER TABLE account ADD COLUMN frequency text NOT NULL DEFAULT 'per period' CHECK (frequency IN ('per period', 'per year', 'timeless'));
ALTER TABLE account ADD COLUMN rate_kind text CHECK (rate_kind IN ('average', 'closing', 'previous closing', 'historical'));
ALTER TABLE account ADD COLUMN favourable text CHECK (favourable IN ('more', 'less'));
-- Where watching and where acting begins.
ALTER TABLE account ADD COLUMN watch_from double precision;
ALTER TABLE account ADD COLUMN act_from double precision;
-- For choices: the dimension whose leaves may be chosen.
ALTER TABLE account ADD COLUMN choice_dimension integer REFERENCES dimension;

CREATE TABLE entity_reviewer (
	member_id integer NOT NULL REFERENCES entity ON DELETE CASCADE,
	person_id integer NOT NULL REFERENCES person ON DELETE CASCADE,
	PRIMARY KEY (member_id, person_id)
);

ALTER TABLE rate DROP CONSTRAINT rate_kind_check;
ALTER TABLE rate ADD CONSTRAINT rate_kind_check CHECK (kind IN ('average', 'closing', 'historical'));
ALTER TABLE rate_set ADD COLUMN version bigint NOT NULL DEFAULT 0;

ALTER TABLE scenario ADD COLUMN state text NOT NULL DEFAULT 'in work' CHECK (state IN ('in work', 'final', 'retired'));
-- From a period on another rate set than the scenario's first one.
CREATE TABLE scenario_rates (
	member_id integer NOT NULL REFERENCES scenario ON DELETE CASCADE,
	from_period integer NOT NULL REFERENCES period,
	rate_set_id integer NOT NULL REFERENCES rate_set,
	PRIMARY KEY (member_id, from_period)
);

CREATE TABLE attribute (
	id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
	dimension_id integer NOT NULL REFERENCES dimension,
	name text NOT NULL,
	type text NOT NULL CHECK (type IN ('text', 'number', 'yes/no', 'choice', 'date', 'person', 'currency')),
	choices text[] NOT NULL DEFAULT '{}',
	UNIQUE (dimension_id, name)
);
CREATE TABLE attribute_value (
	attribute_id integer NOT NULL REFERENCES attribute ON DELETE CASCADE,
	member_id integer NOT NULL REFERENCES member ON DELETE CASCADE,
	value jsonb NOT NULL,
	PRIMARY KEY (attribute_id, member_id)
);
CREATE INDEX attribute_value_member ON attribute_value (member_id);

CREATE TABLE variable (
	id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
	model_id integer NOT NULL REFERENCES model ON DELETE CASCADE,
	name text NOT NULL,
	member_id integer REFERENCES member,
	number double precision,
	UNIQUE (model_id, name),
	CHECK (num_nonnulls(member_id, number) <= 1)
);

-- One act on definitions, and each object it changed. What was is kept whole, so that it can be taken back.
CREATE TABLE structure_change (
	id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
	at timestamptz NOT NULL DEFAULT now(),
	person_id integer REFERENCES person,
	model_id integer REFERENCES model ON DELETE CASCADE,
	dimension_id integer REFERENCES dimension,
	words text NOT NULL,
	-- The change that took this one back.
	undone_by bigint REFERENCES structure_change
);
CREATE INDEX structure_change_dimension ON structure_change (dimension_id, id);
CREATE TABLE structure_change_object (
	change_id bigint NOT NULL REFERENCES structure_change ON DELETE CASCADE,
	kind text NOT NULL CHECK (kind IN ('model', 'dimension', 'member', 'attribute', 'variable', 'calendar', 'rate set', 'hierarchy')),
	object_id integer NOT NULL,
	name text NOT NULL,
	before jsonb,
	after jsonb
);
CREATE INDEX structure_change_object_change ON structure_change_object (change_id);
CREATE INDEX structure_change_object_of ON structure_change_object (kind, object_id, change_id);

-- Codes may be swapped in one statement; places between two siblings need no renumbering.
ALTER TABLE member DROP CONSTRAINT member_dimension_id_code_key;
ALTER TABLE member ADD CONSTRAINT member_dimension_id_code_key UNIQUE (dimension_id, code) DEFERRABLE INITIALLY IMMEDIATE;
ALTER TABLE hierarchy_node ALTER COLUMN position TYPE double precision;

-- Numbers that move from one member to another with the structure are change sets too.
ALTER TABLE change_set DROP CONSTRAINT change_set_kind_check;
ALTER TABLE change_set ADD CONSTRAINT change_set_kind_check CHECK (kind IN ('save', 'load', 'structure'));

-- What names a member, found without reading whole tables: deleting 20,000 of them took 17 s without.
CREATE INDEX hierarchy_node_member ON hierarchy_node (member_id);
CREATE INDEX map_line_member ON map_line (member_id);
CREATE INDEX import_rule_member ON import_rule (member_id);
CREATE INDEX access_grant_member_member ON access_grant_member (member_id);
CREATE INDEX access_lock_member_member ON access_lock_member (member_id);
CREATE INDEX variable_member ON variable (member_id);
CREATE INDEX account_weighed_by ON account (weighed_by);
