-- Runbooks: steps people run, what each run did, and the origins their results stand under.
ALTER TABLE role_permission DROP CONSTRAINT role_permission_permission_check;
ALTER TABLE role_permission ADD CONSTRAINT role_permission_permission_check CHECK (permission IN
	('structure.read', 'structure.write', 'data.read', 'data.load', 'data.write', 'form.read', 'form.enter', 'form.design',
	'rule.read', 'rule.write', 'rule.run'));
INSERT INTO role_permission (role_id, permission)
	SELECT held.role_id, given.permission FROM role_permission held CROSS JOIN (VALUES ('rule.read'), ('rule.write'), ('rule.run')) AS given (permission)
	WHERE held.permission = 'form.design' ON CONFLICT DO NOTHING;
INSERT INTO role_permission (role_id, permission)
	SELECT role_id, 'rule.run' FROM role_permission WHERE permission = 'form.enter' ON CONFLICT DO NOTHING;

CREATE TABLE runbook (
	id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
	model_id integer NOT NULL REFERENCES model ON DELETE CASCADE,
	name text NOT NULL,
	description text NOT NULL DEFAULT '',
	-- What a run asks for: see the schema in src/lib/server/runbook/schema.ts.
	parameters jsonb NOT NULL DEFAULT '[]',
	-- Cells that may not be written are left out and listed, or end the run.
	on_refused text NOT NULL DEFAULT 'skip' CHECK (on_refused IN ('skip', 'stop')),
	-- Through whose rights it writes; nobody named: whoever runs it.
	runs_as integer REFERENCES person,
	version integer NOT NULL DEFAULT 1,
	changed_at timestamptz NOT NULL DEFAULT now(),
	UNIQUE (model_id, name)
);
-- Results are known by the step: its id stays the same while it is changed or moved.
CREATE SEQUENCE runbook_step_number;
CREATE TABLE runbook_step (
	id integer PRIMARY KEY DEFAULT nextval('runbook_step_number'),
	runbook_id integer NOT NULL REFERENCES runbook ON DELETE CASCADE,
	position integer NOT NULL,
	kind text NOT NULL CHECK (kind IN ('copy', 'formula', 'roll-forward', 'clear')),
	name text NOT NULL,
	description text NOT NULL DEFAULT '',
	active boolean NOT NULL DEFAULT true,
	limits jsonb NOT NULL DEFAULT '{}',
	definition jsonb NOT NULL,
	UNIQUE (runbook_id, position) DEFERRABLE INITIALLY IMMEDIATE
);

-- What a step wrote for some answers stands under an origin of its own, also when the step is gone.
ALTER TABLE origin ADD COLUMN runbook_id integer REFERENCES runbook ON DELETE SET NULL;
ALTER TABLE origin ADD COLUMN step_id integer;
ALTER TABLE origin ADD COLUMN answers text;
CREATE UNIQUE INDEX origin_step ON origin (step_id, answers) WHERE step_id IS NOT NULL;
CREATE INDEX origin_runbook ON origin (runbook_id, answers) WHERE runbook_id IS NOT NULL;

ALTER TABLE change_set DROP CONSTRAINT change_set_kind_check;
ALTER TABLE change_set ADD CONSTRAINT change_set_kind_check CHECK (kind IN ('save', 'load', 'structure', 'take back', 'run'));

CREATE TABLE run (
	id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
	model_id integer NOT NULL REFERENCES model ON DELETE CASCADE,
	runbook_id integer REFERENCES runbook ON DELETE SET NULL,
	name text NOT NULL,
	person_id integer REFERENCES person,
	at timestamptz NOT NULL DEFAULT now(),
	state text NOT NULL CHECK (state IN ('waiting', 'done', 'failed', 'taken back')),
	answers jsonb NOT NULL,
	-- The definition as it stood, with the names of then.
	definition jsonb NOT NULL,
	log jsonb NOT NULL DEFAULT '[]',
	totals jsonb NOT NULL DEFAULT '[]',
	cells integer NOT NULL DEFAULT 0,
	words text NOT NULL DEFAULT '',
	-- The revision it was computed at, and the one it was posted as; none when it changed nothing.
	read_revision bigint,
	revision bigint,
	-- Something it may have been computed from was taken back or changed since.
	out_of_date boolean NOT NULL DEFAULT false
);
CREATE INDEX run_runbook ON run (runbook_id, id DESC);
CREATE INDEX run_model ON run (model_id, id DESC);
ALTER TABLE structure_change_object DROP CONSTRAINT structure_change_object_kind_check;
ALTER TABLE structure_change_object ADD CONSTRAINT structure_change_object_kind_check
	CHECK (kind IN ('model', 'dimension', 'member', 'attribute', 'variable', 'calendar', 'rate set', 'hierarchy', 'import', 'map', 'runbook'));
-- Answers a person gave last, to begin with the next time.
CREATE TABLE runbook_answer (
	runbook_id integer NOT NULL REFERENCES runbook ON DELETE CASCADE,
	person_id integer NOT NULL REFERENCES person ON DELETE CASCADE,
	answers jsonb NOT NULL,
	PRIMARY KEY (runbook_id, person_id)
);
