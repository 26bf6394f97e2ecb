import { LoadGuard, RowReader, SeriesStore, Sum, type ColumnRule, type Model } from '../../../core';
import { loadGuard } from './load-access';
import { openSource, requireColumns } from '../file/source-rows';
import { recipeOf } from '../recipe';
import { placeTexts, type ModelContext } from './context';
import { ExtentBuilder } from './extent';
import type { LoadAsk } from './load';
import { RowIndexWriter } from './row-index';
import { RejectTally } from './tally';

/** Rejected rows kept in full; of further ones their lines and reasons. */
const MOST_REJECTS = 5_000;

/** What a file comes to before anything is written. */
export interface Gathered {
	store: SeriesStore;
	/** Of amounts to date with a column of currencies: what the file says before it is translated, by currency. */
	written: Map<string, SeriesStore>;
	extent: ExtentBuilder;
	guard: LoadGuard;
	rows: { read: number; loaded: number; skipped: number; rejected: number };
	amounts: { read: Sum; loaded: Sum; rejected: Sum };
	tally: RejectTally;
	/** The first rejected rows as they came. */
	rejects: { line: number; code: string; column: string; value: string; message: string; values: Record<string, string> }[];
}

/**
 * Reads and maps all rows of a kept file and sums them by cell. What became of each row is stored with the batch on the
 * way; cells are not touched.
 * @param progress told the rows read; throws to end the reading
 */
export async function gather(context: ModelContext, ask: LoadAsk, progress: (rows: number) => void): Promise<Gathered> {
	const { model, values } = context;
	const recipe = { ...recipeOf(ask.source, ask.rules), ratesInstead: ask.branch?.rates };
	const source = await openSource(ask.file, ask.source);
	requireColumns(source.headings, RowReader.columnsOf(recipe), ask.source.delimiter);
	const reader = new RowReader(model, recipe, source.headings, ask.chosen, values);
	const labels = labelPlaces(ask.rules, source.headings);
	const gathered: Gathered = {
		store: new SeriesStore(model.dimensions.length, model.periods.width, model.scenarioAxis),
		written: new Map(),
		extent: new ExtentBuilder(model, ask.source.extent),
		// A branch changes figures, and not what a scenario speaks about.
		guard: loadGuard(model, ask.access, ask.source.extendsSpan && !ask.branch),
		rows: { read: 0, loaded: 0, skipped: 0, rejected: 0 },
		amounts: { read: new Sum(), loaded: new Sum(), rejected: new Sum() },
		tally: new RejectTally(),
		rejects: []
	};
	const { rows, amounts } = gathered;
	const only = ask.onlyLines && new Set(ask.onlyLines);
	const index = new RowIndexWriter(ask.batchId);
	const place = placer(model, gathered.store);
	const isInCurrencies = ask.source.amounts === 'to date' && ask.source.currencyColumn !== null;
	const placers = new Map<string, ReturnType<typeof placer>>();
	const placeIn = (currency: string) => {
		let known = placers.get(currency);
		if (!known) {
			const store = new SeriesStore(model.dimensions.length, model.periods.width, model.scenarioAxis);
			gathered.written.set(currency, store);
			placers.set(currency, (known = placer(model, store)));
		}
		return known;
	};
	const corrected = corrector(ask.corrections, source.headings);
	for await (const chunk of source.chunks) {
		for (let at = 0; at < chunk.rows.length; at++) {
			const line = chunk.lines[at]!;
			if (only && !only.has(line)) continue;
			const row = corrected(chunk.rows[at]!, line);
			rows.read++;
			const amount = reader.amountOf(row);
			amounts.read.add(amount);
			let outcome = reader.read(row);
			if (outcome === 'loaded') {
				const why = whyNotOpen(gathered.guard, reader);
				if (why !== undefined) {
					outcome = 'rejected';
					reader.faults = [{ code: 'not open', dimension: null, column: '', value: '', message: why }];
				}
			}
			rows[outcome]++;
			if (outcome === 'rejected') {
				amounts.rejected.add(amount);
				reject(gathered, reader, labels, source.headings, row, line, amount);
			} else if (outcome === 'loaded') {
				amounts.loaded.add(amount);
				for (let cell = 0; cell < reader.count; cell++) {
					const period = reader.periods[cell]!;
					const value = reader.amounts[cell]!;
					const { number, series, position } = place(reader.address, period, value);
					index.add(line, number, series, position, value);
					if (isInCurrencies) placeIn(reader.currency)(reader.address, period, reader.asWritten[cell]!);
				}
				gathered.extent.add(reader.address, reader.periods.subarray(0, reader.count));
			}
		}
		await index.chunkRead(chunk.from, chunk.to, chunk.next);
		progress(rows.read);
	}
	replaceTexts(model, gathered.store, await placeTexts(values.newTexts));
	await index.end(
		gathered.store,
		model.dimensions.map((dimension) => Int32Array.from(dimension.members, ({ id }) => id))
	);
	return gathered;
}

