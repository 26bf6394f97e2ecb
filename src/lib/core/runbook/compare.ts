import type { CellPlace } from '../cell';
import { addsUp, isTranslated, rateUse, translationFactors, type Block, type ChangedSeries, type WorkCube } from '../cube';
import { factPeriod, type Model } from '../model';
import { isEmpty, Sum } from '../number';
import type { RunResult } from './run';

/** Sample cells that a preview shows. */
const SAMPLES = 40;

/** An account's amounts over the cells a run changed, before and after. */
export interface AccountTotal {
	account: number;
	/** Empty for what does not add up: prices, percents, choices. */
	before: number;
	after: number;
	/** The currency they are stated in; null where nothing is translated. */
	currency: string | null;
	/** Whether a rate was missing, so that something is left out. */
	incomplete: boolean;
	cells: number;
}

/** A cell before and after; empty as NaN. */
export interface SampleCell extends CellPlace {
	before: number;
	after: number;
}

/** Figures of the changed cells now and, once the cube is put back, before. */
export function compare(
	model: Model,
	work: WorkCube,
	changes: readonly ChangedSeries[],
	wantsFigures: boolean
): Pick<RunResult, 'cells' | 'totals' | 'samples' | 'figures'> {
	const { cube } = work;
	// Several origins may have changed one series.
	const seen = new Map<Block, Set<number>>();
	const touched = changes.filter(({ block, series }) => {
		let known = seen.get(block);
		if (!known) seen.set(block, (known = new Set()));
		return !known.has(series) && known.add(series);
	});
	const { width } = cube.store;
	const readAll = () => {
		const all = new Float64Array(touched.length * width);
		touched.forEach(({ block, series }, index) => {
			for (let position = 0; position < width; position++) all[index * width + position] = block.values[series * width + position]!;
		});
		return all;
	};
	const after = readAll();
	work.restore();
	const before = readAll();
	const totals = new Map<number, Omit<AccountTotal, 'before' | 'after'> & { before: Sum; after: Sum }>();
	const known = new Map<string, Float64Array>();
	const factorsOf = (address: Int32Array): Float64Array | undefined => {
		const facts = model.factsAt(address);
		const local = model.entityAxis < 0 ? model.definition.reportingCurrency : model.currencyOf(address[model.entityAxis]!);
		if (!facts || !isTranslated(facts) || local === model.definition.reportingCurrency) return undefined;
		const scenario = address[model.scenarioAxis]!;
		const key = `${local} ${scenario} ${rateUse(facts)}`;
		let factors = known.get(key);
		if (!factors) {
			const setAt = (period: number) => model.rateSetAt(scenario, period);
			known.set(key, (factors = translationFactors(model, local, model.definition.reportingCurrency, setAt, rateUse(facts))));
		}
		return factors;
	};
	const samples: SampleCell[] = [];
	const figures: RunResult['figures'] = [];
	let cells = 0;
	touched.forEach(({ address, year }, index) => {
		const changedBefore = cells;
		const account = address[model.accountAxis]!;
		let total = totals.get(account);
		const facts = model.account(account);
		if (!total) {
			const currency = facts && isTranslated(facts) ? model.definition.reportingCurrency : null;
			totals.set(account, (total = { account, currency, incomplete: false, cells: 0, before: new Sum(), after: new Sum() }));
		}
		const factors = factorsOf(address);
		/** In the one currency all amounts are stated in. */
		const stated = (value: number, position: number): number => {
			if (!factors) return value;
			const leaf = model.periods.at(year, position)?.index ?? factPeriod(model, address);
			if (isEmpty(factors[leaf]!)) total.incomplete = true;
			return value * factors[leaf]!;
		};
		for (let position = 0; position < width; position++) {
			const was = before[index * width + position]!;
			const is = after[index * width + position]!;
			if (!isEmpty(was)) total.before.add(stated(was, position));
			if (!isEmpty(is)) total.after.add(stated(is, position));
			if (was === is || (isEmpty(was) && isEmpty(is))) continue;
			cells++;
			total.cells++;
			if (samples.length < SAMPLES) samples.push({ address, year, position, before: was, after: is });
		}
		const range = [index * width, (index + 1) * width] as const;
		if (wantsFigures && cells > changedBefore)
			figures.push({ address, year, before: before.subarray(...range), after: after.subarray(...range) });
	});
	const told = [...totals.values()]
		.filter((total) => total.cells > 0)
		.map((total): AccountTotal => {
			const adds = addsUp(model, total.account);
			const orZero = (value: number) => (isEmpty(value) ? 0 : value);
			return {
				...total,
				before: adds ? orZero(total.before.value) : Number.NaN,
				after: adds ? orZero(total.after.value) : Number.NaN
			};
		});
	return { cells, figures, samples, totals: told };
}
