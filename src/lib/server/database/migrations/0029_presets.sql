-- Settings of allocations that are kept in one place for many steps. What a step takes from there is written into it too.
CREATE TABLE allocation_preset (
	id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
	model_id integer NOT NULL REFERENCES model ON DELETE CASCADE,
	name text NOT NULL,
	settings jsonb NOT NULL,
	version integer NOT NULL DEFAULT 1,
	UNIQUE (model_id, name)
);

ALTER TABLE structure_change_object DROP CONSTRAINT structure_change_object_kind_check;
ALTER TABLE structure_change_object ADD CONSTRAINT structure_change_object_kind_check
	CHECK (kind IN ('model', 'dimension', 'member', 'attribute', 'variable', 'calendar', 'rate set', 'hierarchy', 'import', 'map', 'runbook',
		'form', 'formula', 'lock', 'preset'));
