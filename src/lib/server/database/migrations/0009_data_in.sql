-- Data in as jobs: files that are kept, maps people edit, batches that can be looked into, repaired and taken back.
ALTER TABLE role_permission DROP CONSTRAINT role_permission_permission_check;
ALTER TABLE role_permission ADD CONSTRAINT role_permission_permission_check
	CHECK (permission IN ('structure.read', 'structure.write', 'data.read', 'data.load', 'data.write', 'form.read', 'form.enter'));
INSERT INTO role_permission (role_id, permission) SELECT role_id, 'data.write' FROM role_permission WHERE permission = 'data.load';

-- A change set has a number before it has a revision: everything it writes is prepared under the number, and only the
-- giving of the revision needs the model's lock.
CREATE SEQUENCE change_set_number;
ALTER TABLE change_set ADD COLUMN number bigint;
UPDATE change_set SET number = revision;
ALTER TABLE change_set ALTER COLUMN number SET NOT NULL;
ALTER TABLE change_set ADD CONSTRAINT change_set_number_key UNIQUE (model_id, number);
SELECT setval('change_set_number', coalesce((SELECT max(number) FROM change_set), 0) + 1);
-- Origins a packed change set wrote; null for older ones.
ALTER TABLE change_set ADD COLUMN origins integer[];
ALTER TABLE change_set DROP CONSTRAINT change_set_kind_check;
ALTER TABLE change_set ADD CONSTRAINT change_set_kind_check CHECK (kind IN ('save', 'load', 'structure', 'take back'));

ALTER TABLE block_change DROP CONSTRAINT block_change_model_id_revision_fkey;
ALTER TABLE block_change RENAME COLUMN revision TO change_set;
ALTER TABLE block_change ADD CONSTRAINT block_change_change_set_fkey
	FOREIGN KEY (model_id, change_set) REFERENCES change_set (model_id, number) ON DELETE CASCADE DEFERRABLE INITIALLY DEFERRED;
DO $$
DECLARE cells text;
BEGIN
	FOR cells IN SELECT format('cells_%s', id) FROM model LOOP
		EXECUTE format('ALTER TABLE %I RENAME COLUMN revision TO change_set', cells);
	END LOOP;
END $$;

-- Texts that accounts hold: cells keep their place.
CREATE TABLE text_value (
	id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
	value text NOT NULL UNIQUE
);

-- Databases of other systems that queries may read; the address is never shown again.
CREATE TABLE connection (
	id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
	name text NOT NULL UNIQUE,
	address text NOT NULL
);

-- How a file is written, where amounts stand, how it loads: see the schema in src/lib/server/import/recipe.ts.
UPDATE import SET source = (source - 'amountColumn') || jsonb_build_object('amountColumns', jsonb_build_array(source -> 'amountColumn'));
-- Counts the changes of an import and its maps.
ALTER TABLE import ADD COLUMN version bigint NOT NULL DEFAULT 0;
ALTER TABLE import_rule DROP CONSTRAINT import_rule_check;
ALTER TABLE import_rule DROP CONSTRAINT import_rule_come_from_check;
ALTER TABLE import_rule ADD COLUMN source_columns text[] NOT NULL DEFAULT '{}';
UPDATE import_rule SET source_columns = ARRAY[source_column] WHERE source_column IS NOT NULL;
ALTER TABLE import_rule DROP COLUMN source_column;
ALTER TABLE import_rule ADD COLUMN separator text NOT NULL DEFAULT '';
ALTER TABLE import_rule ADD COLUMN label_column text;
ALTER TABLE import_rule ADD COLUMN variable text;
ALTER TABLE import_rule ADD CONSTRAINT import_rule_come_from_check
	CHECK (come_from IN ('column', 'fixed', 'date', 'variable', 'chosen', 'headings'));
ALTER TABLE import_rule ADD CONSTRAINT import_rule_check CHECK (CASE come_from
	WHEN 'column' THEN cardinality(source_columns) >= 1 AND map_id IS NOT NULL
	WHEN 'fixed' THEN member_id IS NOT NULL
	WHEN 'date' THEN cardinality(source_columns) = 1 AND date_format IS NOT NULL
	WHEN 'headings' THEN date_format IS NOT NULL
	WHEN 'variable' THEN variable IS NOT NULL
	ELSE true END);
ALTER TABLE map_line DROP CONSTRAINT map_line_map_id_position_key;
ALTER TABLE map_line ADD CONSTRAINT map_line_map_id_position_key UNIQUE (map_id, position) DEFERRABLE INITIALLY IMMEDIATE;
ALTER TABLE map_line ALTER COLUMN position TYPE double precision;

ALTER TABLE structure_change_object DROP CONSTRAINT structure_change_object_kind_check;
ALTER TABLE structure_change_object ADD CONSTRAINT structure_change_object_kind_check
	CHECK (kind IN ('model', 'dimension', 'member', 'attribute', 'variable', 'calendar', 'rate set', 'hierarchy', 'import', 'map'));

-- Work that outlives its request. Who carries it out is told by the queue; this is what people see of it.
CREATE TABLE job (
	id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
	model_id integer NOT NULL REFERENCES model ON DELETE CASCADE,
	person_id integer REFERENCES person,
	kind text NOT NULL,
	title text NOT NULL,
	payload jsonb NOT NULL,
	state text NOT NULL DEFAULT 'waiting' CHECK (state IN ('waiting', 'running', 'done', 'failed', 'cancelled')),
	done double precision NOT NULL DEFAULT 0,
	of double precision,
	words text NOT NULL DEFAULT '',
	result jsonb,
	cancel_asked boolean NOT NULL DEFAULT false,
	made_at timestamptz NOT NULL DEFAULT now(),
	-- Renewed while it runs; one that has stopped being renewed has died with its server.
	seen_at timestamptz,
	ended_at timestamptz
);
CREATE INDEX job_model ON job (model_id, id DESC);

