-- Views and boards come with packages, and the journal tells of them.
ALTER TABLE structure_change_object DROP CONSTRAINT structure_change_object_kind_check;
ALTER TABLE structure_change_object ADD CONSTRAINT structure_change_object_kind_check
	CHECK (kind IN ('model', 'dimension', 'member', 'attribute', 'variable', 'calendar', 'rate set', 'hierarchy', 'import', 'map', 'runbook',
		'form', 'formula', 'lock', 'preset', 'view', 'board'));
