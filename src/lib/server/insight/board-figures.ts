/** What the tiles of a board show: each is read as a form is, with the reader's draft and rights. */
import { z } from 'zod';
import {
	CellFlag,
	TileFault,
	tileLayout,
	type BoardContent,
	type FormSelector,
	type Thresholds,
	type Tile,
	type TileContext,
	type ValueType
} from '../../core';
import { listRounds } from '../cycle';
import { pool } from '../database';
import { askEngine, type FormAnswer, type FormAsk, type RowLine } from '../engine';
import { Fault } from '../fault';
import { choicesSchema, formAsk, readForm } from '../form';
import { draftVersion } from '../form/draft';
import { requirePermission, type SignedIn } from '../session';
import { axesOf, type InsightAxis } from './axes';
import { boardContentSchema } from './board-schema';
import { againstChoices, keyOfAgainst, type AgainstChoice } from './against';
import { readBoard } from './boards';
import { askWhy } from './why';

/** Rows a chart or table of a tile shows at most; what is smaller is put together, or left out and counted. */
const MOST_ROWS = 60;
const MOST_COLUMNS = 60;
/** Figures of one tile that are looked through for the largest. */
const MOST_FIGURES = 400_000;

export interface TileLine {
	label: string;
	depth: number;
	parent: boolean;
	/** The members (ids) it reads, by dimension. */
	members: Record<number, number>;
	valueType: ValueType;
	decimals: number;
	unit: string | null;
	thresholds: Thresholds | null;
	/** In local currency: which it is, of lines of one entity or of several with the same. */
	currency: string | null;
}

export interface TileColumn {
	label: string;
	short: string;
	heading: string;
	/** Which block of the tile's layout: what is chosen, what it is compared with, the course. */
	block: number;
	parent: boolean;
	members: Record<number, number>;
	/** Whether its figures are shares. */
	percent: boolean;
	/** Where its scenario ends or begins inside its period: “to Sep 2026”. */
	cut: string | null;
	currency: string | null;
}

export interface TileFigures {
	kind: 'figures';
	rows: TileLine[];
	columns: TileColumn[];
	/** Row by row; null for empty. */
	values: (number | null)[];
	/** Cells that lack a rate or a weight beneath them, have something of the draft in them, are good or bad news. */
	incomplete: number[];
	drafted: number[];
	good: number[];
	bad: number[];
	/** What figures stand for, by cell. */
	words: Record<number, string>;
	/** Rows there are besides, and whether the last row shown is their sum; columns there are besides. */
	more: number;
	restIsSum: boolean;
	moreColumns: number;
	/** The currency it is in: a view may know others than the board. */
	currency: string;
	/** The scenario that is shown and what it is compared with, by name: a tile may stay at others than the board. */
	names: { chosen: string; against: string };
	/** Why there is nothing to see; null where there is. */
	outside: string | null;
	/** Whether totals are of a part only: what the reader may read. */
	restricted: boolean;
}

export type TileAnswer = { id: number } & (
	| TileFigures
	| { kind: 'fault'; message: string }
	| { kind: 'checks'; name: string; checks: { label: string; state: 'holds' | 'fails' | 'cannot tell'; where: string[] }[] }
	| {
			kind: 'progress';
			rounds: { id: number; name: string; units: number; approved: number; states: Record<string, number>; late: number }[];
	  }
	| { kind: 'out of date'; runs: { runbook: number; name: string; at: string }[] }
	| { kind: 'runbook'; name: string; mayRun: boolean }
	| { kind: 'form'; name: string }
	| { kind: 'note' }
	| { kind: 'picture' }
	| TileSteps
);

/** What leads from the figure compared with to the one that is chosen. */
export interface TileSteps {
	kind: 'steps';
	place: number[];
	before: number | null;
	after: number | null;
	/** The largest first. */
	lines: { member: number; name: string; part: number }[];
	more: { count: number; part: number };
	exchange: number;
	/** +1 where more is good news, −1 where less is, 0 where neither. */
	favourable: number;
	account: TileLine;
	names: { chosen: string; against: string };
	/** Where a side speaks about less than its period. */
	cut: { before: string | null; after: string | null };
}