/** Rows as they were put right in an earlier batch: a line's own correction goes before one for all lines. */
function corrector(corrections: LoadAsk['corrections'], headings: readonly string[]) {
	const places = [...new Set(corrections.map(({ column }) => headings.indexOf(column)))].filter((place) => place >= 0);
	const key = (line: number | null, column: string, value: string) => JSON.stringify([line, column, value]);
	const known = new Map(corrections.map(({ line, column, value, becomes }) => [key(line, column, value.trim()), becomes]));
	return (row: readonly string[], line: number): readonly string[] => {
		let right: string[] | undefined;
		for (const place of places) {
			const value = (row[place] ?? '').trim().slice(0, 500);
			const becomes = known.get(key(line, headings[place]!, value)) ?? known.get(key(null, headings[place]!, value));
			if (becomes !== undefined) (right ??= [...row])[place] = becomes;
		}
		return right ?? row;
	};
}

function whyNotOpen(guard: LoadGuard, reader: RowReader): string | undefined {
	for (let cell = 0; cell < reader.count; cell++) {
		const why = guard.whyNot(reader.address, reader.periods[cell]!);
		if (why !== undefined) return why;
	}
	return undefined;
}

function reject(
	gathered: Gathered,
	reader: RowReader,
	labels: ReadonlyMap<number, number>,
	headings: readonly string[],
	row: readonly string[],
	line: number,
	amount: number
): void {
	const fault = reader.faults[0]!;
	const label = fault.dimension === null ? undefined : labels.get(fault.dimension);
	gathered.tally.add(fault, line, amount, label === undefined ? '' : (row[label] ?? ''));
	if (gathered.rejects.length < MOST_REJECTS)
		gathered.rejects.push({
			line,
			code: fault.code,
			column: fault.column,
			value: fault.value,
			message: fault.message,
			values: Object.fromEntries(headings.map((heading, index) => [heading, (row[index] ?? '').slice(0, 500)]))
		});
}

/**
 * Puts an amount into its cell: added to what other rows brought; of prices, choices and texts the last row counts.
 * Yearly and timeless accounts have one cell a year or scenario.
 */
function placer(model: Model, store: SeriesStore) {
	const numbers = new Map<unknown, number>();
	const adds = model.accounts.members.map((_, ordinal) => {
		const type = model.account(ordinal)?.valueType;
		return type === 'money' || type === 'quantity';
	});
	const frequency = model.accounts.members.map((_, ordinal) => model.account(ordinal)?.frequency ?? 'per period');
	const placed = { number: 0, series: 0, position: 0 };
	return (address: Int32Array, period: number, value: number) => {
		const leaf = model.periods.leaf(period);
		const account = address[model.accountAxis]!;
		const often = frequency[account]!;
		const year = often === 'timeless' ? 0 : leaf.fiscalYear;
		placed.position = often === 'per period' ? leaf.position : 0;
		const block = store.ensureBlockOf(address, year);
		let number = numbers.get(block);
		if (number === undefined) numbers.set(block, (number = numbers.size));
		placed.number = number;
		placed.series = block.ensure(address);
		const place = placed.series * block.width + placed.position;
		const before = block.values[place]!;
		block.values[place] = before === before && adds[account] ? before + value : value;
		return placed;
	};
}

/** Stand-ins of new texts become their places. */
function replaceTexts(model: Model, store: SeriesStore, places: ReadonlyMap<number, number>): void {
	if (places.size === 0) return;
	for (const { block } of store.blocks())
		for (let series = 0; series < block.count; series++) {
			if (model.account(block.coordinates[model.accountAxis]![series]!)?.valueType !== 'text') continue;
			for (let at = series * block.width; at < (series + 1) * block.width; at++)
				block.values[at] = places.get(block.values[at]!) ?? block.values[at]!;
		}
}

function labelPlaces(rules: readonly ColumnRule[], headings: readonly string[]): Map<number, number> {
	return new Map(
		rules.flatMap((rule) => {
			const place = rule.from === 'column' && rule.label ? headings.indexOf(rule.label) : -1;
			return place < 0 ? [] : [[rule.dimension, place] as const];
		})
	);
}
