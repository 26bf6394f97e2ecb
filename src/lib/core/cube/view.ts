import type { PeriodRange } from '../calendar';
import { evaluate } from '../formula';
import type { AccountDefinition, ScenarioDefinition } from '../model';
import { EMPTY, isEmpty, isValue, Sum } from '../number';
import type { ClassShare } from './classes';
import type { Cube } from './cube';
import type { Overlay } from './overlay';
import type { CompiledQuery } from './query';
import type { Address, Block } from './series-store';
import { isTranslated, translationFactors } from './translation';

/** What else is to be said of a figure; bits. */
export const CellFlag = {
	/** A rate is missing beneath, so the figure lacks something. */
	incomplete: 1,
	/** Blank because it would add up several currencies. */
	mixedCurrency: 2
} as const;

export interface ViewResult {
	/** Row by row; empty is NaN. */
	values: Float64Array;
	flags: Uint8Array;
}

/** A class combination that counts in a cell. */
interface Part {
	/** Offset of its accumulated series. */
	base: number;
	weight: number;
	scenario: number;
	entity: number;
}

const NEUTRAL: Part = { base: 0, weight: 1, scenario: -1, entity: -1 };

/**
 * A query that stays open over a cube: filled by one scan, kept right by changed cells, evaluated when asked.
 */
export class View {
	readonly query: CompiledQuery;
	readonly #totals: Float64Array;
	readonly #compensations: Float64Array;
	readonly #counts: Int32Array;
	readonly #rowParts: Part[][];
	readonly #columnParts: Part[][];
	readonly #sliceParts: Part[];
	readonly #accountParts = new Map<number, { share: ClassShare; account: AccountDefinition }[]>();
	readonly #factors = new Map<string, Float64Array>();

	constructor(query: CompiledQuery) {
		this.query = query;
		const places = query.series * query.seriesWidth;
		this.#totals = new Float64Array(places);
		this.#compensations = new Float64Array(places);
		this.#counts = new Int32Array(places);
		this.#sliceParts = this.#partsOf(query.slice);
		this.#rowParts = query.rows.map((line) => this.#partsOf(line));
		this.#columnParts = query.columns.map((line) => this.#partsOf(line));
	}

	/** Empties the view and adds up the cube, seen through the overlay. O(series in the blocks met × dimensions). */
	fill(cube: Cube, overlay?: Overlay): void {
		this.#totals.fill(0);
		this.#compensations.fill(0);
		this.#counts.fill(0);
		const { model, classes, strides, years } = this.query;
		const scenarioClasses = classes[model.scenarioAxis]!;
		for (let scenario = 0; scenario < scenarioClasses.classOf.length; scenario++) {
			const scenarioClass = scenarioClasses.classOf[scenario]!;
			if (scenarioClass < 0) continue;
			years.forEach((year, index) => {
				const block = cube.store.block(scenario, year);
				if (block) this.#scan(block, scenarioClass * strides[model.scenarioAxis]!, index);
			});
		}
		overlay?.each((address, year, position) =>
			this.change(address, year, position, cube.read(address, year, position), overlay.read(cube, address, year, position))
		);
	}