export interface BoardFigures {
	revision: number;
	selectors: FormSelector[];
	currencies: string[];
	currency: string;
	/** What is compared with, in words, and what can be. */
	against: { key: string; name: string } | null;
	againstChoices: { key: string; name: string }[];
	tiles: TileAnswer[];
	/** Unsaved entries of the reader. */
	draftSize: number;
}

export const figuresSchema = z.object({
	id: z.int(),
	choices: choicesSchema,
	/** A scenario (`m12`), years before (`y1`), nothing (`none`); as the board says when left out. */
	against: z
		.string()
		.regex(/^(m\d{1,9}|y\d{1,2}|none)$/)
		.optional(),
	/** Only these tiles; all of a page when left out. */
	tiles: z.array(z.int()).max(60).optional(),
	tab: z.int().min(0).max(20).default(0),
	/** A board that is being arranged and is not stored yet. */
	content: boardContentSchema.optional()
});

/** The tiles of a page of a board, with the figures they show to this reader for what is chosen. */
export async function boardFigures(
	person: SignedIn | undefined,
	modelId: number,
	{ id, choices, against: asked, tiles: only, tab, content: arranged }: z.infer<typeof figuresSchema>
): Promise<BoardFigures> {
	const reader = requirePermission(person, 'form.read');
	const board = await readBoard(reader, modelId, id);
	const content = arranged ?? board.content;
	const page = content.tabs[Math.min(tab, content.tabs.length - 1)]!;
	const axes = await axesOf(reader, modelId);
	const version = await draftVersion(pool(), reader, modelId);
	const bare = bareLayout(content, axes);
	const first = await formAsk(reader, modelId, bare, choices, version);
	const frame = await askEngine(modelId, 'form', { ...first, window: { rows: [] } });
	// What stands chosen on the board is chosen in what it shows, forms and views of others included.
	const ask = {
		...first,
		choices: Object.fromEntries(frame.selectors.map(({ dimension, chosen }) => [dimension, chosen])),
		currency: frame.currency
	};
	const wanted = asked ?? (content.against ? keyOfAgainst(content.against) : 'none');
	const held = (at: Readonly<Record<number, number>>) => heldAgainst(reader, modelId, axes, frame, at, wanted);
	const whole = await held({});
	const asking: Asking = { reader, modelId, ask, content, axes, frame, held, usual: whole };
	// What is asked of the engine takes its turn there; what the database is asked goes on meanwhile.
	const answers = await Promise.all(
		page.tiles
			.filter(({ id: tile }) => only === undefined || only.includes(tile))
			.map(async (tile): Promise<TileAnswer> => ({ id: tile.id, ...(await answerOf(asking, tile)) }))
	);
	return {
		revision: frame.revision,
		selectors: frame.selectors,
		currencies: frame.currencies,
		currency: frame.currency,
		against: whole.against && { key: whole.against.key, name: whole.against.name },
		againstChoices: whole.choices.map(({ key, name }) => ({ key, name })),
		tiles: answers,
		draftSize: frame.draftSize
	};
}

/** What a tile is held against, from where it stands. */
interface Held {
	/** The period (id) it stands at. */
	period: number;
	/** The scenario it shows, by name. */
	chosen: string;
	choices: AgainstChoice[];
	against: AgainstChoice | null;
	yearOf: number;
}

