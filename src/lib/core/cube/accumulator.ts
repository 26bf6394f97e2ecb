import type { ReadGuard } from '../access';
import { EMPTY, isValue } from '../number';
import { asResult } from './live-value';
import type { TakeColumn } from './live-changes';
import type { CompiledQuery } from './query';
import type { Address } from '../cell';
import type { Block } from './series-store';

/**
 * The sums of a query before consolidation: one series of leaf periods for every combination of classes, compensated,
 * with the number of cells behind each place, so that empty differs from zero and values can be taken out again.
 */
export class Accumulator {
	readonly #query: CompiledQuery;
	readonly #totals: Float64Array;
	readonly #compensations: Float64Array;
	readonly #counts: Int32Array;

	constructor(query: CompiledQuery) {
		this.#query = query;
		const places = query.series * query.seriesWidth;
		this.#totals = new Float64Array(places);
		this.#compensations = new Float64Array(places);
		this.#counts = new Int32Array(places);
	}

	clear(): void {
		this.#totals.fill(0);
		this.#compensations.fill(0);
		this.#counts.fill(0);
	}

	/** What is added up at a leaf period of a series; empty where no cell is. */
	at(series: number, period: number): number {
		const place = series * this.#query.seriesWidth + this.#query.placeOfLeaf[period]!;
		return this.#counts[place] === 0 ? EMPTY : this.#totals[place]! + this.#compensations[place]!;
	}

	/**
	 * Adds every series of a block that the query covers and the reader may see. Stored values where a per-leaf formula
	 * stands do not count. O(series × dimensions).
	 */
	scan(block: Block, scenario: number, yearIndex: number, visible: ReadGuard | undefined): void {
		const { model, classes, strides, seriesWidth } = this.#query;
		const scenarioOffset = classes[model.scenarioAxis]!.classOf[scenario]! * strides[model.scenarioAxis]!;
		const axes = scanOrder(classes, model.scenarioAxis);
		const tables = axes.map((axis) => classes[axis]!.classOf);
		const columns = axes.map((axis) => block.coordinates[axis]!);
		const steps = axes.map((axis) => strides[axis]!);
		const weighing = model.dimensions.map((_, axis) => axis).filter((axis) => axis !== model.scenarioAxis && classes[axis]!.factor);
		const factors = weighing.map((axis) => classes[axis]!.factor!);
		const weighed = weighing.map((axis) => block.coordinates[axis]!);
		const { width, values, count } = block;
		const totals = this.#totals;
		const compensations = this.#compensations;
		const counts = this.#counts;
		const yearOffset = yearIndex * width;
		const accounts = block.coordinates[model.accountAxis]!;
		const year = this.#query.years[yearIndex]!;
		const anyComputed = model.live.ordered.length > 0;
		const maySee = visible?.testerFor(block.coordinates);
		scanning: for (let series = 0; series < count; series++) {
			let target = scenarioOffset;
			for (let axis = 0; axis < tables.length; axis++) {
				const leafClass = tables[axis]![columns[axis]![series]!]!;
				if (leafClass < 0) continue scanning;
				target += leafClass * steps[axis]!;
			}
			if (maySee && !maySee(series)) continue;
			let weight = 1;
			for (let axis = 0; axis < factors.length; axis++) weight *= factors[axis]![weighed[axis]![series]!]!;
			const mayBeComputed = anyComputed && model.live.has(accounts[series]!);
			const from = series * width;
			const into = target * seriesWidth + yearOffset;
			for (let position = 0; position < width; position++) {
				const value = values[from + position]! * weight;
				if (value !== value) continue;
				if (mayBeComputed && model.live.hides(accounts[series]!, scenario, model.periods.at(year, position)!.index)) continue;
				const place = into + position;
				// Neumaier's step, written out: this is the innermost loop of every query.
				const total = totals[place]!;
				const next = total + value;
				compensations[place]! += Math.abs(total) >= Math.abs(value) ? total - next + value : value - next + total;
				totals[place] = next;
				counts[place]!++;
			}
		}
	}

