/** A first board made from what a model is: nothing in it is special, all of it can be changed. */
import { z } from 'zod';
import type { BoardContent, Selection, Tile } from '../../core';
import { pool } from '../database';
import { requirePermission, type SignedIn } from '../session';
import { axesOf } from './axes';
import { makeBoard } from './boards';

export const readyBoardSchema = z.object({ name: z.string().trim().min(1, 'give the board a name').max(80) });

interface Account {
	id: number;
	name: string;
	parent: number | null;
	children: number;
	kind: string | null;
	valueType: string | null;
	watched: boolean;
	computed: boolean;
}

const MOST_FIGURES = 4;

/** Makes a board of a model: its result and ratios, their course, where they come from, how they differ, how far planning is. */
export async function makeReadyBoard(
	person: SignedIn | undefined,
	modelId: number,
	{ name }: z.infer<typeof readyBoardSchema>
): Promise<{ id: number }> {
	const maker = requirePermission(person, 'form.read');
	return makeBoard(maker, modelId, {
		name,
		description: 'Made from what the model is. Change all you like.',
		shared: false,
		content: await readyContent(maker, modelId)
	});
}

/** The content of a first board for a model. */
export async function readyContent(maker: SignedIn, modelId: number): Promise<BoardContent> {
	const axes = await axesOf(maker, modelId);
	const accounts = await accountsOf(modelId);
	const accountAxis = axes.find(({ kind }) => kind === 'account')!;
	const period = axes.find(({ kind }) => kind === 'period')!;
	const entity = axes.find(({ kind }) => kind === 'entity');
	const scenario = axes.find(({ kind }) => kind === 'scenario')!;
	const currency = accountAxis.currency;
	const { rows } = await pool().query<{ other: number | null }>('SELECT compared_with AS other FROM scenario WHERE member_id = $1', [
		scenario.top
	]);
	const other = rows[0]?.other;
	const result = resultOf(accounts);
	const main = result?.id ?? accountAxis.top;
	const ratios = accounts.filter(
		({ valueType, watched, computed, id }) => id !== main && (watched || (valueType === 'percent' && computed))
	);
	const figures = [
		...(result ? [result] : []),
		...ratios,
		...accounts.filter(({ parent, children }) => parent === main && children > 0)
	].slice(0, MOST_FIGURES);
	let id = 0;
	const these = (member: number): Selection => ({ kind: 'these', members: [member] });
	const tile = (each: Tile extends infer T ? (T extends Tile ? Omit<T, 'id'> : never) : never): Tile => ({ ...each, id: ++id }) as Tile;
	const months = { dimension: period.id, selection: { kind: 'leaves', of: 'chosen' } as Selection };
	const tiles: Tile[] = figures.map((account) =>
		tile({
			kind: 'figure',
			title: account.name,
			width: 3,
			height: 2,
			source: { rows: { dimension: accountAxis.id, selection: these(account.id) }, at: {}, compare: true }
		})
	);
	const nameOf = (account: number) => accounts.find((each) => each.id === account)?.name ?? 'Result';
	tiles.push(
		tile({
			kind: 'chart',
			chart: 'column',
			title: `${nameOf(main)} by period`,
			width: 7,
			height: 4,
			source: { rows: { dimension: accountAxis.id, selection: these(main) }, columns: months, at: {}, compare: true }
		})
	);
	if (entity)
		tiles.push(
			tile({
				kind: 'chart',
				chart: 'bar',
				title: `${nameOf(main)} by ${entity.name.toLowerCase()}`,
				width: 5,
				height: 4,
				source: {
					rows: { dimension: entity.id, selection: { kind: 'children', of: entity.top } },
					at: { [accountAxis.id]: main },
					compare: true
				}
			})
		);
	if ((accounts.find(({ id: each }) => each === main)?.children ?? 0) > 0)
		tiles.push(
			tile({
				kind: 'waterfall',
				title: `Why ${nameOf(main).toLowerCase()} differs`,
				width: 7,
				height: 4,
				account: main,
				by: accountAxis.id,
				at: {}
			}),
			tile({
				kind: 'table',
				title: 'Line by line',
				width: 5,
				height: 4,
				source: {
					rows: { dimension: accountAxis.id, selection: { kind: 'any of', selections: [{ kind: 'children', of: main }, these(main)] } },
					at: {},
					compare: true
				}
			})
		);
	if (maker.permissions.includes('cycle.read')) tiles.push(tile({ kind: 'progress', title: 'Planning', width: 6, height: 2 }));
	if (maker.permissions.includes('rule.read')) tiles.push(tile({ kind: 'out of date', title: 'Runs out of date', width: 6, height: 2 }));
	return {
		version: 1,
		selectors: [
			...(entity ? [{ dimension: entity.id, initial: entity.top }] : []),
			{ dimension: scenario.id, initial: scenario.top },
			{ dimension: period.id, initial: period.top }
		],
		against: other ? { scenario: other } : { years: 1 },
		currencies: [currency, 'local'],
		scale: 1_000,
		tabs: [{ name: 'Overview', tiles }]
	};
}

async function accountsOf(modelId: number): Promise<Account[]> {
	const found = await pool().query<Account>(
		`SELECT m.id, m.name, n.parent_id AS parent, a.kind, a.value_type AS "valueType", (a.watch_from IS NOT NULL OR a.act_from IS NOT NULL) AS watched,
			EXISTS (SELECT FROM formula f WHERE f.account_id = m.id AND f.model_id = $1) AS computed,
			(SELECT count(*)::integer FROM hierarchy_node c WHERE c.hierarchy_id = h.id AND c.parent_id = m.id) AS children
		FROM member m JOIN model_dimension md ON md.dimension_id = m.dimension_id AND md.model_id = $1 JOIN dimension d ON d.id = m.dimension_id AND d.kind = 'account'
		JOIN hierarchy h ON h.dimension_id = d.id AND h.main JOIN hierarchy_node n ON n.hierarchy_id = h.id AND n.member_id = m.id
		LEFT JOIN account a ON a.member_id = m.id WHERE NOT m.retired ORDER BY n.position, m.id`,
		[modelId]
	);
	return found.rows;
}

/** The account that nets revenue and expense: the group nearest the top that has both beneath it. */
function resultOf(accounts: readonly Account[]): Account | undefined {
	const byId = new Map(accounts.map((account) => [account.id, account]));
	const kinds = new Map<number, Set<string>>();
	for (const account of accounts)
		for (let above: Account | undefined = account; above; above = above.parent === null ? undefined : byId.get(above.parent))
			if (account.kind) kinds.set(above.id, (kinds.get(above.id) ?? new Set()).add(account.kind));
	const nets = accounts.filter(({ id, children }) => children > 0 && kinds.get(id)?.has('revenue') && kinds.get(id)?.has('expense'));
	const depth = (account: Account): number => (account.parent === null ? 0 : 1 + depth(byId.get(account.parent)!));
	return nets.sort((one, other) => depth(one) - depth(other))[0];
}
