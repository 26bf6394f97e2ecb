import {
	mapExpression,
	mapSelection,
	membersIn,
	membersOfParameter,
	membersOfStep,
	type Expression,
	type FormLayout,
	type MemberReference,
	type ParameterDefinition,
	type Selection
} from '../../core';
import type { Database } from '../database';
import { stepsOf } from '../runbook/read';
import { chosenAmong } from './chosen';
import { layoutSchema } from '../form/layout-schema';

/** One place where something is used: a link for people. */
export interface Use {
	kind:
		| 'note'
		| 'form'
		| 'runbook'
		| 'map'
		| 'import'
		| 'grant'
		| 'lock'
		| 'formula'
		| 'account'
		| 'scenario'
		| 'variable'
		| 'numbers'
		/** Cells in which it is chosen. */
		| 'choice'
		| 'draft';
	name: string;
	/** How many, for numbers. */
	count?: number;
	path?: string;
}

/** Everything in all models that names a member, its numbers counted. */
export async function usesOfMember(database: Database, dimensionId: number, memberId: number): Promise<Use[]> {
	const uses: Use[] = [];
	const models = await modelsOf(database, dimensionId);
	for (const { id, code } of models)
		for (const form of await formsOf(database, id))
			if (membersNamed(form.layout).has(memberId)) uses.push({ kind: 'form', name: form.name, path: `/m/${code}/forms/${form.code}` });
	const named = await database.query<{ kind: Use['kind']; name: string }>(
		`SELECT 'map' AS kind, m.name FROM map_line l JOIN map m ON m.id = l.map_id WHERE l.member_id = $1
		UNION SELECT 'import', i.name FROM import_rule r JOIN import i ON i.id = r.import_id WHERE r.member_id = $1
		UNION SELECT 'grant', g.name || ' of ' || p.name FROM access_grant_member gm JOIN access_grant g ON g.id = gm.grant_id JOIN person p ON p.id = g.person_id WHERE gm.member_id = $1
		UNION SELECT 'lock', l.name FROM access_lock_member lm JOIN access_lock l ON l.id = lm.lock_id WHERE lm.member_id = $1
		UNION SELECT 'account', m.name FROM account a JOIN member m ON m.id = a.member_id WHERE a.weighed_by = $1
		UNION SELECT 'scenario', m.name FROM scenario s JOIN member m ON m.id = s.member_id
			WHERE (s.continues_from = $1 OR s.compared_with = $1 OR s.span_from = $1 OR s.span_to = $1 OR s.entry_from = $1 OR s.entry_to = $1)
		UNION SELECT 'variable', name FROM variable WHERE member_id = $1`,
		[memberId]
	);
	uses.push(...named.rows);
	for (const { id, name, model } of await runbooksNaming(database, memberId))
		uses.push({ kind: 'runbook', name, path: `/m/${model}/rules/${id}` });
	const formulas = await database.query<{ account: number; name: string; expression: Expression }>(
		'SELECT f.account_id AS account, m.name, f.expression FROM formula f JOIN member m ON m.id = f.account_id'
	);
	for (const { account, name, expression } of formulas.rows)
		if (account === memberId || membersIn(expression).has(memberId)) uses.push({ kind: 'formula', name });
	for (const { member, model, count } of await chosenAmong(database, dimensionId, [memberId]))
		if (member === memberId) uses.push({ kind: 'choice', name: model, count });
	for (const { id, name } of models) {
		const count = await countNumbers(database, id, dimensionId, [memberId]);
		if (count > 0) uses.push({ kind: 'numbers', name, count });
	}
	const drafts = await database.query<{ count: number }>(
		'SELECT count(*)::integer AS count FROM draft_cell WHERE $1 = ANY (address) OR period_id = $1',
		[memberId]
	);
	if (drafts.rows[0]!.count > 0) uses.push({ kind: 'draft', name: 'Unsaved entries', count: drafts.rows[0]!.count });
	const beside = await database.query<{ count: number }>(
		`SELECT ((SELECT count(*) FROM note WHERE $1 = ANY (place)) + (SELECT count(*) FROM detail_line WHERE $1 = ANY (place))
			+ (SELECT count(*) FROM cell_link WHERE $1 = ANY (place)))::integer AS count`,
		[memberId]
	);
	if (beside.rows[0]!.count > 0) uses.push({ kind: 'note', name: 'Notes, detail lines and links', count: beside.rows[0]!.count });
	return uses;
}