	/**
	 * A leaf cell went from one effective value to another. O(dimensions).
	 * @returns whether the view covers the cell
	 */
	change(address: Address, year: number, position: number, before: number, after: number): boolean {
		const { model, classes, strides, seriesWidth, years } = this.query;
		const yearIndex = years.indexOf(year);
		if (yearIndex < 0) return false;
		let series = 0;
		let weight = 1;
		for (let axis = 0; axis < classes.length; axis++) {
			const { classOf, factor } = classes[axis]!;
			const leafClass = classOf[address[axis]!]!;
			if (leafClass < 0) return false;
			series += leafClass * strides[axis]!;
			if (factor) weight *= factor[address[axis]!]!;
		}
		const place = series * seriesWidth + yearIndex * model.periods.width + position;
		if (isValue(before)) this.#add(place, -before * weight, -1);
		if (isValue(after)) this.#add(place, after * weight, 1);
		if (this.#counts[place] === 0) this.#totals[place] = this.#compensations[place] = 0;
		return true;
	}

	/** All cells of the grid. O(cells × class combinations beneath each). */
	evaluate(): ViewResult {
		const rows = this.query.rows.length;
		const columns = this.query.columns.length;
		const values = new Float64Array(rows * columns);
		const flags = new Uint8Array(rows * columns);
		for (let row = 0; row < rows; row++)
			for (let column = 0; column < columns; column++) {
				const reading = { flags: 0 };
				values[row * columns + column] = this.#amount(this.#accountAt(row, column), row, column, reading);
				flags[row * columns + column] = reading.flags;
			}
		return { values, flags };
	}

	#scan(block: Block, scenarioOffset: number, yearIndex: number): void {
		const { model, classes, strides, seriesWidth } = this.query;
		const axes = scanOrder(classes, model.scenarioAxis);
		const tables = axes.map((axis) => classes[axis]!.classOf);
		const columns = axes.map((axis) => block.coordinates[axis]!);
		const steps = axes.map((axis) => strides[axis]!);
		const weighing = axes.filter((axis) => classes[axis]!.factor);
		const factors = weighing.map((axis) => classes[axis]!.factor!);
		const weighed = weighing.map((axis) => block.coordinates[axis]!);
		const { width, values, count } = block;
		const totals = this.#totals;
		const compensations = this.#compensations;
		const counts = this.#counts;
		const yearOffset = yearIndex * width;
		scanning: for (let series = 0; series < count; series++) {
			let target = scenarioOffset;
			for (let axis = 0; axis < tables.length; axis++) {
				const leafClass = tables[axis]![columns[axis]![series]!]!;
				if (leafClass < 0) continue scanning;
				target += leafClass * steps[axis]!;
			}
			let weight = 1;
			for (let axis = 0; axis < factors.length; axis++) weight *= factors[axis]![weighed[axis]![series]!]!;
			const from = series * width;
			const into = target * seriesWidth + yearOffset;
			for (let position = 0; position < width; position++) {
				const value = values[from + position]! * weight;
				if (value !== value) continue;
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

	#add(place: number, value: number, count: number): void {
		const total = this.#totals[place]!;
		const next = total + value;
		this.#compensations[place]! += Math.abs(total) >= Math.abs(value) ? total - next + value : value - next + total;
		this.#totals[place] = next;
		this.#counts[place]! += count;
	}

	/** The class combinations of a line, the account left out: it may be replaced by a formula's operands. */
	#partsOf(line: Int32Array): Part[] {
		const { model, classes, strides, seriesWidth } = this.query;
		let parts = [NEUTRAL];
		for (let axis = 0; axis < line.length; axis++) {
			if (line[axis]! < 0 || axis === model.accountAxis) continue;
			const shares = classes[axis]!.shares.get(line[axis]!)!;
			parts = parts.flatMap((part) =>
				shares.map((share) => ({
					base: part.base + share.class * strides[axis]! * seriesWidth,
					weight: part.weight * share.weight,
					scenario: axis === model.scenarioAxis ? classes[axis]!.representative[share.class]! : part.scenario,
					entity: axis === model.entityAxis ? classes[axis]!.representative[share.class]! : part.entity
				}))
			);
		}
		return parts;
	}

	#accountAt(row: number, column: number): number {
		const { accountAxis, model, slice, rows, columns } = this.query;
		const line = accountAxis === 'row' ? rows[row]! : accountAxis === 'column' ? columns[column]! : slice;
		return line[model.accountAxis]!;
	}