-- Files as they came, compressed, in parts; sheets of a workbook beside them as rows.
CREATE TABLE source_file (
	id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
	model_id integer NOT NULL REFERENCES model ON DELETE CASCADE,
	import_id integer REFERENCES import ON DELETE CASCADE,
	person_id integer REFERENCES person,
	at timestamptz NOT NULL DEFAULT now(),
	name text NOT NULL,
	format text NOT NULL CHECK (format IN ('text', 'workbook')),
	bytes bigint NOT NULL DEFAULT 0,
	hash bytea,
	sheets text[] NOT NULL DEFAULT '{}',
	-- False while it is coming in; one that never became true is swept away.
	complete boolean NOT NULL DEFAULT false
);
CREATE INDEX source_file_import ON source_file (import_id, id DESC);
CREATE TABLE source_file_part (
	file_id integer NOT NULL REFERENCES source_file ON DELETE CASCADE,
	-- 0: the file itself; 1 and on: its sheets as rows.
	sheet smallint NOT NULL,
	part integer NOT NULL,
	packed bytea NOT NULL,
	PRIMARY KEY (file_id, sheet, part)
);
ALTER TABLE source_file_part ALTER COLUMN packed SET STORAGE EXTERNAL;

ALTER TABLE batch ADD COLUMN file_id integer REFERENCES source_file;
ALTER TABLE batch ADD COLUMN job_id integer REFERENCES job ON DELETE SET NULL;
ALTER TABLE batch ADD COLUMN state text NOT NULL DEFAULT 'loaded'
	CHECK (state IN ('running', 'loaded', 'stopped', 'failed', 'cancelled', 'taken back'));
ALTER TABLE batch ADD COLUMN message text NOT NULL DEFAULT '';
ALTER TABLE batch ADD COLUMN way text NOT NULL DEFAULT 'replace' CHECK (way IN ('replace', 'add'));
-- The batch whose rejected rows this one loaded.
ALTER TABLE batch ADD COLUMN rejects_of integer REFERENCES batch;
-- The recipe and its maps as they stood, and the members chosen at load.
ALTER TABLE batch ADD COLUMN recipe jsonb;
ALTER TABLE batch ADD COLUMN chosen jsonb NOT NULL DEFAULT '{}';
-- Member ids by dimension: what it replaced.
ALTER TABLE batch ADD COLUMN extent_members jsonb NOT NULL DEFAULT '{}';
ALTER TABLE batch ADD COLUMN cells integer NOT NULL DEFAULT 0;
-- Lines of the rejected rows, packed.
ALTER TABLE batch ADD COLUMN rejected_lines bytea;
ALTER TABLE batch ADD COLUMN taken_back_at timestamptz;
ALTER TABLE batch ADD COLUMN taken_back_by integer REFERENCES person;

-- Rejected rows by reason, all of them; "reject" keeps the first rows in full.
CREATE TABLE reject_reason (
	batch_id integer NOT NULL REFERENCES batch ON DELETE CASCADE,
	code text NOT NULL,
	dimension_id integer REFERENCES dimension,
	source_column text NOT NULL,
	value text NOT NULL,
	message text NOT NULL,
	label text NOT NULL DEFAULT '',
	rows integer NOT NULL,
	amount double precision NOT NULL,
	lines integer[] NOT NULL
);
CREATE INDEX reject_reason_batch ON reject_reason (batch_id, rows DESC);
INSERT INTO reject_reason (batch_id, code, source_column, value, message, rows, amount, lines)
	SELECT batch_id, code, source_column, value, message, count(*), 0, (array_agg(file_line ORDER BY file_line))[1:8]
	FROM reject GROUP BY batch_id, code, source_column, value, message;

-- Which row became which cell: addresses of a batch, and per run of rows their lines, addresses, periods and amounts.
CREATE TABLE batch_series (
	batch_id integer NOT NULL REFERENCES batch ON DELETE CASCADE,
	block smallint NOT NULL,
	year smallint NOT NULL,
	series integer NOT NULL,
	packed bytea NOT NULL,
	PRIMARY KEY (batch_id, block)
);
CREATE TABLE batch_rows (
	batch_id integer NOT NULL REFERENCES batch ON DELETE CASCADE,
	part integer NOT NULL,
	first_line integer NOT NULL,
	last_line integer NOT NULL,
	-- Where in the file (bytes, after decompression) these rows stand.
	file_from bigint NOT NULL,
	file_to bigint NOT NULL,
	next_line integer NOT NULL,
	entries integer NOT NULL,
	packed bytea NOT NULL,
	PRIMARY KEY (batch_id, part)
);
ALTER TABLE batch_series ALTER COLUMN packed SET STORAGE EXTERNAL;
ALTER TABLE batch_rows ALTER COLUMN packed SET STORAGE EXTERNAL;

CREATE TABLE import_schedule (
	import_id integer PRIMARY KEY REFERENCES import ON DELETE CASCADE,
	cron text NOT NULL,
	time_zone text NOT NULL DEFAULT 'UTC',
	active boolean NOT NULL DEFAULT true,
	-- Moments up to this one have been looked at.
	looked_at timestamptz NOT NULL DEFAULT now(),
	-- Whose rights the loads run under.
	person_id integer NOT NULL REFERENCES person
);
