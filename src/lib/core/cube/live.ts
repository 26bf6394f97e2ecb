import { compileVectors } from '../formula';
import { laterScenarios, stands, type LiveFormula, type LiveOperand, type Model } from '../model';
import { EMPTY, isValue } from '../number';
import { asResult, LeafReader, liveMemo, placeOfOperand, type LiveMemo } from './live-value';
import type { Reader } from './reader';
import { Block } from './series-store';
import { NOTHING } from './standing';

/** Cells worked out together: their columns stay in the first cache. */
export const CHUNK = 1024;

/**
 * Calls back with every cell a per-leaf formula computes in some fiscal years, of those the reader may see. Series of its drivers are found in their
 * blocks; where all operands are stored and no draft is in the way their columns are computed side by side, a look-up an
 * operand and series; elsewhere cell by cell. O(series of the drivers in those years). The address is reused.
 * @param memo results that were worked out already of formulas that look into other periods; added to
 */
export function eachLiveCell(
	reader: Reader,
	formula: LiveFormula,
	years: readonly number[],
	take: (address: Int32Array, year: number, position: number, value: number) => void,
	memo?: LiveMemo
): void {
	const visit: typeof take = reader.visible
		? (address, year, position, value) => reader.mayRead(address) && take(address, year, position, value)
		: take;
	const { model, cube, read } = reader;
	const { frozen } = model;
	const leaves = new LeafReader(model, read);
	/** What is stored stands there instead: it is no result. */
	const isTyped = (address: Int32Array, year: number, position: number) => formula.mayBeTyped && isValue(read(address, year, position));
	/** Frozen results are told by themselves: what they followed from may be gone. */
	const isApart = (address: Int32Array, year: number, position: number) =>
		isTyped(address, year, position) || (frozen !== undefined && isValue(frozen.get(address, year, position)));
	frozen?.each(
		(address, year, position, value) => {
			if (value !== NOTHING && years.includes(year) && !isTyped(address, year, position)) visit(address, year, position, value);
		},
		{ account: formula.account }
	);
	if (formula.moving) return eachMovingCell(reader, formula, { years, isApart }, visit, memo ?? liveMemo(model));
	const aligned = hasAlignedOperands(model, formula);
	const changed = reader.changedAddresses;
	const vector = aligned ? compileVectors(formula.expression, placeOfOperand(formula), CHUNK) : () => inputs[0]!;
	const inputs = formula.operands.map(() => new Float64Array(CHUNK));
	const bases = new Int32Array(formula.operands.length);
	const offsets = new Int32Array(formula.operands.length);
	const target = new Int32Array(model.dimensions.length);
	for (const { scenario, year, block } of cube.store.blocks()) {
		if (!years.includes(year) || formula.scenarios?.[scenario] === 0) continue;
		const positions = positionsIn(model, formula, scenario, year);
		if (positions.length === 0) continue;
		const drafts = changed?.testerFor(formula, block, year);
		const isPlain = aligned && !frozen?.touches(formula.account, year, scenario);
		const atOnce = Math.floor(CHUNK / positions.length);
		const chosen = new Int32Array(atOnce);
		let filled = 0;
		/** Works out the chosen series together. */
		const flush = () => {
			const values = vector(inputs, filled * positions.length);
			for (let at = 0, cell = 0; at < filled; at++) {
				block.readAddress(chosen[at]!, target)[model.accountAxis] = formula.account;
				for (let place = 0; place < positions.length; place++) {
					const value = asResult(values[cell++]!);
					if (value === value) visit(target, year, positions[place]!, value);
				}
			}
			filled = 0;
		};
		eachDriverSeries(model, formula, block, (series) => {
			const address = block.readAddress(series, target);
			if (!isPlain || drafts?.(series)) {
				address[model.accountAxis] = formula.account;
				for (const position of positions) {
					if (isApart(address, year, position)) continue;
					const value = leaves.compute(formula, address, year, position);
					if (isValue(value)) visit(address, year, position, value);
				}
				return;
			}
			findBases(model, formula, block, series, address, bases, offsets);
			for (let operand = 0; operand < bases.length; operand++)
				gatherPositions(block.values, bases[operand]!, positions, inputs[operand]!, filled * positions.length);
			chosen[filled++] = series;
			if (filled === atOnce) flush();
		});
		if (filled > 0) flush();
	}
	changed?.eachWithoutSeries(cube, formula, (target, year) => {
		if (!years.includes(year)) return;
		for (const position of positionsIn(model, formula, target[model.scenarioAxis]!, year)) {
			if (isApart(target, year, position)) continue;
			const value = leaves.compute(formula, target, year, position);
			if (isValue(value)) visit(target, year, position, value);
		}
	});
}

/** The same for formulas that look into other periods: their cells may lie in years and scenarios that hold no driver. */
function eachMovingCell(
	reader: Reader,
	formula: LiveFormula,
	{ years, isApart }: { years: readonly number[]; isApart: (address: Int32Array, year: number, position: number) => boolean },
	visit: (address: Int32Array, year: number, position: number, value: number) => void,
	memo: LiveMemo
): void {
	const { model, read } = reader;
	const leaves = new LeafReader(model, read, memo);
	const places = new Map<number, { year: number; positions: Int32Array }[]>();
	const placesOf = (scenario: number) => {
		let known = places.get(scenario);
		if (!known)
			places.set(
				scenario,
				(known = years
					.map((year) => ({ year, positions: positionsIn(model, formula, scenario, year) }))
					.filter(({ positions }) => positions.length > 0))
			);
		return known;
	};
	eachMovingAddress(reader, formula, (address) => {
		for (const { year, positions } of placesOf(address[model.scenarioAxis]!))
			for (const position of positions) {
				if (isApart(address, year, position)) continue;
				const value = leaves.compute(formula, address, year, position);
				if (isValue(value)) visit(address, year, position, value);
			}
	});
}