	#rangeAt(row: number, column: number): PeriodRange {
		const { periodAxis, periods, model } = this.query;
		return model.periods.range(periods[periodAxis === 'row' ? row : periodAxis === 'column' ? column : 0]!);
	}

	#amount(account: number, row: number, column: number, reading: { flags: number }): number {
		const { model } = this.query;
		const formula = model.formula(account);
		if (formula)
			return evaluate(formula.expression, (member) => {
				const operand = model.accounts.ordinal(member);
				return operand === undefined ? EMPTY : this.#amount(operand, row, column, reading);
			});
		return this.#total(account, row, column, reading);
	}

	/** A cell added up from the accumulated series, translated leaf period by leaf period. */
	#total(account: number, row: number, column: number, reading: { flags: number }): number {
		const { strides, model, seriesWidth } = this.query;
		const range = this.#rangeAt(row, column);
		const total = new Sum();
		let local: string | undefined;
		for (const { share, account: facts } of this.#accountClasses(account)) {
			const accountBase = share.class * strides[model.accountAxis]! * seriesWidth;
			for (const rowPart of this.#rowParts[row]!)
				for (const columnPart of this.#columnParts[column]!)
					for (const slicePart of this.#sliceParts) {
						const base = accountBase + rowPart.base + columnPart.base + slicePart.base;
						const scenario = Math.max(rowPart.scenario, columnPart.scenario, slicePart.scenario);
						const entity = Math.max(rowPart.entity, columnPart.entity, slicePart.entity);
						const value = this.#overPeriods(base, facts, scenario, entity, range, reading);
						if (isEmpty(value)) continue;
						if (isTranslated(facts) && this.query.currency === 'local' && entity >= 0) {
							local ??= model.currencyOf(entity);
							if (local !== model.currencyOf(entity)) {
								reading.flags |= CellFlag.mixedCurrency;
								return EMPTY;
							}
						}
						total.add(value * share.weight * rowPart.weight * columnPart.weight * slicePart.weight);
					}
		}
		return total.value;
	}

	/** Classes of leaf accounts that count in an account; those that do not add up count only in themselves. */
	#accountClasses(account: number): { share: ClassShare; account: AccountDefinition }[] {
		const known = this.#accountParts.get(account);
		if (known) return known;
		const { model, classes } = this.query;
		const leafClasses = classes[model.accountAxis]!;
		const isLeaf = model.accounts.tree.isLeaf(account);
		const parts = (leafClasses.shares.get(account) ?? []).flatMap((share) => {
			const leaf = leafClasses.representative[share.class]!;
			const facts = model.account(leaf);
			return facts && !model.formula(leaf) && (isLeaf || facts.consolidation === 'sum') ? [{ share, account: facts }] : [];
		});
		this.#accountParts.set(account, parts);
		return parts;
	}

	/** One accumulated series over a run of leaf periods, by time behaviour, within the scenario's span. */
	#overPeriods(
		base: number,
		account: AccountDefinition,
		scenario: number,
		entity: number,
		asked: PeriodRange,
		reading: { flags: number }
	): number {
		const { model, placeOfLeaf } = this.query;
		const scenarioSpan = model.scenario(scenario);
		const from = Math.max(asked.from, scenarioSpan?.span.from ?? 0);
		const to = Math.min(asked.to, scenarioSpan?.span.to ?? Number.MAX_SAFE_INTEGER);
		if (to < from) return EMPTY;
		if (account.consolidation !== 'sum' && !this.#isSingleCell(base, from, to)) return EMPTY;
		const factors = isTranslated(account) && entity >= 0 ? this.#factorsOf(account, entity, scenarioSpan?.definition) : undefined;
		const at = (index: number): number => {
			const place = base + placeOfLeaf[index]!;
			if (this.#counts[place] === 0) return EMPTY;
			const value = this.#totals[place]! + this.#compensations[place]!;
			if (!factors) return value;
			const factor = factors[index]!;
			if (isEmpty(factor)) reading.flags |= CellFlag.incomplete;
			return value * factor;
		};
		switch (account.timeBehaviour) {
			case 'closing':
				return at(to);
			case 'opening':
				return at(from);
			case 'none':
				return from === to ? at(from) : EMPTY;
			case 'flow':
			case 'average': {
				const total = new Sum();
				for (let index = from; index <= to; index++) total.add(at(index));
				return account.timeBehaviour === 'flow' ? total.value : total.value / (to - from + 1);
			}
			default:
				return account.timeBehaviour satisfies never;
		}
	}

	/** Whether at most one leaf cell lies beneath: the only case in which a price or percent shows without a formula. */
	#isSingleCell(base: number, from: number, to: number): boolean {
		let cells = 0;
		for (let index = from; index <= to; index++) cells += this.#counts[base + this.query.placeOfLeaf[index]!]!;
		return cells <= 1;
	}

	/** What one unit of an entity's currency is worth in the reader's, per leaf period. */
	#factorsOf(account: AccountDefinition, entity: number, scenario: ScenarioDefinition | undefined): Float64Array | undefined {
		const { model, currency } = this.query;
		const local = model.currencyOf(entity);
		if (currency === 'local' || currency === local || !scenario) return undefined;
		const key = `${local} ${scenario.rateSet} ${account.timeBehaviour}`;
		let factors = this.#factors.get(key);
		if (!factors) this.#factors.set(key, (factors = translationFactors(model, local, currency, scenario.rateSet, account.timeBehaviour)));
		return factors;
	}
}

/** The most selective tables first, so that most series are passed over at the first look. */
function scanOrder(classes: CompiledQuery['classes'], scenarioAxis: number): number[] {
	const kept = classes.map(
		({ classOf }) => classOf.reduce((total, leafClass) => total + (leafClass >= 0 ? 1 : 0), 0) / Math.max(1, classOf.length)
	);
	return classes
		.map((_, axis) => axis)
		.filter((axis) => axis !== scenarioAxis)
		.sort((a, b) => kept[a]! - kept[b]!);
}
