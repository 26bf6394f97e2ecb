import { compileQuery, isEmpty, Reader, View, orNull, type Model } from '../../../core';
import { cellInWords, toMembers } from '../addresses';
import { EngineFault } from '../fault';
import type { ModelEngine } from '../model-engine';

/** The figures of a unit of a round: a scenario’s, from one period to another, at and under some members. */
export interface UnitSlice {
	revision: number;
	structure: number;
	scenario: number;
	/** The first and the last period (ids). */
	from: number;
	to: number;
	/** Members (ids), one of a dimension at most. */
	members: readonly number[];
}

/** Figures as they stood: totals by account and period, and every stored cell beneath. Ids, so that they outlive a structure. */
export interface UnitFigures {
	accounts: number[];
	periods: number[];
	/** Account by account, period by period; NaN where there is nothing. */
	totals: Float64Array;
	/** Of each series its members, one after another in address order, and the year. */
	keys: Int32Array;
	/** Of each series a value for each period of its year. */
	values: Float64Array;
	width: number;
	cells: number;
}

interface Placed {
	model: Model;
	places: (number | undefined)[];
	scenario: number;
	range: { from: number; to: number };
}

/** @throws EngineFault where a member or a period is not there any more */
function placed({ model }: ModelEngine, { scenario, from, to, members }: UnitSlice): Placed {
	const places = model.dimensions.map((dimension) => members.map((id) => dimension.ordinal(id)).find((ordinal) => ordinal !== undefined));
	const [first, last] = [from, to].map((id) => model.periods.dimension.ordinal(id));
	const ordinal = model.scenarios.ordinal(scenario);
	if (
		first === undefined ||
		last === undefined ||
		ordinal === undefined ||
		places.filter((place) => place !== undefined).length !== members.length
	)
		throw new EngineFault('A member of this unit is not in the model any more.');
	return { model, places, scenario: ordinal, range: { from: model.periods.range(first).from, to: model.periods.range(last).to } };
}

/** The members of each axis a slice covers; undefined for all. */
const coversOf = ({ model, places }: Placed): (Uint8Array | undefined)[] =>
	places.map((place, axis) => {
		if (place === undefined) return undefined;
		const dimension = model.dimensions[axis]!;
		const covers = new Uint8Array(dimension.members.length);
		for (const under of dimension.tree.under(place)) covers[under] = 1;
		return covers;
	});

/** The years of a run of periods, with the places in each that belong to it. */
function yearsOf({ model, range }: Placed): Map<number, { from: number; to: number }> {
	const years = new Map<number, { from: number; to: number }>();
	for (let index = range.from; index <= range.to; index++) {
		const { fiscalYear, position } = model.periods.leaf(index);
		const known = years.get(fiscalYear);
		if (known) known.to = position;
		else years.set(fiscalYear, { from: position, to: position });
	}
	return years;
}

/** Totals by account and period, in the local currency where the unit has one. */
function totalsOf(engine: ModelEngine, at: Placed): Pick<UnitFigures, 'accounts' | 'periods' | 'totals'> {
	const { model, places, scenario, range } = at;
	const accounts = model.accounts.members.flatMap(({ id }, ordinal) => (model.account(ordinal) ? [id] : []));
	const periods: number[] = [];
	for (let index = range.from; index <= range.to; index++)
		periods.push(model.periods.dimension.member(model.periods.leaf(index).ordinal).id);
	const slice: Record<number, number> = {};
	for (const [axis, dimension] of model.dimensions.entries()) {
		if (axis === model.accountAxis) continue;
		slice[dimension.id] = dimension.member(axis === model.scenarioAxis ? scenario : (places[axis] ?? dimension.tree.largestRoot())).id;
	}
	const entity = model.dimensions.findIndex(({ id }) => id === model.definition.dimensions.find(({ kind }) => kind === 'entity')?.id);
	const isLocal = entity >= 0 && places[entity] !== undefined && model.dimensions[entity]!.isLeaf(places[entity]);
	const view = new View(
		compileQuery(model, {
			slice,
			rows: accounts.map((id) => ({ [model.accounts.id]: id })),
			columns: periods.map((id) => ({ [model.periods.dimension.id]: id })),
			currency: isLocal ? 'local' : model.definition.reportingCurrency
		})
	);
	view.fill(new Reader(engine.cube));
	return { accounts, periods, totals: view.evaluate().values };
}