	/**
	 * One leaf cell went from one value to another.
	 * @returns the series it counts in, −1 where the query does not cover it
	 */
	change(address: Address, year: number, position: number, before: number, after: number): number {
		const { model, classes, strides, seriesWidth, years } = this.#query;
		const yearIndex = years.indexOf(year);
		if (yearIndex < 0) return -1;
		let series = 0;
		let weight = 1;
		for (let axis = 0; axis < classes.length; axis++) {
			const { classOf, factor } = classes[axis]!;
			const leafClass = classOf[address[axis]!]!;
			if (leafClass < 0) return -1;
			series += leafClass * strides[axis]!;
			if (factor) weight *= factor[address[axis]!]!;
		}
		const place = series * seriesWidth + yearIndex * model.periods.width + position;
		if (isValue(before)) this.#add(place, -before * weight, -1);
		if (isValue(after)) this.#add(place, after * weight, 1);
		if (this.#counts[place] === 0) this.#totals[place] = this.#compensations[place] = 0;
		return series;
	}

	/**
	 * Takes changes of many leaves of one account and period, whose other coordinates are those of a block's series.
	 * Undefined where the query covers none of them.
	 */
	changeColumn(block: Block, account: number, scenario: number, year: number, position: number): TakeColumn | undefined {
		const { model, classes, strides, seriesWidth, years } = this.#query;
		const yearIndex = years.indexOf(year);
		const accounts = classes[model.accountAxis]!;
		const accountClass = accounts.classOf[account]!;
		const scenarioClass = classes[model.scenarioAxis]!.classOf[scenario]!;
		if (yearIndex < 0 || accountClass < 0 || scenarioClass < 0) return undefined;
		const axes = scanOrder(classes, model.scenarioAxis).filter((axis) => axis !== model.accountAxis);
		const tables = axes.map((axis) => classes[axis]!.classOf);
		const columns = axes.map((axis) => block.coordinates[axis]!);
		const steps = axes.map((axis) => strides[axis]! * seriesWidth);
		const weighing = model.dimensions
			.map((_, axis) => axis)
			.filter((axis) => axis !== model.scenarioAxis && axis !== model.accountAxis && classes[axis]!.factor);
		const factors = weighing.map((axis) => classes[axis]!.factor!);
		const weighed = weighing.map((axis) => block.coordinates[axis]!);
		const own = (accounts.factor?.[account] ?? 1) * (classes[model.scenarioAxis]!.factor?.[scenario] ?? 1);
		const from =
			(accountClass * strides[model.accountAxis]! + scenarioClass * strides[model.scenarioAxis]!) * seriesWidth +
			yearIndex * model.periods.width +
			position;
		const [totals, compensations, counts] = [this.#totals, this.#compensations, this.#counts];
		return (series: Int32Array, count: number, before: Float64Array, after: Float64Array): void => {
			taking: for (let at = 0; at < count; at++) {
				let place = from;
				for (let axis = 0; axis < tables.length; axis++) {
					const leafClass = tables[axis]![columns[axis]![series[at]!]!]!;
					if (leafClass < 0) continue taking;
					place += leafClass * steps[axis]!;
				}
				let weight = own;
				for (let axis = 0; axis < factors.length; axis++) weight *= factors[axis]![weighed[axis]![series[at]!]!]!;
				const was = -asResult(before[at]!) * weight;
				const is = asResult(after[at]!) * weight;
				let total = totals[place]!;
				let compensation = compensations[place]!;
				let cells = counts[place]!;
				if (was === was) {
					const next = total + was;
					compensation += Math.abs(total) >= Math.abs(was) ? total - next + was : was - next + total;
					total = next;
					cells--;
				}
				if (is === is) {
					const next = total + is;
					compensation += Math.abs(total) >= Math.abs(is) ? total - next + is : is - next + total;
					total = next;
					cells++;
				}
				totals[place] = cells === 0 ? 0 : total;
				compensations[place] = cells === 0 ? 0 : compensation;
				counts[place] = cells;
			}
		};
	}

	#add(place: number, value: number, count: number): void {
		const total = this.#totals[place]!;
		const next = total + value;
		this.#compensations[place]! += Math.abs(total) >= Math.abs(value) ? total - next + value : value - next + total;
		this.#totals[place] = next;
		this.#counts[place]! += count;
	}
}

/** The most selective tables first, so that most series are passed over at the first look; those of one class only left out. */
function scanOrder(classes: CompiledQuery['classes'], scenarioAxis: number): number[] {
	const kept = classes.map(
		({ classOf }) => classOf.reduce((total, leafClass) => total + (leafClass >= 0 ? 1 : 0), 0) / Math.max(1, classOf.length)
	);
	return classes
		.map((_, axis) => axis)
		.filter((axis) => axis !== scenarioAxis && classes[axis]!.uniform !== 0)
		.sort((a, b) => kept[a]! - kept[b]!);
}