/** The runbooks that name a member. */
export async function runbooksNaming(database: Database, memberId: number): Promise<{ id: number; name: string; model: string }[]> {
	const naming = [...(await membersOfRunbooks(database))].flatMap(([runbook, members]) => (members.has(memberId) ? [runbook] : []));
	const found = await database.query<{ id: number; name: string; model: string }>(
		'SELECT b.id, b.name, m.code AS model FROM runbook b JOIN model m ON m.id = b.model_id WHERE b.id = ANY ($1::integer[]) ORDER BY b.id',
		[naming]
	);
	return found.rows;
}

/** By runbook (id): the members its steps, and what it asks for, name. */
async function membersOfRunbooks(database: Database): Promise<Map<number, Set<number>>> {
	const named = new Map<number, Set<number>>();
	const asked = await database.query<{ id: number; parameters: ParameterDefinition[] }>('SELECT id, parameters FROM runbook');
	for (const { id, parameters } of asked.rows)
		named.set(id, new Set(parameters.flatMap((parameter) => [...membersOfParameter(parameter)])));
	for (const { runbook, step } of await stepsOf(database, 'to read')) for (const id of membersOfStep(step)) named.get(runbook)!.add(id);
	return named;
}

/** Which of some members anything names, or numbers stand at. A statement a table, however many members. */
export async function usedAmong(database: Database, dimensionId: number, members: readonly number[]): Promise<Set<number>> {
	const asked = new Set(members);
	const used = new Set<number>();
	const named = await database.query<{ id: number }>(
		`SELECT id FROM (
			SELECT member_id AS id FROM map_line UNION SELECT member_id FROM import_rule UNION SELECT member_id FROM access_grant_member
			UNION SELECT member_id FROM access_lock_member UNION SELECT weighed_by FROM account UNION SELECT account_id FROM formula
			UNION SELECT unnest(ARRAY[continues_from, compared_with, span_from, span_to, entry_from, entry_to]) FROM scenario
			UNION SELECT member_id FROM variable UNION SELECT unnest(address) FROM draft_cell UNION SELECT period_id FROM draft_cell
			UNION SELECT unnest(place) FROM note UNION SELECT unnest(place) FROM detail_line UNION SELECT unnest(place) FROM cell_link) AS named
		WHERE id = ANY ($1::integer[])`,
		[members]
	);
	for (const { id } of named.rows) used.add(id);
	for (const ids of (await membersOfRunbooks(database)).values()) for (const id of ids) if (asked.has(id)) used.add(id);
	for (const { member } of await chosenAmong(database, dimensionId, members)) used.add(member);
	const formulas = await database.query<{ expression: Expression }>('SELECT expression FROM formula');
	for (const { expression } of formulas.rows) for (const id of membersIn(expression)) if (asked.has(id)) used.add(id);
	const period = await database.query("SELECT FROM dimension WHERE id = $1 AND kind = 'period'", [dimensionId]);
	for (const { id: modelId } of await modelsOf(database, dimensionId)) {
		for (const form of await formsOf(database, modelId)) for (const id of membersNamed(form.layout)) if (asked.has(id)) used.add(id);
		if (period.rowCount) continue;
		const column = `d${Math.trunc(dimensionId)}`;
		const numbers = await database.query<{ id: number }>(
			`SELECT DISTINCT ${column} AS id FROM cells_${Math.trunc(modelId)} WHERE ${column} = ANY ($1::integer[])`,
			[members]
		);
		for (const { id } of numbers.rows) used.add(id);
	}
	return used;
}

