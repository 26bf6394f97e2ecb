/** A board about one account: what drives it, typed in, with its course and its years beside. Nothing in it is special. */
import { z } from 'zod';
import { accountsRead, selectorOf, type BoardContent, type Expression, type FormLayout, type Selection } from '../../core';
import { reachedMembers } from '../access';
import { pool } from '../database';
import { Fault, notFound } from '../fault';
import { requirePermission, type SignedIn } from '../session';
import { againstChoices, type AgainstChoice } from './against';
import { axesOf, type InsightAxis } from './axes';
import { makeBoard } from './boards';
import { openView, startView } from './views';

export const driverBoardSchema = z.object({ name: z.string().trim().min(1, 'give the board a name').max(80), account: z.int() });

/** Lines a driver view shows beside the account. */
const MOST_DRIVERS = 14;
/** How far formulas are followed: what drives a driver is told too. */
const MOST_STEPS = 2;

/** Accounts that are driven by others: those a formula computes, and groups. */
export async function drivenAccounts(person: SignedIn | undefined, modelId: number): Promise<{ id: number; name: string }[]> {
	const reader = requirePermission(person, 'form.read');
	const found = await pool().query<{ id: number; name: string; dimension: number }>(
		`SELECT m.id, m.name, m.dimension_id AS dimension FROM member m JOIN model_dimension md ON md.dimension_id = m.dimension_id AND md.model_id = $1
		JOIN dimension d ON d.id = m.dimension_id AND d.kind = 'account' WHERE NOT m.retired AND (
			EXISTS (SELECT FROM formula f WHERE f.account_id = m.id AND f.model_id = $1)
			OR EXISTS (SELECT FROM hierarchy_node n JOIN hierarchy h ON h.id = n.hierarchy_id AND h.main WHERE n.parent_id = m.id AND h.dimension_id = d.id))
		ORDER BY m.name LIMIT 500`,
		[modelId]
	);
	if (found.rows.length === 0) return [];
	const seen = await reachedMembers(
		reader,
		modelId,
		found.rows[0]!.dimension,
		found.rows.map(({ id }) => id)
	);
	return found.rows.filter((_, index) => seen[index]).map(({ id, name }) => ({ id, name }));
}

/** Makes a board about an account. @throws Fault 404; 422 where nothing drives it */
export async function makeDriverBoard(
	person: SignedIn | undefined,
	modelId: number,
	{ name, account }: z.infer<typeof driverBoardSchema>
): Promise<{ id: number }> {
	const maker = requirePermission(person, 'form.read');
	const driven = (await drivenAccounts(maker, modelId)).find(({ id }) => id === account);
	if (!driven) throw notFound('account');
	const axes = await axesOf(maker, modelId);
	const lines = await driversOf(maker, modelId, axes, account);
	if (lines.length === 0) throw new Fault(422, 'not possible', `Nothing you may read drives ${driven.name}. Choose another account.`);
	const years = await yearsBeside(maker, modelId, axes);
	const told = await toldYears(maker, modelId, axes, [...lines, account], years);
	const view = async (called: string, layout: FormLayout) => (await startView(maker, modelId, { choices: {}, name: called, layout })).code;
	const typed = await view(`What drives ${driven.name}`, byMonth(axes, [...lines, account]));
	const beside = await view(`${driven.name}, year by year`, byYear(axes, [...lines, account], told));
	return makeBoard(maker, modelId, {
		name,
		description: `What drives ${driven.name}, typed here, and what comes of it.`,
		shared: false,
		content: contentOf(axes, { ...driven, ...(await factsOf(account)), lines: lines.length + 1 }, { typed, beside, against: years[0] })
	});
}

async function factsOf(account: number): Promise<{ isGroup: boolean; isMoney: boolean }> {
	const found = await pool().query<{ isGroup: boolean; isMoney: boolean }>(
		`SELECT EXISTS (SELECT FROM hierarchy_node n JOIN hierarchy h ON h.id = n.hierarchy_id AND h.main WHERE n.parent_id = $1) AS "isGroup",
			coalesce((SELECT value_type = 'money' FROM account WHERE member_id = $1), true) AS "isMoney"`,
		[account]
	);
	return found.rows[0]!;
}

