/** A form of the plan, of branches, snapshots and other scenarios, side by side. */
import { z } from 'zod';
import type { FormSelector, ValueType } from '../../core';
import { pool } from '../database';
import { branchVersion } from '../database/branch-series';
import { askEngine, askRunner, type ColumnLine, type FormAnswer, type FormAsk, type LineFacts, type RowLine } from '../engine';
import { Fault } from '../fault';
import { choicesSchema, formAsk, readForm } from '../form';
import { requirePermission, type SignedIn } from '../session';
import { branchFor } from './record';
import { snapshotFor } from './snapshots';

/** What is beside one another: `plan`, a branch (`b12`), a snapshot (`s3`), or the plan in another scenario (`m206`, its member). */
const side = z.string().regex(/^(plan|[bsm]\d{1,9})$/);
export const compareSchema = z.object({
	form: z.string().max(80),
	choices: choicesSchema,
	/** The first is what the others are held against. */
	sides: z.array(side).min(1).max(4)
});

/** How figures are written. */
export interface ComparedFacts {
	valueType: ValueType;
	shownDecimals: number;
	/** Whether they stand for words: there is no difference of them. */
	inWords: boolean;
}

export interface ComparedSide {
	/** As it was asked for. */
	key: string;
	name: string;
	/** Row by row; null for empty. */
	values: (number | null)[];
	/** What figures of choices, dates and texts stand for, by cell. */
	words: Record<number, string>;
	/** Lines it has and the first has not: they are not shown. */
	beyond: number;
}

export interface Comparison {
	form: string;
	rows: { label: string; depth: number; facts: ComparedFacts }[];
	/** Where accounts stand on the columns theirs are the facts that count. */
	columns: { label: string; facts: ComparedFacts | null; isTotal: boolean }[];
	selectors: FormSelector[];
	currency: string;
	currencies: string[];
	/** The dimension (id) of scenarios. */
	scenarios: number;
	sides: ComparedSide[];
}

/** Without anybody’s drafts: what is saved is compared. */
const NOBODYS_DRAFT = 0;

/** A form of several sides, by the lines of the first. @throws Fault 404 where one may not be looked at, 422 where the form does not fit it */
export async function compare(
	person: SignedIn | undefined,
	modelId: number,
	{ form: code, choices, sides }: z.infer<typeof compareSchema>
): Promise<Comparison> {
	const reader = requirePermission(person, 'form.read');
	const stored = await readForm(reader, modelId, code);
	const ask = { ...(await formAsk({ ...reader, branch: undefined }, modelId, stored.layout, choices, 0)), person: NOBODYS_DRAFT };
	let first: FormAnswer | undefined;
	const read: ComparedSide[] = [];
	for (const key of new Set(sides)) {
		const { name, form } = await readSide(reader, modelId, ask, key);
		first ??= form;
		read.push({ key, name, ...inLinesOf(first, form) });
	}
	const base = first!;
	return {
		form: stored.name,
		rows: base.rows.map((line) => ({ label: line.label, depth: line.depth, facts: comparedFacts(line) })),
		columns: base.columns.map(({ label, facts, parent }) => ({ label, facts: facts ? comparedFacts(facts) : null, isTotal: parent })),
		selectors: base.selectors,
		currency: base.currency,
		currencies: base.currencies,
		scenarios: base.axes.scenarios,
		sides: read
	};
}

async function readSide(reader: SignedIn, modelId: number, ask: FormAsk, key: string): Promise<{ name: string; form: FormAnswer }> {
	const id = Number(key.slice(1));
	if (key.startsWith('b')) {
		const { name } = await branchFor(reader, modelId, id);
		return { name, form: await askEngine(modelId, 'form', { ...ask, branch: (await branchVersion(pool(), id))! }) };
	}
	if (key.startsWith('s')) {
		const { name } = await snapshotFor(reader, modelId, id);
		// On a thread of its own: a snapshot is opened as a whole.
		return { name, form: await askRunner(modelId, 'snapshotForm', { ...ask, snapshot: id }) };
	}
	if (key.startsWith('m')) {
		const axes = (await askEngine(modelId, 'form', { ...ask, window: { rows: [] } })).axes;
		const form = await askEngine(modelId, 'form', { ...ask, choices: { ...ask.choices, [axes.scenarios]: id } });
		const selector = form.selectors.find(({ dimension }) => dimension === axes.scenarios);
		const chosen = selector?.choices.find(({ member }) => member === id);
		if (!chosen || selector?.chosen !== id) throw new Fault(422, 'not possible', 'This form does not let another scenario be chosen.');
		return { name: chosen.name, form };
	}
	return { name: 'Plan', form: await askEngine(modelId, 'form', ask) };
}

/** Names each line by what it shows; those alike by their order. */
function keysOf(lines: readonly (RowLine | ColumnLine)[], scenarios: number): Map<string, number> {
	const found = new Map<string, number>();
	lines.forEach(({ kind, block, members, label }, place) => {
		const { [scenarios]: _, ...rest } = members;
		const name = JSON.stringify([block, kind, kind === 'cells' ? Object.entries(rest).sort() : label]);
		let key = name;
		for (let again = 2; found.has(key); again++) key = `${name} ${again}`;
		found.set(key, place);
	});
	return found;
}

/** The figures of a form at the lines of another. */
function inLinesOf(base: FormAnswer, form: FormAnswer): Pick<ComparedSide, 'values' | 'words' | 'beyond'> {
	const words = wordsOf(form);
	if (form === base) return { values: form.values, words, beyond: 0 };
	const [rows, columns] = [keysOf(form.rows, form.axes.scenarios), keysOf(form.columns, form.axes.scenarios)];
	const [baseRows, baseColumns] = [keysOf(base.rows, base.axes.scenarios), keysOf(base.columns, base.axes.scenarios)];
	const values = new Array<number | null>(base.rows.length * base.columns.length).fill(null);
	const wordsAt: Record<number, string> = {};
	for (const [rowKey, row] of baseRows)
		for (const [columnKey, column] of baseColumns) {
			const [fromRow, fromColumn] = [rows.get(rowKey), columns.get(columnKey)];
			if (fromRow === undefined || fromColumn === undefined) continue;
			const [from, to] = [fromRow * form.columns.length + fromColumn, row * base.columns.length + column];
			values[to] = form.values[from] ?? null;
			if (words[from] !== undefined) wordsAt[to] = words[from];
		}
	const missing = (of: Map<string, number>, among: Map<string, number>) => [...of.keys()].filter((key) => !among.has(key)).length;
	return { values, words: wordsAt, beyond: missing(rows, baseRows) + missing(columns, baseColumns) };
}

const comparedFacts = ({ valueType, shownDecimals, coded }: LineFacts): ComparedFacts => ({
	valueType,
	shownDecimals,
	inWords: coded || valueType === 'date'
});

/** What the figures of a form stand for, dates among them. */
function wordsOf({ rows, columns, values, words }: FormAnswer): Record<number, string> {
	const found: Record<number, string> = Object.fromEntries(words);
	values.forEach((value, cell) => {
		const facts = columns[cell % columns.length]!.facts ?? rows[Math.floor(cell / columns.length)]!;
		if (value !== null && facts.valueType === 'date') found[cell] = new Date(value * 86_400_000).toISOString().slice(0, 10);
	});
	return found;
}