/** The models a dimension belongs to. */
export async function modelsOf(database: Database, dimensionId: number): Promise<{ id: number; code: string; name: string }[]> {
	return (
		await database.query<{ id: number; code: string; name: string }>(
			'SELECT m.id, m.code, m.name FROM model m JOIN model_dimension md ON md.model_id = m.id WHERE md.dimension_id = $1 ORDER BY m.id',
			[dimensionId]
		)
	).rows;
}

/** The models whose definitions know a dimension: as an axis, as a list of choices, or since their accounts choose from it. */
export async function modelsKnowing(database: Database, dimensionId: number): Promise<{ id: number; code: string; name: string }[]> {
	return (
		await database.query<{ id: number; code: string; name: string }>(
			'SELECT m.id, m.code, m.name FROM model m JOIN known_dimension k ON k.model_id = m.id WHERE k.dimension_id = $1 ORDER BY m.id',
			[dimensionId]
		)
	).rows;
}

/** How many stored values a model has at some members of a dimension. */
export async function countNumbers(database: Database, modelId: number, dimensionId: number, members: readonly number[]): Promise<number> {
	const isPeriod = await database.query<{ period: boolean }>("SELECT kind = 'period' AS period FROM dimension WHERE id = $1", [
		dimensionId
	]);
	if (isPeriod.rows[0]?.period) return 0;
	const found = await database.query<{ count: number }>(
		`SELECT coalesce(sum(cardinality(array_remove(amounts, NULL))), 0)::integer AS count
		FROM cells_${Math.trunc(modelId)} WHERE d${Math.trunc(dimensionId)} = ANY ($1::integer[])`,
		[members]
	);
	return found.rows[0]!.count;
}

export async function formsOf(
	database: Database,
	modelId: number
): Promise<{ id: number; code: string; name: string; folder: string; description: string; instructions: string; layout: FormLayout }[]> {
	const found = await database.query<{
		id: number;
		code: string;
		name: string;
		folder: string;
		description: string;
		instructions: string;
		layout: unknown;
	}>('SELECT id, code, name, folder, description, instructions, layout FROM form WHERE model_id = $1 ORDER BY id', [modelId]);
	return found.rows.map((form) => ({ ...form, layout: layoutSchema.parse(form.layout) }));
}

/** Every member (id) a layout names. */
export function membersNamed(layout: FormLayout): Set<number> {
	const found = new Set<number>();
	mapMembers(layout, (member) => {
		found.add(member);
		return member;
	});
	return found;
}

/** The layout with every member it names replaced. */
export function mapMembers(layout: FormLayout, map: (member: number, dimension: number) => number): FormLayout {
	const reference = (each: MemberReference, dimension: number): MemberReference => (typeof each === 'number' ? map(each, dimension) : each);
	const selection = (each: Selection, dimension: number): Selection => mapSelection(each, (member) => map(member, dimension));
	const accounts = (expression: Expression): Expression => mapExpression(expression, map);
	const block = (each: FormLayout['rows'][number]): FormLayout['rows'][number] =>
		each.kind === 'cells'
			? {
					...each,
					parts: each.parts.map((part) => ({ ...part, selection: selection(part.selection, part.dimension) })),
					...(each.guidance && {
						guidance: Object.fromEntries(
							Object.entries(each.guidance).map(([member, words]) => [map(Number(member), each.parts.at(-1)?.dimension ?? 0), words])
						)
					})
				}
			: each;
	return {
		...layout,
		rows: layout.rows.map(block),
		columns: layout.columns.map(block),
		selectors: layout.selectors.map((part) => ({
			...part,
			selection: selection(part.selection, part.dimension),
			initial: map(part.initial, part.dimension)
		})),
		pinned: layout.pinned.map((part) => ({ ...part, member: map(part.member, part.dimension) })),
		...(layout.checks && {
			checks: layout.checks.map((check) => ({ ...check, left: accounts(check.left), right: accounts(check.right) }))
		}),
		...(layout.ownLines && {
			ownLines: { ...layout.ownLines, parent: reference(layout.ownLines.parent, layout.ownLines.dimension) }
		})
	};
}
