import { cellBlocks, membersIn, print, readsOf, type Expression } from '../../core';
import { pool } from '../database';
import { requirePermission, type SignedIn } from '../session';
import { formsOf } from '../definition/forms';
import { membersNamed } from '../definition/layout-members';

/** Something in the picture of what feeds what. */
export interface WiringNode {
	id: string;
	kind: 'import' | 'dimension' | 'formula' | 'runbook' | 'form' | 'rates';
	name: string;
	note: string;
	/** What is unfinished or failing, in a sentence. */
	trouble: string | null;
	path: string;
}

export interface Wiring {
	nodes: WiringNode[];
	edges: { from: string; to: string }[];
}

const FORMULAS_DRAWN_APART = 12;

/** How imports, dimensions, rates, formulas, runbooks and forms feed each other, with what is unfinished or failing. */
export async function readWiring(person: SignedIn | undefined, modelId: number): Promise<Wiring> {
	requirePermission(person, 'structure.read');
	const nodes: WiringNode[] = [];
	const edges: Wiring['edges'] = [];
	const dimensions = await pool().query<{ id: number; code: string; name: string; kind: string; members: number }>(
		`SELECT d.id, d.code, d.name, d.kind, (SELECT count(*)::integer FROM member m WHERE m.dimension_id = d.id) AS members
		FROM model_dimension md JOIN dimension d ON d.id = md.dimension_id WHERE md.model_id = $1 ORDER BY md.position`,
		[modelId]
	);
	const account = dimensions.rows.find(({ kind }) => kind === 'account');
	const withoutCurrency = await pool().query<{ count: number }>(
		`SELECT count(*)::integer AS count FROM model_dimension md JOIN dimension d ON d.id = md.dimension_id AND d.kind = 'entity'
		JOIN member m ON m.dimension_id = d.id LEFT JOIN entity e ON e.member_id = m.id
		WHERE md.model_id = $1 AND e.member_id IS NULL AND NOT EXISTS (SELECT FROM hierarchy_node n WHERE n.parent_id = m.id)`,
		[modelId]
	);
	const withoutFacts = await pool().query<{ count: number }>(
		`SELECT count(*)::integer AS count FROM member m LEFT JOIN account a ON a.member_id = m.id
		WHERE m.dimension_id = $1 AND a.member_id IS NULL AND NOT EXISTS (SELECT FROM hierarchy_node n WHERE n.parent_id = m.id)`,
		[account?.id ?? 0]
	);
	for (const { id, code, name, kind, members } of dimensions.rows) {
		const lacking =
			kind === 'entity' && withoutCurrency.rows[0]!.count > 0
				? `${withoutCurrency.rows[0]!.count} without a currency`
				: kind === 'account' && withoutFacts.rows[0]!.count > 0
					? `${withoutFacts.rows[0]!.count} accounts without a kind hold no numbers`
					: members === 0
						? 'no members yet'
						: null;
		nodes.push({
			id: `dimension ${id}`,
			kind: 'dimension',
			name,
			note: `${members} ${members === 1 ? 'member' : 'members'}`,
			trouble: lacking,
			path: kind === 'period' ? '/structure/calendar' : `/structure/dimension/${code}`
		});
	}
	await addRates(modelId, nodes, edges, dimensions.rows.find(({ kind }) => kind === 'scenario')?.id);
	await addImports(modelId, nodes, edges);
	await addFormulas(modelId, nodes, edges, account);
	await addRunbooks(modelId, nodes, edges, account);
	for (const form of await formsOf(pool(), modelId, 'made')) {
		const known = await pool().query<{ id: number; dimension: number }>(
			'SELECT id, dimension_id AS dimension FROM member WHERE id = ANY ($1::integer[])',
			[[...membersNamed(form.layout)]]
		);
		const gone = membersNamed(form.layout).size - known.rows.length;
		const placed = new Set([
			...cellBlocks(form.layout).flatMap(({ parts }) => parts.map(({ dimension }) => dimension)),
			...form.layout.selectors.map(({ dimension }) => dimension),
			...form.layout.pinned.map(({ dimension }) => dimension)
		]);
		const missing = dimensions.rows.find(({ id }) => !placed.has(id));
		nodes.push({
			id: `form ${form.id}`,
			kind: 'form',
			name: form.name,
			note: 'form',
			trouble: missing ? `${missing.name} is not placed` : gone > 0 ? `names ${gone} members that are gone` : null,
			path: `/forms/${form.code}`
		});
		const onRows = new Set(
			cellBlocks({ rows: form.layout.rows, columns: [] }).flatMap(({ parts }) => parts.map(({ dimension }) => dimension))
		);
		for (const dimension of onRows) edges.push({ from: `dimension ${dimension}`, to: `form ${form.id}` });
		for (const { id } of nodes.filter(({ kind }) => kind === 'formula')) edges.push({ from: id, to: `form ${form.id}` });
		for (const { runbook } of form.layout.runs ?? []) edges.push({ from: `runbook ${runbook}`, to: `form ${form.id}` });
	}
	const ids = new Set(nodes.map(({ id }) => id));
	return { nodes, edges: edges.filter(({ from, to }) => ids.has(from) && ids.has(to)) };
}

