import {
	checkMap,
	LoadGuard,
	RowReader,
	neighboursReverse,
	suggestMembers,
	Sum,
	type ColumnRule,
	type MapFinding,
	type Model,
	type RatesInstead,
	type Suggestion
} from '../../../core';
import { loadGuard, type LoadAccess } from './load-access';
import { Fault } from '../../fault';
import type { KeptFile } from '../file/keep';
import { openSource, requireColumns, styleOf } from '../file/source-rows';
import { type Source } from '../../definition/source-schema';
import { recipeOf } from '../recipe';
import { modelContext, placeInWords } from './context';
import { ExtentBuilder, type Extent } from './extent';
import { RejectTally } from './tally';

/** Rows looked at while maps are edited; "check all rows" looks at each. */
export const LIVE_ROWS = 100_000;
const SAMPLE_ROWS = 200;
const VALUES_SHOWN = 200;
/** Files whose rows are kept ready in memory. */
const FILES_KEPT = 3;

export interface CheckAsk {
	modelId: number;
	file: KeptFile;
	source: Source;
	rules: ColumnRule[];
	chosen: Record<number, number>;
	access: LoadAccess;
	allRows: boolean;
	/** Rates of the branch it would be loaded into. */
	rates?: RatesInstead | undefined;
}

/** A value of a source that has no member yet. */
export interface UnmappedValue {
	value: string;
	label: string;
	rows: number;
	amount: number;
	/** Whether the values around it turn the sign of their rows: then this one does too. */
	reverseSign: boolean;
	suggestions: (Suggestion & { name: string })[];
}

export interface SampleRow {
	line: number;
	values: string[];
	outcome: 'loaded' | 'skipped' | 'rejected';
	/** What it becomes, or why it does not. */
	words: string;
	amount: number | null;
	/** Per rule the map line that decided, 0 for none. */
	winners: number[];
}

export interface CheckOutcome {
	headings: string[];
	/** Which columns the import looks at: shown first. */
	used: string[];
	rowsLookedAt: number;
	/** Whether these are all rows of the file. */
	complete: boolean;
	sample: SampleRow[];
	rows: { read: number; loaded: number; skipped: number; rejected: number };
	amounts: { read: number; loaded: number; skipped: number; rejected: number };
	/** Per rule: values met, and those without a member, by how many rows they stop. */
	dimensions: { dimension: number; distinct: number; unmappedValues: number; unmappedRows: number; unmapped: UnmappedValue[] }[];
	/** Other reasons, by how many rows they stop. */
	reasons: { message: string; rows: number; amount: number; lines: number[] }[];
	/** Rows each map line took, by line id. */
	lineRows: Record<number, number>;
	extent: Extent;
	/** What the import does not say yet: nothing can be loaded before it does. */
	missing: string[];
	/** Scenarios that will speak about more periods than now, in sentences. */
	extends: string[];
}

interface RowsAtHand {
	headings: string[];
	rows: string[][];
	lines: Int32Array;
	complete: boolean;
}

const atHand = new Map<string, RowsAtHand>();

/**
 * What a file would become by a recipe, without writing anything: sample rows, values without a member with suggestions,
 * control totals, extent.
 * @throws Fault when the file cannot be read as the recipe says
 */
export async function checkFile(ask: CheckAsk, progress: (rows: number) => void): Promise<CheckOutcome> {
	const { model, values } = await modelContext(ask.modelId);
	const recipe = { ...recipeOf(ask.source, ask.rules), ratesInstead: ask.rates };
	const checker = (headings: string[]) => {
		requireColumns(headings, RowReader.columnsOf(recipe), ask.source.delimiter);
		return new Checker(model, ask, new RowReader(model, recipe, headings, ask.chosen, values), headings);
	};
	if (!ask.allRows) {
		const { headings, rows, lines, complete } = await rowsAtHand(ask.file, ask.source);
		const check = checker(headings);
		for (const [index, row] of rows.entries()) check.look(row, lines[index]!);
		return check.outcome(complete);
	}
	const source = await openSource(ask.file, ask.source);
	const check = checker(source.headings);
	for await (const chunk of source.chunks) {
		for (const [index, row] of chunk.rows.entries()) check.look(row, chunk.lines[index]!);
		progress(check.rows.read);
	}
	return check.outcome(true);
}