/** A scenario that is gone, that somebody may not see, or that is the one shown, is no comparison. */
async function heldAgainst(
	reader: SignedIn,
	modelId: number,
	axes: readonly InsightAxis[],
	{ selectors }: FormAnswer,
	at: Readonly<Record<number, number>>,
	wanted: string
): Promise<Held> {
	const standing = (kind: InsightAxis['kind']) => {
		const axis = axes.find((each) => each.kind === kind)!;
		return { axis, member: at[axis.id] ?? selectors.find(({ dimension }) => dimension === axis.id)?.chosen ?? axis.top };
	};
	const [period, scenario] = [standing('period'), standing('scenario')];
	const choices = await againstChoices(reader, modelId, axes, { scenario: scenario.member, period: period.member });
	const named = await pool().query<{ name: string }>('SELECT name FROM member WHERE id = $1', [scenario.member]);
	return {
		period: period.member,
		chosen: named.rows[0]?.name ?? '',
		choices,
		against: choices.find(({ key }) => key === wanted) ?? null,
		yearOf: period.axis.yearOf?.[period.member] ?? 1
	};
}

/** One line across, all that can be chosen on the board. */
const bareLayout = (content: BoardContent, axes: readonly InsightAxis[]) => {
	const account = axes.find(({ kind }) => kind === 'account')!;
	return tileLayout(content, figureAt(account.id, account.top), { axes, yearOf: 1, against: null });
};

type Answered = TileAnswer extends infer Each ? (Each extends { id: number } ? Omit<Each, 'id'> : never) : never;

/** What all tiles of a board are asked with. */
interface Asking {
	reader: SignedIn;
	modelId: number;
	ask: FormAsk;
	content: BoardContent;
	axes: InsightAxis[];
	frame: FormAnswer;
	/** What is held against what: of the board, and of a tile that stays at members of its own. */
	usual: Held;
	held: (at: Readonly<Record<number, number>>) => Promise<Held>;
}

/** Where a tile stands against what: as the board does, unless it stays at a scenario or period of its own. */
function heldOf({ axes, usual, held }: Asking, tile: Tile): Promise<Held> | Held {
	const at = 'source' in tile ? tile.source.at : 'at' in tile ? tile.at : {};
	return axes.some(({ id, kind }) => (kind === 'scenario' || kind === 'period') && at[id] !== undefined) ? held(at) : usual;
}

const contextOf = (axes: readonly InsightAxis[], { against, yearOf }: Held): TileContext => ({
	axes,
	yearOf,
	against: against && { years: against.years, ...(against.scenario !== undefined && { scenario: against.scenario }) }
});

/** A tile's answer; what keeps it from being shown is said in its place, and the others stand. */
async function answerOf(asking: Asking, tile: Tile): Promise<Answered> {
	const { reader, modelId, ask, content, axes } = asking;
	try {
		switch (tile.kind) {
			case 'note':
			case 'picture':
				return { kind: tile.kind };
			case 'form':
				return { kind: 'form', name: (await readForm(reader, modelId, tile.code)).name };
			case 'checks':
				return await checksOf(reader, modelId, ask, tile.code);
			case 'progress':
				return { kind: 'progress', rounds: await progressOf(reader, modelId) };
			case 'out of date':
				return { kind: 'out of date', runs: await outOfDate(reader, modelId) };
			case 'runbook':
				return await runbookOf(reader, modelId, tile.runbook);
			case 'waterfall':
				return await stepsOf(asking, tile);
			case 'view': {
				const { layout } = await readForm(reader, modelId, tile.code);
				return await figuresOf(
					asking,
					await askEngine(modelId, 'form', { ...ask, layout, window: { most: MOST_FIGURES } }),
					tile,
					asking.usual
				);
			}
			default: {
				const held = await heldOf(asking, tile);
				const layout = tileLayout(content, tile, contextOf(axes, held));
				return await figuresOf(asking, await askEngine(modelId, 'form', { ...ask, layout, window: { most: MOST_FIGURES } }), tile, held);
			}
		}
	} catch (failure) {
		if (failure instanceof TileFault) return { kind: 'fault', message: failure.message };
		if (failure instanceof Fault && failure.status < 500)
			return {
				kind: 'fault',
				message: failure.status === 404 ? 'What this tile shows is not there any more, or not for you to see.' : failure.message
			};
		throw failure;
	}
}