/** The figures of a unit as they are saved now. */
export async function unitFigures(engine: ModelEngine, ask: UnitSlice): Promise<UnitFigures> {
	await engine.reach(ask.revision);
	const at = placed(engine, ask);
	const { model, scenario } = at;
	const covers = coversOf(at);
	const address = new Int32Array(model.dimensions.length);
	const keys: number[] = [];
	const values: number[] = [];
	const width = engine.cube.store.width;
	let cells = 0;
	for (const [year, run] of yearsOf(at)) {
		const block = engine.cube.store.block(scenario, year);
		if (!block) continue;
		for (let series = 0; series < block.count; series++) {
			block.readAddress(series, address);
			if (!covers.every((cover, axis) => !cover || cover[address[axis]!] === 1)) continue;
			let found = 0;
			const from = series * width;
			for (let place = run.from; place <= run.to; place++) if (!isEmpty(block.values[from + place]!)) found++;
			if (found === 0) continue;
			cells += found;
			keys.push(...toMembers(model, address), year);
			for (let place = 0; place < width; place++)
				values.push(place >= run.from && place <= run.to ? block.values[from + place]! : Number.NaN);
		}
	}
	return { ...totalsOf(engine, at), keys: Int32Array.from(keys), values: Float64Array.from(values), width, cells };
}

export interface UnitMovedAsk extends UnitSlice {
	then: UnitFigures;
}

export interface UnitMoved {
	/** Accounts whose totals differ, those that moved most first. */
	lines: { account: string; period: string; before: number | null; after: number | null }[];
	/** How many figures of the totals differ, and how many stored cells. */
	totals: number;
	cells: number;
	samples: { words: string; before: number | null; after: number | null }[];
}

const MOST_LINES = 40;
const MOST_SAMPLES = 12;
const differs = (one: number, other: number): boolean =>
	!(isEmpty(one) && isEmpty(other)) && !(Math.abs(one - other) <= 1e-9 * Math.max(Math.abs(one), Math.abs(other)));

/** What of a unit’s figures is other than it was. */
export async function unitMoved(engine: ModelEngine, { then, ...ask }: UnitMovedAsk): Promise<UnitMoved> {
	const now = await unitFigures(engine, ask);
	const { model } = engine;
	const lines: (UnitMoved['lines'][number] & { size: number })[] = [];
	const rowOf = new Map(now.accounts.map((id, row) => [id, row]));
	const columnOf = new Map(now.periods.map((id, column) => [id, column]));
	then.accounts.forEach((account, row) => {
		then.periods.forEach((period, column) => {
			const before = then.totals[row * then.periods.length + column]!;
			const [nowRow, nowColumn] = [rowOf.get(account), columnOf.get(period)];
			const after = nowRow === undefined || nowColumn === undefined ? Number.NaN : now.totals[nowRow * now.periods.length + nowColumn]!;
			const ordinal = model.accounts.ordinal(account);
			if (!differs(before, after) || ordinal === undefined) return;
			lines.push({
				account: model.accounts.member(ordinal).name,
				period: nameOfPeriod(model, period),
				before: orNull(before),
				after: orNull(after),
				size: Math.abs((isEmpty(after) ? 0 : after) - (isEmpty(before) ? 0 : before))
			});
		});
	});
	const { cells, samples } = cellsMoved(model, then, now);
	return {
		lines: [...lines]
			.sort((one, other) => other.size - one.size)
			.slice(0, MOST_LINES)
			.map(({ size: _, ...line }) => line),
		totals: lines.length,
		cells,
		samples
	};
}

function nameOfPeriod(model: Model, id: number): string {
	const ordinal = model.periods.dimension.ordinal(id);
	return ordinal === undefined ? '' : model.periods.dimension.member(ordinal).name;
}