/** The first rows of a file, read once and kept: maps are edited many times over the same rows. */
async function rowsAtHand(file: KeptFile, source: Source): Promise<RowsAtHand> {
	const { style, sheet } = styleOf(file, source);
	const key = JSON.stringify([file.id, sheet, style.delimiter, style.quote, style.encoding, source.headerRows, source.range]);
	const there = atHand.get(key);
	if (there) {
		atHand.delete(key);
		atHand.set(key, there);
		return there;
	}
	const opened = await openSource(file, source);
	const rows: string[][] = [];
	const lines: number[] = [];
	let complete = true;
	for await (const chunk of opened.chunks) {
		for (const [index, row] of chunk.rows.entries()) {
			if (rows.length >= LIVE_ROWS) {
				complete = false;
				break;
			}
			rows.push(row);
			lines.push(chunk.lines[index]!);
		}
		if (!complete) break;
	}
	const read = { headings: opened.headings, rows, lines: Int32Array.from(lines), complete };
	atHand.set(key, read);
	const oldest = atHand.keys().next().value;
	if (atHand.size > FILES_KEPT && oldest !== undefined) atHand.delete(oldest);
	return read;
}

/** Looks at rows one by one and counts what they become. */
class Checker {
	readonly #model: Model;
	readonly #ask: CheckAsk;
	readonly #reader: RowReader;
	readonly #guard: LoadGuard;
	readonly #headings: string[];
	readonly #labels: number[];
	readonly #variable: number[];
	readonly #tally = new RejectTally();
	/** Dimensions nobody has said the origin of yet, by name. */
	readonly #missing: string[];
	readonly #distinct: (Set<string> | undefined)[];
	readonly #sample: SampleRow[] = [];
	readonly #lineRows = new Map<number, number>();
	readonly #extent: ExtentBuilder;
	readonly rows = { read: 0, loaded: 0, skipped: 0, rejected: 0 };
	readonly #amounts = { read: new Sum(), loaded: new Sum(), skipped: new Sum(), rejected: new Sum() };