/**
 * Calls back once with every address at which a formula that looks into other periods may have cells: where its drivers
 * have series, in any year, in their scenario and those that continue from it. The address is reused.
 */
export function eachMovingAddress(reader: Reader, formula: LiveFormula, visit: (address: Int32Array) => void): void {
	const { model, cube, layers } = reader;
	const found = new Block(model.dimensions.length, 1);
	const address = new Int32Array(model.dimensions.length);
	const later = laterScenarios(model);
	const take = () => {
		const own = address[model.scenarioAxis]!;
		address[model.accountAxis] = formula.account;
		for (const scenario of [own, ...(later.get(own) ?? [])]) {
			address[model.scenarioAxis] = scenario;
			if (formula.scenarios?.[scenario] !== 0) found.ensure(address);
		}
	};
	for (const { block } of cube.store.blocks())
		eachDriverSeries(model, formula, block, (series) => {
			block.readAddress(series, address);
			take();
		});
	// Also what the reader may not see: results are worked out from everything.
	for (const layer of layers)
		for (const account of formula.drivers)
			layer.each(
				(changed) => {
					address.set(changed);
					take();
				},
				{ account }
			);
	for (let place = 0; place < found.count; place++) visit(found.readAddress(place, address));
}

/** Series of a block with certain ordinals on certain axes. */
export interface Where {
	/** The block's coordinates on those axes. */
	columns: Int32Array[];
	wanted: Int32Array;
}

/** Calls back with every series of a block at whose address a formula may have cells, each address once. */
export function eachDriverSeries(
	model: Model,
	{ drivers }: LiveFormula,
	block: Block,
	visit: (series: number) => void,
	{ columns, wanted }: Where = { columns: [], wanted: new Int32Array() }
): void {
	const isDriver = new Uint8Array(model.accounts.members.length);
	for (const account of drivers) isDriver[account] = 1;
	const accounts = block.coordinates[model.accountAxis]!;
	const seen = drivers.length > 1 ? seenBefore(model, drivers, block) : undefined;
	const count = block.count;
	choosing: for (let series = 0; series < count; series++) {
		if (isDriver[accounts[series]!] === 0) continue;
		for (let place = 0; place < wanted.length; place++) if (columns[place]![series] !== wanted[place]) continue choosing;
		if (seen === undefined || !seen(series)) visit(series);
	}
}

/** Whether an earlier driver has a series at the same address, so that its cells were visited already. */
function seenBefore(model: Model, drivers: readonly number[], block: Block): (series: number) => boolean {
	const address = new Int32Array(model.dimensions.length);
	return (series) => {
		const driver = block.readAddress(series, address)[model.accountAxis]!;
		for (const other of drivers) {
			if (other === driver) break;
			address[model.accountAxis] = other;
			if (block.find(address) >= 0) return true;
		}
		return false;
	};
}

/** Whether a formula is arithmetic, nothing stands above its results, and its operands are stored, a value a period, in the scenario of the result: their series lie in one block. */
export const hasAlignedOperands = (model: Model, { operands, plain, moving, mayBeTyped }: LiveFormula): boolean =>
	!moving &&
	!mayBeTyped &&
	plain &&
	operands.every(
		({ account, fixed }) =>
			!model.live.has(account) &&
			(model.account(account)?.frequency ?? 'per period') === 'per period' &&
			!fixed.some(({ axis }) => axis === model.scenarioAxis)
	);

/**
 * Where the series of each operand begins in the block's values, −1 where it has none; one operand may be left out.
 * Accounts are mostly written in the same order: each operand is looked for as far from the driver as last time, which
 * `offsets` holds.
 */
export function findBases(
	model: Model,
	{ operands }: LiveFormula,
	block: Block,
	series: number,
	address: Int32Array,
	bases: Int32Array,
	offsets: Int32Array,
	without?: LiveOperand
): void {
	const driver = address[model.accountAxis]!;
	for (let place = 0; place < operands.length; place++) {
		const { account, fixed } = operands[place]!;
		if (operands[place] === without) continue;
		if (fixed.length > 0) {
			const elsewhere = address.with(model.accountAxis, account);
			for (const { axis, ordinal } of fixed) elsewhere[axis] = ordinal;
			bases[place] = baseOf(block.find(elsewhere));
		} else if (account === driver) bases[place] = series * block.width;
		else {
			address[model.accountAxis] = account;
			const near = series + offsets[place]!;
			if (near >= 0 && near < block.count && block.isAt(near, address)) bases[place] = baseOf(near);
			else {
				const found = block.find(address);
				if (found >= 0) offsets[place] = found - series;
				bases[place] = baseOf(found);
			}
		}
	}
	address[model.accountAxis] = driver;

	function baseOf(found: number): number {
		return found < 0 ? -1 : found * block.width;
	}
}

/** A series' values at some positions, side by side; empty where it has no base. */
function gatherPositions(values: Float64Array, base: number, positions: Int32Array, into: Float64Array, from: number): void {
	if (base < 0) into.fill(EMPTY, from, from + positions.length);
	else for (let place = 0; place < positions.length; place++) into[from + place] = values[base + positions[place]!]!;
}

/** The places of a series in which a formula stands. */
export function positionsIn(model: Model, formula: LiveFormula, scenario: number, year: number): Int32Array {
	const positions: number[] = [];
	for (let position = 0; position < model.periods.width; position++) {
		const leaf = model.periods.at(year, position);
		if (leaf && stands(formula, scenario, leaf.index)) positions.push(position);
	}
	return Int32Array.from(positions);
}