const lineOf = (line: RowLine, currency: string | null = null): TileLine => ({
	label: line.label,
	depth: line.depth,
	parent: line.parent,
	members: line.members,
	valueType: line.valueType,
	decimals: line.shownDecimals,
	unit: line.unit,
	thresholds: line.thresholds,
	currency
});

/** The figures of a form as a tile draws them: the largest rows, the rest of what adds up together. */
async function figuresOf({ axes }: Asking, form: FormAnswer, tile: Tile, { chosen, against }: Held): Promise<TileFigures> {
	// The largest of some rows are not the largest of all.
	if (form.part && form.part.length < form.rows.length)
		throw new TileFault(
			`This tile would show ${form.rows.length} rows by ${form.columns.length} columns. Take fewer members, or the chosen period alone.`
		);
	const currencies = form.currency === 'local' ? await localCurrencies(axes, [...form.rows, ...form.columns]) : undefined;
	const currencyOf = ({ members }: { members: Record<number, number> }): string | null =>
		(currencies &&
			Object.values(members)
				.map((member) => currencies.get(member))
				.find(Boolean)) ??
		null;
	const width = form.columns.length;
	const across = Math.min(width, MOST_COLUMNS);
	const all = form.rows.map((_, row) => row).filter((row) => form.rows[row]!.kind !== 'text' || tile.kind === 'view');
	const valueAt = (row: number, column: number) => form.values[row * width + column] ?? null;
	const { shown, rest } = largest(form, all, (row) => valueAt(row, 0));
	const rows = shown.map((row) => lineOf(form.rows[row]!, currencyOf(form.rows[row]!)));
	const values = shown.flatMap((row) => Array.from({ length: across }, (_, column) => valueAt(row, column)));
	const lacking: number[] = [];
	const addsUp =
		rest.length > 0 &&
		// Amounts of several currencies are not added up.
		new Set(rest.map((row) => currencyOf(form.rows[row]!))).size === 1 &&
		form.columns.every(({ facts }) => facts === undefined) &&
		(await addUp(rest.map((row) => form.rows[row]!)));
	if (addsUp) {
		const summed = Array.from({ length: across }, (_, column) => {
			if (form.columns[column]!.kind !== 'cells' || form.columns[column]!.percent) return null;
			return rest.reduce<number | null>((sum, row) => {
				const value = valueAt(row, column);
				return value === null ? sum : (sum ?? 0) + value;
			}, null);
		});
		rows.push({ ...lineOf(form.rows[rest[0]!]!), label: `${rest.length} others`, members: {}, thresholds: null });
		values.push(...summed);
		const at = rows.length - 1;
		for (let column = 0; column < across; column++)
			if (rest.some((row) => ((form.flags[row * width + column] ?? 0) & CellFlag.incomplete) !== 0)) lacking.push(at * across + column);
	}
	const newPlace = new Map(shown.map((row, at) => [row, at]));
	const cells = (list: readonly number[]): number[] =>
		list.flatMap((cell) => {
			const [row, column] = [newPlace.get(Math.floor(cell / width)), cell % width];
			return row === undefined || column >= across ? [] : [row * across + column];
		});
	const flagged = shown.flatMap((row, at) =>
		Array.from({ length: across }, (_, column) =>
			(form.flags[row * width + column] ?? 0) & CellFlag.incomplete ? at * across + column : -1
		).filter((cell) => cell >= 0)
	);
	return {
		kind: 'figures',
		rows,
		columns: form.columns.slice(0, across).map(({ label, short, heading, block, parent, members, percent, cut }) => ({
			label,
			short,
			heading,
			block,
			parent,
			members,
			percent,
			cut: cut ?? null,
			currency: currencyOf({ members })
		})),
		values,
		incomplete: [...flagged, ...lacking],
		drafted: cells([...form.drafted, ...form.draftedBeneath]),
		good: cells(form.good),
		bad: cells(form.bad),
		words: Object.fromEntries(form.words.flatMap(([cell, word]) => cells([cell]).map((at) => [at, word] as const))),
		more: all.length - shown.length,
		restIsSum: addsUp,
		moreColumns: width - across,
		currency: form.currency,
		names: { chosen, against: against?.name ?? '' },
		outside: form.outside,
		restricted: form.restricted
	};
}