async function addRates(modelId: number, nodes: WiringNode[], edges: Wiring['edges'], scenario: number | undefined): Promise<void> {
	const found = await pool().query<{ id: number; name: string; rates: number; needed: boolean }>(
		`SELECT r.id, r.name, (SELECT count(*)::integer FROM rate WHERE rate_set_id = r.id) AS rates,
			(SELECT count(*) > 1 FROM model_currency WHERE model_id = $1) AS needed
		FROM rate_set r WHERE EXISTS (SELECT FROM scenario s JOIN member m ON m.id = s.member_id JOIN model_dimension md ON md.dimension_id = m.dimension_id
			WHERE md.model_id = $1 AND s.rate_set_id = r.id) ORDER BY r.id`,
		[modelId]
	);
	for (const { id, name, rates, needed } of found.rows) {
		if (!needed && rates === 0) continue;
		nodes.push({
			id: `rates ${id}`,
			kind: 'rates',
			name,
			note: `${rates} rates`,
			trouble: needed && rates === 0 ? 'no rates yet' : null,
			path: '/structure/currencies'
		});
		edges.push({ from: `rates ${id}`, to: `dimension ${scenario}` });
	}
}

async function addImports(modelId: number, nodes: WiringNode[], edges: Wiring['edges']): Promise<void> {
	const imports = await pool().query<{
		id: number;
		code: string;
		name: string;
		loaded: boolean;
		rejected: number | null;
		dimensions: number[];
	}>(
		`SELECT i.id, i.code, i.name, last.id IS NOT NULL AS loaded, last.rows_rejected AS rejected,
			coalesce((SELECT array_agg(dimension_id) FROM import_rule r WHERE r.import_id = i.id AND r.come_from <> 'fixed'), '{}') AS dimensions
		FROM import i LEFT JOIN LATERAL (SELECT id, rows_rejected FROM batch b WHERE b.import_id = i.id AND b.branch_id IS NULL ORDER BY id DESC LIMIT 1) last ON true
		WHERE i.model_id = $1 ORDER BY i.id`,
		[modelId]
	);
	for (const { id, code, name, loaded, rejected, dimensions } of imports.rows) {
		nodes.push({
			id: `import ${id}`,
			kind: 'import',
			name,
			note: 'import',
			trouble: !loaded ? 'nothing loaded yet' : rejected ? `${rejected} rows rejected in the last batch` : null,
			path: `/data-in/${code}`
		});
		for (const dimension of dimensions) edges.push({ from: `import ${id}`, to: `dimension ${dimension}` });
	}
}