/** The accounts (ids) an account is computed from, and those they are computed from: by formulas, else the members of the group. */
async function driversOf(maker: SignedIn, modelId: number, axes: readonly InsightAxis[], account: number): Promise<number[]> {
	const { id: dimension } = axes.find(({ kind }) => kind === 'account')!;
	const [formulas, nodes] = await Promise.all([
		pool().query<{ account: number; expression: Expression }>(
			'SELECT account_id AS account, expression FROM formula WHERE model_id = $1 ORDER BY id',
			[modelId]
		),
		pool().query<{ member: number; parent: number }>(
			`SELECT n.member_id AS member, n.parent_id AS parent FROM hierarchy_node n JOIN hierarchy h ON h.id = n.hierarchy_id AND h.main AND h.dimension_id = $1
			JOIN member m ON m.id = n.member_id AND NOT m.retired WHERE n.parent_id IS NOT NULL ORDER BY n.position`,
			[dimension]
		)
	]);
	const madeOf = (of: number): number[] => {
		const read = formulas.rows.filter((row) => row.account === of).flatMap(({ expression }) => [...accountsRead(expression)]);
		return read.length > 0 ? read : nodes.rows.filter(({ parent }) => parent === of).map(({ member }) => member);
	};
	// What drives a driver stands above it; a group is told by its members alone.
	const lines: number[] = [];
	const isComputed = (of: number) => formulas.rows.some((row) => row.account === of);
	const follow = (of: number, steps: number): void => {
		for (const each of new Set(madeOf(of))) {
			if (each === account || lines.includes(each) || lines.length >= MOST_DRIVERS) continue;
			if (steps > 1 && isComputed(each)) follow(each, steps - 1);
			if (!lines.includes(each) && lines.length < MOST_DRIVERS) lines.push(each);
		}
	};
	follow(account, MOST_STEPS);
	const seen = await reachedMembers(maker, modelId, dimension, lines);
	return lines.filter((_, index) => seen[index]);
}

/** What the year is held against: the scenario that tells of the year before it, and of the one before that. */
async function yearsBeside(maker: SignedIn, modelId: number, axes: readonly InsightAxis[]): Promise<AgainstChoice[]> {
	const [scenario, period] = [axes.find(({ kind }) => kind === 'scenario')!, axes.find(({ kind }) => kind === 'period')!];
	const choices = await againstChoices(maker, modelId, axes, { scenario: scenario.top, period: period.top });
	const found = await pool().query<{ member: number; continues: number | null; compared: number | null }>(
		'SELECT member_id AS member, continues_from AS continues, compared_with AS compared FROM scenario'
	);
	const factsOf = (member: number | undefined) => found.rows.find((row) => row.member === member);
	const choiceOf = (member: number | null | undefined) => choices.find((each) => each.scenario === member);
	const before =
		choiceOf(factsOf(scenario.top)?.compared) ?? choiceOf(factsOf(scenario.top)?.continues) ?? choices.find(({ years }) => years === 1);
	if (!before) return [];
	// The year before that is told by what the other continues from: of an outlook, what was actual.
	const told = factsOf(before.scenario)?.continues ?? before.scenario;
	const earlier = { ...before, years: before.years + 1, ...(told !== undefined && { scenario: told }) };
	return choiceOf(told) || told === before.scenario ? [before, earlier] : [before];
}

/** The same without years nothing is told of where the board stands: an empty column says less than none. */
async function toldYears(
	maker: SignedIn,
	modelId: number,
	axes: readonly InsightAxis[],
	lines: number[],
	years: readonly AgainstChoice[]
): Promise<AgainstChoice[]> {
	if (years.length === 0) return [];
	const { code } = await startView(maker, modelId, { choices: {}, name: '', layout: byYear(axes, lines, years) });
	const { form } = (await openView(maker, modelId, code, { members: {} })).opened;
	const isTold = (column: number) => form.rows.some((_, row) => (form.values[row * form.columns.length + column] ?? null) !== null);
	return years.filter((_, place) => isTold(years.length - 1 - place));
}

const these = (...members: (number | 'chosen')[]): Selection => ({ kind: 'these', members });

function layoutFor(axes: readonly InsightAxis[], lines: number[], columns: FormLayout['columns']): FormLayout {
	const account = axes.find(({ kind }) => kind === 'account')!;
	return {
		version: 2,
		rows: [{ kind: 'cells', id: 0, parts: [{ dimension: account.id, selection: these(...lines) }] }],
		columns,
		selectors: axes.filter(({ id }) => id !== account.id).map((axis) => selectorOf(axis)),
		pinned: [],
		currencies: [account.currency, 'local']
	};
}