/** By member of the dimension of entities (ids): the local currency, where all beneath it have the same. */
async function localCurrencies(
	axes: readonly InsightAxis[],
	lines: readonly { members: Record<number, number> }[]
): Promise<Map<number, string>> {
	const entity = axes.find(({ kind }) => kind === 'entity');
	const members = entity ? [...new Set(lines.flatMap(({ members: of }) => of[entity.id] ?? []))] : [];
	const found = await pool().query<{ id: number; currency: string }>(
		`WITH RECURSIVE under AS (SELECT id AS top, id FROM unnest($1::integer[]) AS asked (id)
			UNION SELECT u.top, n.member_id FROM under u JOIN hierarchy_node n ON n.parent_id = u.id)
		SELECT u.top AS id, min(e.currency) AS currency FROM under u JOIN entity e ON e.member_id = u.id
		WHERE NOT EXISTS (SELECT FROM hierarchy_node c WHERE c.parent_id = u.id) GROUP BY u.top HAVING count(DISTINCT e.currency) = 1`,
		[members]
	);
	return new Map(found.rows.map(({ id, currency }) => [id, currency]));
}

/** Whether figures of rows may be put together by adding: of accounts that add up over members, and of amounts or counts. */
async function addUp(rows: readonly RowLine[]): Promise<boolean> {
	if (!rows.every(({ valueType, account }) => account !== null && (valueType === 'money' || valueType === 'quantity'))) return false;
	const accounts = [...new Set(rows.map(({ account }) => account))];
	const found = await pool().query<{ count: number }>(
		"SELECT count(*)::integer AS count FROM account WHERE member_id = ANY ($1) AND consolidation = 'sum'",
		[accounts]
	);
	return found.rows[0]!.count === accounts.length;
}

/** The rows to be shown: all where they are few, else the largest by the first column, in their order. */
function largest(form: FormAnswer, rows: readonly number[], valueOf: (row: number) => number | null): { shown: number[]; rest: number[] } {
	if (rows.length <= MOST_ROWS) return { shown: [...rows], rest: [] };
	// Rows that stand in one another are not sorted by size: their first ones are shown.
	const isFlat = rows.every((row) => form.rows[row]!.depth === 0);
	if (!isFlat) return { shown: rows.slice(0, MOST_ROWS), rest: [] };
	const bySize = [...rows].sort((one, other) => Math.abs(valueOf(other) ?? 0) - Math.abs(valueOf(one) ?? 0));
	return { shown: bySize.slice(0, MOST_ROWS - 1), rest: bySize.slice(MOST_ROWS - 1) };
}

/** Steps a waterfall shows; smaller ones are put together. */
const MOST_STEPS = 9;

