import { compileColumns, evaluate, inDomain } from '../formula';
import { stands, type LiveFormula, type Model } from '../model';
import { EMPTY, isEmpty, isValue } from '../number';
import type { Cube } from './cube';
import type { Overlay } from './overlay';
import type { Address } from './series-store';

/** A stored value, seen through the overlay. */
export type StoredReader = (address: Address, year: number, position: number) => number;

/** The reader of a cube's stored values through an overlay. */
export const storedReader = (cube: Cube, overlay: Overlay | undefined): StoredReader =>
	overlay
		? (address, year, position) => overlay.read(cube, address, year, position)
		: (address, year, position) => cube.read(address, year, position);

/**
 * The value of a leaf, computed where a per-leaf formula stands and stored elsewhere. A computed 0 is empty: it adds
 * nothing and takes no place. The address is changed and put back while its operands are read.
 */
export function leafValue(model: Model, read: StoredReader, address: Int32Array, year: number, position: number): number {
	const period = model.periods.at(year, position)?.index;
	const account = address[model.accountAxis]!;
	const formula = period === undefined ? undefined : model.live.at(account, address[model.scenarioAxis]!, period);
	return formula ? computeLeaf(model, read, formula, address, year, position) : read(address, year, position);
}

function computeLeaf(
	model: Model,
	read: StoredReader,
	{ expression }: LiveFormula,
	address: Int32Array,
	year: number,
	position: number
): number {
	const account = address[model.accountAxis]!;
	const operand = (member: number): number => {
		address[model.accountAxis] = model.accounts.ordinal(member)!;
		const value = leafValue(model, read, address, year, position);
		address[model.accountAxis] = account;
		return value;
	};
	return inDomain(expression, operand) ? asResult(evaluate(expression, operand)) : EMPTY;
}

const asResult = (value: number): number => (value === 0 || !Number.isFinite(value) ? EMPTY : value);

/**
 * Calls back with every cell a per-leaf formula computes in some fiscal years. Series of its drivers are found in their
 * blocks; where all operands are stored and no draft is in the way their columns are computed side by side, a look-up an
 * operand and series; elsewhere cell by cell. O(series of the drivers in those years). The address is reused.
 */
export function eachLiveCell(
	model: Model,
	cube: Cube,
	overlay: Overlay | undefined,
	formula: LiveFormula,
	years: readonly number[],
	visit: (address: Int32Array, year: number, position: number, value: number) => void
): void {
	const { accountAxis, scenarioAxis } = model;
	const { drivers, operands } = formula;
	const read = storedReader(cube, overlay);
	const places = new Map(operands.map((account, place) => [model.accounts.member(account).id, place]));
	const columns = compileColumns(formula.expression, (member) => places.get(member)!);
	const plain = !operands.some((account) => model.live.has(account));
	const drafted = overlay && overlay.size > 0 ? draftedAddresses(model, overlay) : undefined;
	const address = new Int32Array(model.dimensions.length);
	const bases = new Int32Array(operands.length);
	const isDriver = new Uint8Array(model.accounts.members.length);
	for (const account of drivers) isDriver[account] = 1;
	for (const { scenario, year, block } of cube.store.blocks()) {
		if (!years.includes(year) || formula.scenarios?.[scenario] === 0) continue;
		const positions = positionsIn(model, formula, scenario, year);
		if (positions.length === 0) continue;
		const accounts = block.coordinates[accountAxis]!;
		for (let series = 0; series < block.count; series++) {
			const driver = accounts[series]!;
			if (!isDriver[driver]) continue;
			block.readAddress(series, address);
			if (drivers.length > 1 && seenBefore(driver)) continue;
			const slow = !plain || (drafted?.has(keyWithoutAccount(model, address, year)) ?? false);
			if (!slow)
				for (let place = 0; place < operands.length; place++) {
					if (operands[place] === driver) bases[place] = series * block.width;
					else {
						address[accountAxis] = operands[place]!;
						const found = block.find(address);
						bases[place] = found < 0 ? -1 : found * block.width;
					}
				}
			address[accountAxis] = formula.account;
			for (const position of positions) {
				const value = slow ? computeLeaf(model, read, formula, address, year, position) : asResult(columns(block.values, bases, position));
				if (isValue(value)) visit(address, year, position, value);
			}
		}

		/** Whether an earlier driver has a series at this address, so that its cells were visited already. */
		function seenBefore(driver: number): boolean {
			for (const other of drivers) {
				if (other === driver) break;
				address[accountAxis] = other;
				if (block.find(address) >= 0) return true;
			}
			address[accountAxis] = driver;
			return false;
		}
	}
	// Addresses that only the draft has.
	for (const [, { address: changed, year }] of drafted ?? []) {
		if (!years.includes(year)) continue;
		const scenario = changed[scenarioAxis]!;
		const block = cube.store.block(scenario, year);
		const stored = drivers.some((account) => block !== undefined && block.find(changed.with(accountAxis, account)) >= 0);
		if (stored) continue;
		const target = changed.with(accountAxis, formula.account);
		for (const position of positionsIn(model, formula, scenario, year)) {
			const value = computeLeaf(model, read, formula, target, year, position);
			if (isValue(value)) visit(target, year, position, value);
		}
	}
}

/** The places of a series in which a formula stands. */
function positionsIn(model: Model, formula: LiveFormula, scenario: number, year: number): number[] {
	const positions: number[] = [];
	for (let position = 0; position < model.periods.width; position++) {
		const leaf = model.periods.at(year, position);
		if (leaf && stands(formula, scenario, leaf.index)) positions.push(position);
	}
	return positions;
}

const keyWithoutAccount = (model: Model, address: Int32Array, year: number): string =>
	`${address.with(model.accountAxis, -1).join()} ${year}`;

/** The addresses of a draft's cells, the account left out of the key. */
function draftedAddresses(model: Model, overlay: Overlay): Map<string, { address: Int32Array; year: number }> {
	const found = new Map<string, { address: Int32Array; year: number }>();
	overlay.each((address, year) => {
		const key = keyWithoutAccount(model, address, year);
		if (!found.has(key)) found.set(key, { address: address.slice(), year });
	});
	return found;
}

/** How per-leaf results move when a stored leaf goes from one value to another: each result's cell, before and after. */
export function liveChanges(
	model: Model,
	read: StoredReader,
	address: Address,
	year: number,
	position: number,
	before: number,
	after: number
): { address: Int32Array; before: number; after: number }[] {
	const changed = address[model.accountAxis]!;
	const readers = model.live.readers(changed);
	const period = model.periods.at(year, position)?.index;
	if (readers.length === 0 || period === undefined) return [];
	const withValue =
		(value: number): StoredReader =>
		(at, atYear, atPosition) =>
			at[model.accountAxis] === changed ? value : read(at, atYear, atPosition);
	const scenario = address[model.scenarioAxis]!;
	// A stored value under a standing formula is not shown, so nothing follows from it.
	if (model.live.at(changed, scenario, period)) return [];
	return readers.flatMap((formula) => {
		if (!stands(formula, scenario, period)) return [];
		const target = Int32Array.from(address);
		target[model.accountAxis] = formula.account;
		const results = [before, after].map((value) => computeLeaf(model, withValue(value), formula, target, year, position));
		return results[0] === results[1] || results.every(isEmpty) ? [] : [{ address: target, before: results[0]!, after: results[1]! }];
	});
}