	constructor(model: Model, ask: CheckAsk, reader: RowReader, headings: string[]) {
		this.#model = model;
		this.#ask = ask;
		this.#reader = reader;
		this.#headings = headings;
		this.#guard = loadGuard(model, ask.access, ask.source.extendsSpan);
		this.#extent = new ExtentBuilder(model, ask.source.extent);
		this.#missing = [...model.dimensions, model.periods.dimension]
			.filter(({ id }) => !ask.rules.some(({ dimension }) => dimension === id))
			.map(({ name }) => name);
		this.#labels = ask.rules.map((rule) => (rule.from === 'column' && rule.label ? headings.indexOf(rule.label) : -1));
		this.#distinct = ask.rules.map((rule) => (rule.from === 'column' ? new Set() : undefined));
		// What is the same for every row need not be said in each.
		this.#variable = ask.rules.flatMap((rule) =>
			rule.from === 'column' ? [model.dimensions.findIndex(({ id }) => id === rule.dimension)] : []
		);
	}

	look(row: readonly string[], line: number): void {
		const reader = this.#reader;
		const outcome = this.#read(row);
		const amount = reader.amountOf(row);
		this.rows.read++;
		this.rows[outcome]++;
		this.#amounts.read.add(amount);
		this.#amounts[outcome].add(amount);
		this.#distinct.forEach((values, rule) => {
			if (values && values.size < 200_000) values.add(reader.valueOf(rule, row)!);
		});
		for (const id of reader.winners) if (id !== 0) this.#lineRows.set(id, (this.#lineRows.get(id) ?? 0) + 1);
		if (outcome === 'loaded') this.#extent.add(reader.address, reader.periods.subarray(0, reader.count));
		// A row may lack members on several dimensions: each value is listed, and the row counted once.
		if (outcome === 'rejected')
			for (const fault of reader.faults) {
				const rule = this.#ask.rules.findIndex(({ dimension }) => dimension === fault.dimension);
				const label = rule >= 0 && this.#labels[rule]! >= 0 ? (row[this.#labels[rule]!] ?? '') : '';
				this.#tally.add(fault, line, amount, label);
			}
		if (this.#sample.length < SAMPLE_ROWS) this.#sample.push(this.#sampleRow(row, line, outcome, amount));
	}

	#read(row: readonly string[]): 'loaded' | 'skipped' | 'rejected' {
		const reader = this.#reader;
		const outcome = reader.read(row);
		if (outcome !== 'loaded') return outcome;
		if (this.#missing.length > 0) {
			const message = `It is not said yet where these come from: ${this.#missing.join(', ')}.`;
			reader.faults = [{ code: 'fields missing', dimension: null, column: '', value: '', message }];
			return 'rejected';
		}
		for (let index = 0; index < reader.count; index++) {
			const why = this.#guard.whyNot(reader.address, reader.periods[index]!);
			if (why !== undefined) {
				reader.faults = [{ code: 'not open', dimension: null, column: '', value: '', message: why }];
				return 'rejected';
			}
		}
		return 'loaded';
	}

	#sampleRow(row: readonly string[], line: number, outcome: SampleRow['outcome'], amount: number): SampleRow {
		const reader = this.#reader;
		const words =
			outcome === 'loaded'
				? placeInWords(this.#model, reader, this.#variable)
				: outcome === 'skipped'
					? 'left out by its map'
					: (reader.faults[0]?.message ?? 'rejected');
		let loaded = 0;
		for (let index = 0; index < reader.count; index++) loaded += reader.amounts[index]!;
		return { line, values: [...row], outcome, words, amount: outcome === 'loaded' ? loaded : amount, winners: [...reader.winners] };
	}

	outcome(complete: boolean): CheckOutcome {
		const reasons = this.#tally.reasons;
		const { rules } = this.#ask;
		return {
			headings: this.#headings,
			used: RowReader.columnsOf(recipeOf(this.#ask.source, rules)),
			rowsLookedAt: this.rows.read,
			complete,
			sample: this.#sample,
			rows: this.rows,
			// Of no rows the sum is empty, here it is 0.
			amounts: {
				read: this.#amounts.read.value || 0,
				loaded: this.#amounts.loaded.value || 0,
				skipped: this.#amounts.skipped.value || 0,
				rejected: this.#amounts.rejected.value || 0
			},
			dimensions: rules.map((rule, index) => {
				const without = reasons.filter(({ fault }) => fault.code === 'no member' && fault.dimension === rule.dimension);
				return {
					dimension: rule.dimension,
					distinct: this.#distinct[index]?.size ?? 0,
					unmappedValues: without.length,
					unmappedRows: without.reduce((sum, { rows }) => sum + rows, 0),
					unmapped: without.slice(0, VALUES_SHOWN).map(({ fault, label, rows, amount }, place) => ({
						value: fault.value,
						label,
						rows,
						amount: amount.value,
						reverseSign: rule.from === 'column' && neighboursReverse(fault.value, rule.lines),
						// Looking for likely members costs a walk over all of them: for what is seen first.
						suggestions: place < 40 && rule.from === 'column' ? this.#suggest(rule, fault.value, label) : []
					}))
				};
			}),
			reasons: reasons
				.filter(({ fault }) => fault.code !== 'no member')
				.slice(0, VALUES_SHOWN)
				.map(({ fault, rows, amount, lines }) => ({ message: fault.message, rows, amount: amount.value, lines })),
			lineRows: Object.fromEntries(this.#lineRows),
			extent: this.#extent.state(),
			missing: whatIsMissing(this.#model, rules, this.#ask.source),
			extends: this.#extent.beyond().map(({ words }) => words)
		};
	}

	#suggest(rule: Extract<ColumnRule, { from: 'column' }>, value: string, label: string): UnmappedValue['suggestions'] {
		const dimension = this.#model.dimension(rule.dimension)!;
		const leaves = dimension.members.filter((_, ordinal) => dimension.isLeaf(ordinal)).slice(0, 20_000);
		return suggestMembers(value, label, rule.lines, leaves).map((suggestion) => ({
			...suggestion,
			name: dimension.member(dimension.ordinal(suggestion.member)!).name
		}));
	}
}

export const findingsOf = (rules: readonly ColumnRule[]): Record<number, MapFinding[]> =>
	Object.fromEntries(rules.flatMap((rule) => (rule.from === 'column' ? [[rule.dimension, checkMap(rule.lines)]] : [])));

/** What an import does not say yet, in sentences: without it nothing can be loaded. */
export function whatIsMissing(model: Model, rules: readonly ColumnRule[], source: Pick<Source, 'amountColumns'>): string[] {
	const missing = [...model.dimensions, model.periods.dimension]
		.filter((dimension) => !rules.some((rule) => rule.dimension === dimension.id))
		.map(({ name }) => `Say first where the ${name.toLowerCase()} of each row comes from.`);
	return source.amountColumns.length > 0 ? missing : ['Say first which column holds the amounts.', ...missing];
}

/** @throws Fault when a dimension's rule is not complete */
export function requireComplete(model: Model, rules: readonly ColumnRule[], source: Source): void {
	const [first] = whatIsMissing(model, rules, source);
	if (first !== undefined) throw new Fault(422, 'not complete', first);
}