/** Few formulas are drawn one by one, many as one box. */
async function addFormulas(
	modelId: number,
	nodes: WiringNode[],
	edges: Wiring['edges'],
	account: { id: number; code: string } | undefined
): Promise<void> {
	const formulas = await pool().query<{ account: number; name: string; expression: Expression }>(
		'SELECT f.account_id AS account, m.name, f.expression FROM formula f JOIN member m ON m.id = f.account_id WHERE f.model_id = $1 ORDER BY m.id',
		[modelId]
	);
	if (formulas.rows.length === 0 || !account) return;
	const named = [...new Set(formulas.rows.flatMap(({ expression }) => [...membersIn(expression)]))];
	const list = async (text: string, values: unknown[]) =>
		new Map((await pool().query<{ id: number; name: string }>(text, values)).rows.map(({ id, name }) => [id, name]));
	const names = await list('SELECT id, name FROM member WHERE id = ANY ($1::integer[])', [named]);
	const dimensions = await list(
		'SELECT d.id, d.name FROM dimension d JOIN model_dimension md ON md.dimension_id = d.id WHERE md.model_id = $1',
		[modelId]
	);
	const computed = new Set(formulas.rows.map((formula) => formula.account));
	const path = `/structure/dimension/${account.code}`;
	if (formulas.rows.length > FORMULAS_DRAWN_APART) {
		nodes.push({
			id: 'formula all',
			kind: 'formula',
			name: `${formulas.rows.length} live formulas`,
			note: 'on accounts',
			trouble: null,
			path
		});
		edges.push({ from: `dimension ${account.id}`, to: 'formula all' });
		return;
	}
	for (const { account: member, name, expression } of formulas.rows) {
		// Several in scopes of their own are one box.
		if (nodes.some(({ id }) => id === `formula ${member}`)) continue;
		const lost = readsOf(expression).some((read) => !names.has(read.member));
		nodes.push({
			id: `formula ${member}`,
			kind: 'formula',
			name,
			note: lost
				? 'live formula'
				: print(expression, { member: (id) => names.get(id) ?? '?', dimension: (id) => dimensions.get(id) ?? '?' }),
			trouble: lost ? 'reads an account that is gone' : null,
			path
		});
		// What looks back at itself, or around a circle in time, draws no arrow back.
		const inner = readsOf(expression).filter((read) => computed.has(read.member) && !read.shift);
		for (const read of inner) edges.push({ from: `formula ${read.member}`, to: `formula ${member}` });
		if (inner.length === 0) edges.push({ from: `dimension ${account.id}`, to: `formula ${member}` });
	}
}

/** Runbooks: what they load before they compute, and whether the last run failed. */
async function addRunbooks(
	modelId: number,
	nodes: WiringNode[],
	edges: Wiring['edges'],
	account: { id: number } | undefined
): Promise<void> {
	const found = await pool().query<{
		id: number;
		name: string;
		steps: number;
		imports: number[];
		failed: string | null;
		scheduled: boolean;
	}>(
		`SELECT b.id, b.name, (SELECT count(*)::integer FROM runbook_step s WHERE s.runbook_id = b.id) AS steps,
			coalesce((SELECT array_agg((s.definition ->> 'import')::integer) FROM runbook_step s WHERE s.runbook_id = b.id AND s.kind = 'import'), '{}') AS imports,
			(SELECT CASE WHEN r.state = 'failed' THEN r.words END FROM run r WHERE r.runbook_id = b.id AND r.branch_id IS NULL ORDER BY r.id DESC LIMIT 1) AS failed,
			EXISTS (SELECT FROM runbook_schedule s WHERE s.runbook_id = b.id AND s.active) AS scheduled
		FROM runbook b WHERE b.model_id = $1 ORDER BY b.id`,
		[modelId]
	);
	for (const { id, name, steps, imports, failed, scheduled } of found.rows) {
		nodes.push({
			id: `runbook ${id}`,
			kind: 'runbook',
			name,
			note: `${steps === 1 ? 'one step' : `${steps} steps`}${scheduled ? ', by schedule' : ''}`,
			trouble: failed !== null ? `the last run failed: ${failed}` : steps === 0 ? 'no step yet' : null,
			path: `/rules/${id}`
		});
		for (const source of imports) edges.push({ from: `import ${source}`, to: `runbook ${id}` });
		if (account) edges.push({ from: `dimension ${account.id}`, to: `runbook ${id}` });
	}
}
