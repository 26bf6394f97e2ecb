import type { Shifts } from '../../calendar';
import { eachLiveCell, Reader, type Cube } from '../../cube';
import type { Model } from '../../model';

/** What operands of one run share: the cube as it stands, the calendar's shifts, and what was looked up before. */
export interface Reading {
	model: Model;
	cube: Cube;
	shifts: Shifts;
	/** Rates found missing while reading across currencies. */
	missingRates: { count: number };
}

/** The values of one operand, at the target that was set last, period by period. */
export interface OperandReader {
	/** From now on the current cell is this address; it is kept, not copied. */
	target(address: Int32Array): void;
	at(leaf: number): number;
	/** Calls back with the addresses at which it may have values, as they are read; the address is reused. */
	eachSource(visit: (address: Int32Array) => void): void;
}

/** Every leaf cell of some accounts with its value, stored or computed where a live formula stands. The address is reused. */
export function eachCell(
	{ model, cube }: Pick<Reading, 'model' | 'cube'>,
	wants: (account: number) => boolean,
	visit: (address: Int32Array, leaf: number, value: number) => void
): void {
	const address = new Int32Array(model.dimensions.length);
	for (const { scenario, year, block } of cube.store.blocks()) {
		const { span } = model.scenario(scenario) ?? { span: { from: 0, to: -1 } };
		const accounts = block.coordinates[model.accountAxis]!;
		for (let series = 0; series < block.count; series++) {
			const account = accounts[series]!;
			if (!wants(account)) continue;
			const isLive = model.live.has(account);
			block.readAddress(series, address);
			if (model.account(account)?.frequency === 'per year') {
				// A fact of the year is read where its scenario first speaks about that year.
				const value = block.values[series * block.width]!;
				const leaf = value === value ? firstOfYear(model, year, span) : undefined;
				if (leaf !== undefined && !(isLive && model.live.hides(account, scenario, leaf))) visit(address, leaf, value);
				continue;
			}
			for (let position = 0; position < block.width; position++) {
				const value = block.values[series * block.width + position]!;
				if (value !== value) continue;
				const leaf = model.periods.at(year, position)?.index;
				if (leaf === undefined || leaf < span.from || leaf > span.to || (isLive && model.live.hides(account, scenario, leaf))) continue;
				visit(address, leaf, value);
			}
		}
	}
	for (const formula of model.live.ordered)
		if (wants(formula.account))
			eachLiveCell(new Reader(cube), formula, model.periods.years, (live, year, position, value) => {
				const leaf = model.periods.at(year, position)!.index;
				const { span } = model.scenario(live[model.scenarioAxis]!) ?? { span: { from: 0, to: -1 } };
				if (leaf >= span.from && leaf <= span.to) visit(live, leaf, value);
			});
}

function firstOfYear(model: Model, year: number, span: { from: number; to: number }): number | undefined {
	for (let position = 0; position < model.periods.width; position++) {
		const leaf = model.periods.at(year, position)?.index;
		if (leaf !== undefined && leaf >= span.from && leaf <= span.to) return leaf;
	}
	return undefined;
}

/** Addresses of some accounts at which something is stored or computed; an address may come more than once. */
export function eachAddress({ model, cube }: Reading, wants: (account: number) => boolean, visit: (address: Int32Array) => void): void {
	const address = new Int32Array(model.dimensions.length);
	for (const { block } of cube.store.blocks()) {
		const accounts = block.coordinates[model.accountAxis]!;
		for (let series = 0; series < block.count; series++) if (wants(accounts[series]!)) visit(block.readAddress(series, address));
	}
	for (const formula of model.live.ordered)
		if (wants(formula.account)) eachLiveCell(new Reader(cube), formula, model.periods.years, (live) => visit(live));
}