async function stepsOf(asking: Asking, tile: Extract<Tile, { kind: 'waterfall' }>): Promise<Answered> {
	const { reader, modelId, ask, axes, frame } = asking;
	const { against, choices, chosen } = await heldOf(asking, tile);
	if (!against) throw new TileFault('Choose above what it is held against.');
	const account = axes.find(({ kind }) => kind === 'account')!;
	const place = [...axes.filter(({ kind }) => kind !== 'period'), ...axes.filter(({ kind }) => kind === 'period')].map(({ id, top }) =>
		id === account.id ? tile.account : (tile.at[id] ?? frame.selectors.find(({ dimension }) => dimension === id)?.chosen ?? top)
	);
	const { before, after, lines, more, exchange, favourable, cut } = await askWhy(
		reader,
		modelId,
		{ place, against: against.key, currency: frame.currency, dimension: tile.by, at: {} },
		{ most: MOST_STEPS, known: { axes, choices } }
	);
	const { rows } = await askEngine(modelId, 'form', {
		...ask,
		layout: tileLayout({ selectors: [], currencies: frame.currencies, scale: 1 }, figureAt(account.id, tile.account), {
			axes,
			yearOf: 1,
			against: null
		}),
		window: { rows: [] }
	});
	return {
		kind: 'steps',
		place,
		before,
		after,
		lines: lines.map(({ member, name, part }) => ({ member, name, part })),
		more,
		exchange,
		favourable,
		account: lineOf(rows[0]!),
		names: { chosen, against: against.name },
		cut
	};
}

/** A tile of one account alone, for how its figures are written. */
const figureAt = (dimension: number, account: number): Tile => ({
	id: 0,
	title: '',
	width: 2,
	height: 1,
	kind: 'table',
	source: { rows: { dimension, selection: { kind: 'these', members: [account] } }, at: {}, compare: false }
});

async function checksOf(reader: SignedIn, modelId: number, ask: FormAsk, code: string): Promise<Answered> {
	const { name, layout } = await readForm(reader, modelId, code);
	const form = await askEngine(modelId, 'form', { ...ask, layout, window: { rows: [] } });
	return {
		kind: 'checks',
		name,
		checks: form.checks.map(({ label, state, where }) => ({ label, state, where: where.slice(0, 3).map(({ column }) => column) }))
	};
}

async function progressOf(reader: SignedIn, modelId: number): Promise<Extract<TileAnswer, { kind: 'progress' }>['rounds']> {
	const rounds = (await listRounds(reader, modelId)).filter(({ state }) => state === 'running').slice(0, 4);
	const states = await pool().query<{ round: number; state: string; count: number; late: number }>(
		`SELECT round_id AS round, state, count(*)::integer AS count, (count(*) FILTER (WHERE due < current_date AND state IN ('not started', 'in progress', 'returned')))::integer AS late
		FROM cycle_unit WHERE round_id = ANY ($1) GROUP BY round_id, state`,
		[rounds.map(({ id }) => id)]
	);
	return rounds.map(({ id, name, units, approved }) => {
		const own = states.rows.filter(({ round }) => round === id);
		return {
			id,
			name,
			units,
			approved,
			states: Object.fromEntries(own.map(({ state, count }) => [state, count])),
			late: own.reduce((sum, { late }) => sum + late, 0)
		};
	});
}

async function outOfDate(reader: SignedIn, modelId: number): Promise<Extract<TileAnswer, { kind: 'out of date' }>['runs']> {
	requirePermission(reader, 'rule.read');
	const found = await pool().query<{ runbook: number; name: string; at: Date }>(
		`SELECT b.id AS runbook, b.name, r.at FROM runbook b
		JOIN LATERAL (SELECT at, out_of_date FROM run WHERE runbook_id = b.id AND branch_id IS NULL AND state = 'done' ORDER BY id DESC LIMIT 1) r ON r.out_of_date
		WHERE b.model_id = $1 ORDER BY b.name LIMIT 30`,
		[modelId]
	);
	return found.rows.map(({ at, ...rest }) => ({ ...rest, at: at.toISOString() }));
}

async function runbookOf(reader: SignedIn, modelId: number, runbook: number): Promise<Answered> {
	requirePermission(reader, 'rule.read');
	const found = await pool().query<{ name: string }>('SELECT name FROM runbook WHERE id = $1 AND model_id = $2', [runbook, modelId]);
	if (!found.rows[0]) return { kind: 'fault', message: 'The runbook of this tile has been deleted.' };
	return { kind: 'runbook', name: found.rows[0].name, mayRun: reader.permissions.includes('rule.run') };
}
