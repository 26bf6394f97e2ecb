-- The newest of loads and results stands (docs/rules.md). Results no longer add themselves to what was loaded or computed
-- before, so a figure may become another one by this; those that do are listed once for the administrator.
ALTER TABLE origin DROP CONSTRAINT origin_mode_check;
ALTER TABLE origin ADD COLUMN new_mode text;
UPDATE origin o SET new_mode = CASE
	WHEN o.mode = 'entry' THEN 'entry'
	WHEN o.step_id IS NOT NULL AND o.mode = 'proposes' THEN 'sets'
	WHEN EXISTS (SELECT FROM runbook_step s WHERE s.id = o.step_id AND s.kind = 'roll-forward') THEN 'sets'
	WHEN o.mode = 'adds' THEN 'adds'
	ELSE 'loads' END;
-- Of each origin of results: the origins whose results its last run read.
ALTER TABLE origin ADD COLUMN reads integer[] NOT NULL DEFAULT '{}';
-- Cells at which a batch set a result aside.
ALTER TABLE batch ADD COLUMN sets_aside integer NOT NULL DEFAULT 0;
ALTER TABLE account ADD COLUMN entries_adjust boolean NOT NULL DEFAULT false;

CREATE TABLE figure_moved (
	model_id integer NOT NULL REFERENCES model ON DELETE CASCADE,
	address integer[] NOT NULL,
	fiscal_year integer NOT NULL,
	place integer NOT NULL,
	before double precision,
	after double precision
);
CREATE INDEX figure_moved_model ON figure_moved (model_id);

DO $$
DECLARE
	m record;
	columns text;
	account_column text;
	view_text text;
BEGIN
	FOR m IN SELECT id FROM model LOOP
		IF to_regclass('cells_' || m.id) IS NULL THEN CONTINUE; END IF;
		SELECT string_agg('c.d' || d.id, ', ' ORDER BY md.position), max('c.d' || d.id) FILTER (WHERE d.kind = 'account')
			INTO columns, account_column
			FROM model_dimension md JOIN dimension d ON d.id = md.dimension_id WHERE md.model_id = m.id AND d.kind <> 'period';
		EXECUTE format('ALTER TABLE cells_%s ADD COLUMN stamps double precision[]', m.id);
		EXECUTE format($q$
			INSERT INTO figure_moved (model_id, address, fiscal_year, place, before, after)
			SELECT %1$s, address, fiscal_year, place, was, nullif(becomes, 0) FROM (
				SELECT ARRAY[%2$s] AS address, c.fiscal_year, a.place,
					CASE WHEN count(*) FILTER (WHERE o.mode IN ('entry', 'proposes')) = 0 THEN sum(a.amount) FILTER (WHERE o.mode = 'adds')
						ELSE coalesce(max(a.amount) FILTER (WHERE o.mode = 'entry'), sum(a.amount) FILTER (WHERE o.mode = 'proposes'))
							+ coalesce(sum(a.amount) FILTER (WHERE o.mode = 'adds'), 0) END AS was,
					CASE WHEN count(*) FILTER (WHERE o.new_mode <> 'adds') = 0 THEN sum(a.amount) FILTER (WHERE o.new_mode = 'adds')
						ELSE coalesce(
							max(a.amount) FILTER (WHERE o.new_mode = 'entry'),
							CASE WHEN coalesce(max(s.revision) FILTER (WHERE o.new_mode = 'sets'), -1) >= coalesce(max(s.revision) FILTER (WHERE o.new_mode = 'loads'), -1)
								THEN (array_agg(a.amount ORDER BY s.revision DESC NULLS LAST, r.position DESC NULLS LAST) FILTER (WHERE o.new_mode = 'sets'))[1]
								ELSE sum(a.amount) FILTER (WHERE o.new_mode = 'loads') END)
							+ coalesce(sum(a.amount) FILTER (WHERE o.new_mode = 'adds'), 0) END AS becomes
				FROM cells_%1$s c
				JOIN origin o ON o.id = c.origin_id
				LEFT JOIN change_set s ON s.model_id = %1$s AND s.number = c.change_set
				LEFT JOIN runbook_step r ON r.id = o.step_id
				JOIN account k ON k.member_id = %3$s AND k.value_type IN ('money', 'quantity')
				CROSS JOIN LATERAL unnest(c.amounts) WITH ORDINALITY a (amount, place)
				WHERE a.amount IS NOT NULL
				GROUP BY %2$s, c.fiscal_year, a.place
				HAVING count(*) > 1 AND bool_or(o.new_mode = 'sets')) moved
			WHERE was IS DISTINCT FROM nullif(becomes, 0)
		$q$, m.id, columns, account_column);
		SELECT pg_get_viewdef(('report_cells_' || m.id)::regclass) INTO view_text;
		EXECUTE format('CREATE OR REPLACE VIEW report_cells_%s AS %s', m.id,
			replace(rtrim(view_text, E'; \n'), '(a.amount IS NOT NULL)', $w$(a.amount < 'Infinity'::double precision)$w$));
	END LOOP;
END $$;

UPDATE origin SET mode = new_mode;
ALTER TABLE origin DROP COLUMN new_mode;
ALTER TABLE origin ADD CONSTRAINT origin_mode_check CHECK (mode IN ('entry', 'loads', 'sets', 'adds'));

-- Results are known by the members they were for; a number, percent or text that was answered tells them apart no more.
-- Of several runs that differed in nothing else, the last one keeps the plain name; the others give way to the next run.
WITH named AS (
	SELECT o.id, o.step_id,
		'[' || coalesce(string_agg('[' || to_json(answer ->> 0)::text || ',' ||
			CASE jsonb_typeof(answer -> 1) WHEN 'array' THEN replace((answer -> 1)::text, ' ', '') ELSE '[' || (answer -> 1)::text || ']' END || ']',
			',' ORDER BY (answer ->> 0) COLLATE "C") FILTER (WHERE p.kind IN ('member', 'members') AND jsonb_typeof(answer -> 1) <> 'null'), '') || ']' AS answers,
		coalesce((SELECT max(s.revision) FROM change_set s WHERE s.model_id = o.model_id AND o.id = ANY (s.origins)), 0) AS written
	FROM origin o
	LEFT JOIN runbook b ON b.id = o.runbook_id
	LEFT JOIN LATERAL jsonb_array_elements(o.answers::jsonb) answer ON true
	LEFT JOIN LATERAL (SELECT each ->> 'kind' AS kind FROM jsonb_array_elements(b.parameters) each WHERE each ->> 'name' = answer ->> 0) p ON true
	WHERE o.step_id IS NOT NULL
	GROUP BY o.id
), ranked AS (
	SELECT *, row_number() OVER (PARTITION BY step_id, answers ORDER BY written DESC, id DESC) AS rank FROM named
)
UPDATE origin o SET answers = CASE WHEN rank = 1 THEN ranked.answers
	ELSE left(ranked.answers, length(ranked.answers) - 1) || CASE WHEN ranked.answers = '[]' THEN '' ELSE ',' END || '["~",' || o.id || ']]' END
FROM ranked WHERE ranked.id = o.id;
UPDATE model SET structure_version = structure_version + 1;
