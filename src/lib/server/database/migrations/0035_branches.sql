-- Branches: what somebody plays through without touching the plan.
CREATE TABLE branch (
	id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
	model_id integer NOT NULL REFERENCES model ON DELETE CASCADE,
	name text NOT NULL,
	purpose text NOT NULL DEFAULT '',
	state text NOT NULL DEFAULT 'open' CHECK (state IN ('open', 'frozen', 'merged', 'dropped')),
	due date,
	-- What everybody in the model may do in it beside those who are named.
	everybody text NOT NULL DEFAULT 'nothing' CHECK (everybody IN ('nothing', 'read', 'work')),
	made_by integer REFERENCES person,
	made_at timestamptz NOT NULL DEFAULT now(),
	-- The branch it was copied from, by name: it may be gone.
	copied_from text NOT NULL DEFAULT '',
	dropped_at timestamptz,
	-- The change set that took all of it into the plan.
	merged_revision bigint,
	-- Counts every change of a figure in it.
	version integer NOT NULL DEFAULT 0
);
CREATE UNIQUE INDEX branch_name ON branch (model_id, lower(name)) WHERE state <> 'dropped';

CREATE TABLE branch_person (
	branch_id integer NOT NULL REFERENCES branch ON DELETE CASCADE,
	person_id integer NOT NULL REFERENCES person ON DELETE CASCADE,
	may text NOT NULL CHECK (may IN ('read', 'work')),
	PRIMARY KEY (branch_id, person_id)
);

-- What a branch holds of an origin at an address in a fiscal year; all else reads through to the plan.
CREATE TABLE branch_series (
	branch_id integer NOT NULL REFERENCES branch ON DELETE CASCADE,
	origin_id integer NOT NULL REFERENCES origin ON DELETE CASCADE,
	fiscal_year smallint NOT NULL,
	address integer[] NOT NULL,
	-- By place in the year: null as in the plan, infinity nothing, minus infinity taken away.
	amounts double precision[] NOT NULL,
	-- With which version of the branch each was written, and what the plan showed then (NaN nothing).
	versions integer[] NOT NULL,
	seen double precision[] NOT NULL,
	-- The latest of the versions, puttings back among them: what an engine has not taken in yet.
	version integer NOT NULL,
	PRIMARY KEY (branch_id, origin_id, fiscal_year, address)
);
CREATE INDEX branch_series_version ON branch_series (branch_id, version);

-- Who changed a branch, when, and through what.
CREATE TABLE branch_change (
	branch_id integer NOT NULL REFERENCES branch ON DELETE CASCADE,
	version integer NOT NULL,
	person_id integer REFERENCES person,
	acting_id integer REFERENCES person,
	at timestamptz NOT NULL DEFAULT now(),
	words text NOT NULL,
	cells integer NOT NULL,
	PRIMARY KEY (branch_id, version)
);

CREATE TABLE branch_comment (
	id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
	branch_id integer NOT NULL REFERENCES branch ON DELETE CASCADE,
	person_id integer REFERENCES person,
	at timestamptz NOT NULL DEFAULT now(),
	text text NOT NULL
);

-- Everybody has a draft of the plan, and one in each branch they work in.
ALTER TABLE draft ADD COLUMN branch_id integer REFERENCES branch ON DELETE CASCADE;
ALTER TABLE draft DROP CONSTRAINT draft_person_id_model_id_key;
CREATE UNIQUE INDEX draft_whose ON draft (person_id, model_id, coalesce(branch_id, 0));

INSERT INTO role_permission (role_id, permission)
	SELECT DISTINCT role_id, 'branch.write' FROM role_permission WHERE permission IN ('form.enter', 'rule.run') ON CONFLICT DO NOTHING;
INSERT INTO role_permission (role_id, permission)
	SELECT id, 'branch.merge' FROM role WHERE code IN ('administrator', 'controller') ON CONFLICT DO NOTHING;