/** Stored cells that are others; a member that is gone counts as nothing. */
function cellsMoved(model: Model, then: UnitFigures, now: UnitFigures): Pick<UnitMoved, 'cells' | 'samples'> {
	const span = model.dimensions.length + 1;
	const places = (of: UnitFigures) => {
		const found = new Map<string, number>();
		for (let series = 0; series * span < of.keys.length; series++)
			found.set(of.keys.subarray(series * span, (series + 1) * span).join(), series);
		return found;
	};
	const [before, after] = [places(then), places(now)];
	let cells = 0;
	const samples: UnitMoved['samples'] = [];
	for (const key of new Set([...before.keys(), ...after.keys()])) {
		const [was, is] = [before.get(key), after.get(key)];
		for (let place = 0; place < now.width; place++) {
			const old = was === undefined || place >= then.width ? Number.NaN : then.values[was * then.width + place]!;
			const next = is === undefined ? Number.NaN : now.values[is * now.width + place]!;
			if (!differs(old, next)) continue;
			cells++;
			if (samples.length < MOST_SAMPLES) {
				const ids = key.split(',').map(Number);
				const ordinals = model.dimensions.map((dimension, axis) => dimension.ordinal(ids[axis]!));
				if (ordinals.every((ordinal) => ordinal !== undefined))
					samples.push({
						words: cellInWords(model, Int32Array.from(ordinals), ids.at(-1)!, place),
						before: orNull(old),
						after: orNull(next)
					});
			}
		}
	}
	return { cells, samples };
}

export interface UnitProgressAsk extends Omit<UnitSlice, 'members'> {
	/** The scenario (id) whose figures say how many are expected; null where none does. */
	compared: number | null;
	/** Of each unit at the bottom its members (ids). */
	units: readonly (readonly number[])[];
}

/** How many figures each unit holds, and how many are expected of it. */
export async function unitProgress(
	engine: ModelEngine,
	{ units, compared, ...ask }: UnitProgressAsk
): Promise<{ filled: number[]; expected: number[] }> {
	await engine.reach(ask.revision);
	const at = placed(engine, { ...ask, members: [] });
	const { model } = engine;
	const unitAt = finder(model, units);
	const count = (scenario: number, back: number): number[] => {
		const counts = units.map(() => 0);
		const address = new Int32Array(model.dimensions.length);
		for (const [year, run] of yearsOf(at)) {
			const block = engine.cube.store.block(scenario, year - back);
			if (!block) continue;
			for (let series = 0; series < block.count; series++) {
				const unit = unitAt(block.readAddress(series, address));
				if (unit < 0) continue;
				const from = series * block.width;
				let found = 0;
				for (let place = run.from; place <= run.to; place++) if (!isEmpty(block.values[from + place]!)) found++;
				counts[unit]! += found;
			}
		}
		return counts;
	};
	const filled = count(at.scenario, 0);
	const other = compared === null ? undefined : model.scenarios.ordinal(compared);
	if (other === undefined) return { filled, expected: filled };
	// The latest year, at or before the round’s, of which the scenario compared with has figures.
	const [first] = yearsOf(at).keys();
	let back = 0;
	while (back < 10 && first !== undefined && !engine.cube.store.block(other, first - back)) back++;
	const expected = count(other, back);
	return { filled, expected: expected.map((each, unit) => Math.max(each, filled[unit]!)) };
}

/** Finds the unit an address belongs to, −1 where to none. O(axes that units name). */
function finder(model: Model, units: readonly (readonly number[])[]): (address: Int32Array) => number {
	const axes = model.dimensions.flatMap((dimension, axis) => {
		const named = new Map<number, number>();
		for (const members of units)
			for (const id of members) {
				const ordinal = dimension.ordinal(id);
				if (ordinal !== undefined && !named.has(ordinal)) named.set(ordinal, named.size + 1);
			}
		if (named.size === 0) return [];
		const classOf = new Int32Array(dimension.members.length);
		for (const [ordinal, place] of named) for (const under of dimension.tree.under(ordinal)) classOf[under] = place;
		return [{ axis, classOf, named, dimension }];
	});
	const strides = axes.map((_, place) => axes.slice(0, place).reduce((product, { named }) => product * (named.size + 1), 1));
	const unitOf = new Map<number, number>();
	units.forEach((members, unit) => {
		let key = 0;
		axes.forEach(({ named, dimension }, place) => {
			const ordinal = members.map((id) => dimension.ordinal(id)).find((each) => each !== undefined);
			key += (ordinal === undefined ? 0 : named.get(ordinal)!) * strides[place]!;
		});
		unitOf.set(key, unit);
	});
	return (address) => {
		let key = 0;
		for (let place = 0; place < axes.length; place++) key += axes[place]!.classOf[address[axes[place]!.axis]!]! * strides[place]!;
		return unitOf.get(key) ?? -1;
	};
}