/** The lines by the leaf periods of the year, with the year. */
function byMonth(axes: readonly InsightAxis[], lines: number[]): FormLayout {
	const { id: dimension } = axes.find(({ kind }) => kind === 'period')!;
	return layoutFor(axes, lines, [
		{ kind: 'cells', id: 0, parts: [{ dimension, selection: { kind: 'leaves', of: 'chosen' } }] },
		{ kind: 'cells', id: 1, parts: [{ dimension, selection: these('chosen') }] }
	]);
}

/** The lines of the years side by side, the earliest first, and how the last differs from the one before. */
function byYear(axes: readonly InsightAxis[], lines: number[], years: readonly AgainstChoice[]): FormLayout {
	const [scenario, period] = [axes.find(({ kind }) => kind === 'scenario')!, axes.find(({ kind }) => kind === 'period')!];
	const earlier = [...years].reverse().map(({ scenario: other, years: by }, index): FormLayout['columns'][number] => ({
		kind: 'cells',
		id: index + 1,
		parts: [
			{ dimension: period.id, selection: by === 0 ? these('chosen') : { kind: 'relative', of: 'chosen', by: -by, take: 'this' } },
			{ dimension: scenario.id, selection: these(other ?? 'chosen') }
		]
	}));
	const own: FormLayout['columns'][number] = {
		kind: 'cells',
		id: 0,
		parts: [
			{ dimension: period.id, selection: these('chosen') },
			{ dimension: scenario.id, selection: these('chosen') }
		]
	};
	const differs: FormLayout['columns'] =
		earlier.length === 0
			? []
			: [
					{ kind: 'derived', id: 10, label: 'Difference', derivation: { how: 'difference', of: 0, base: earlier.length } },
					{ kind: 'derived', id: 11, label: 'in %', derivation: { how: '% difference', of: 0, base: earlier.length } }
				];
	return layoutFor(axes, lines, [...earlier, own, ...differs]);
}

/** Rows of the board that a table of so many lines fills, those of its head included. */
const heightOf = (lines: number, head: number): number => Math.min(8, Math.max(3, Math.ceil((lines + head) / 2.6)));

function contentOf(
	axes: readonly InsightAxis[],
	account: { id: number; name: string; isGroup: boolean; isMoney: boolean; lines: number },
	{ typed, beside, against }: { typed: string; beside: string; against: AgainstChoice | undefined }
): BoardContent {
	const [accounts, period, scenario, entity] = (['account', 'period', 'scenario', 'entity'] as const).map((kind) =>
		axes.find((axis) => axis.kind === kind)
	);
	const rows = { dimension: accounts!.id, selection: these(account.id) };
	const other = against && (against.scenario === undefined ? { years: against.years } : { scenario: against.scenario });
	return {
		version: 1,
		selectors: [
			...(entity ? [{ dimension: entity.id, initial: entity.top }] : []),
			{ dimension: scenario!.id, initial: scenario!.top },
			{ dimension: period!.id, initial: period!.top }
		],
		against: other ?? null,
		currencies: [accounts!.currency, 'local'],
		scale: account.isMoney ? 1_000 : 1,
		tabs: [
			{
				name: account.name,
				tiles: [
					{ id: 1, kind: 'form', title: `What drives ${account.name}`, width: 12, height: heightOf(account.lines, 3), code: typed },
					{ id: 2, kind: 'figure', title: account.name, width: 3, height: 4, source: { rows, at: {}, compare: true } },
					{
						...{ id: 3, kind: 'chart', chart: 'combined', title: `${account.name} by period`, width: 5, height: 4 },
						source: {
							rows,
							columns: { dimension: period!.id, selection: { kind: 'leaves', of: 'chosen' } },
							at: {},
							compare: true
						}
					},
					...(other
						? [
								{
									...({ id: 4, kind: 'waterfall', title: `Why ${account.name} differs`, width: 4, height: 4, at: {} } as const),
									account: account.id,
									by: account.isGroup ? accounts!.id : (entity ?? period)!.id
								}
							]
						: []),
					{ id: 5, kind: 'view', title: 'Year by year', width: 12, height: heightOf(account.lines, 1), code: beside }
				]
			}
		]
	};
}
