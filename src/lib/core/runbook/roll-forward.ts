import type { LeafPeriod } from '../calendar';
import { Block, leafValue, NearReader, storedReader } from '../cube';
import { continuationOf, inContinuation, laterScenarios } from '../model';
import { isEmpty } from '../number';
import type { RollForwardStep, Slice } from './definition';
import type { StepWork } from './run';
import { scopeOf } from './slice';

/**
 * Carries balances forward: what one account holds at the end of a period is what another begins the next one with, period
 * after period, so that one run goes through all years. Before a scenario's own first period the one it continues from
 * is read. O(periods × addresses × lines).
 */
export function runRollForward(work: StepWork, step: RollForwardStep & { limits: Slice }): void {
	const { model, cube, variables } = work;
	const limits = scopeOf(model, step.limits, variables);
	const lines = step.lines.map(({ from, to, reverse }) => {
		const [source, target] = [model.accounts.ordinal(from), model.accounts.ordinal(to)];
		if (source === undefined || target === undefined) throw work.fault('An account of this roll-forward is not there any more.');
		for (const account of [source, target])
			if (!model.account(account) || !model.accounts.isLeaf(account))
				throw work.fault(`“${model.accounts.member(account).name}” adds up others. Balances go from one account to one account.`);
		return { source, target, sign: reverse ? -1 : 1 };
	});
	const addresses = new Block(model.dimensions.length, 1);
	let kept = -1;
	const axes = [...limits.axes].filter(([axis]) => axis !== model.accountAxis);
	const keep = (address: Int32Array) => {
		for (const [axis, allowed] of axes) if (allowed[address[axis]!] === 0) return;
		const account = address[model.accountAxis]!;
		address[model.accountAxis] = 0;
		// Cells of a series come one after another.
		if (kept < 0 || !addresses.isAt(kept, address)) kept = addresses.ensure(address);
		address[model.accountAxis] = account;
	};
	const carried = new Set(lines.flatMap(({ source, target }) => [source, target]));
	// Wherever something of these accounts stands, or of what they follow from, in the scenario itself or the one it continues from.
	const sources = new Set(carried);
	for (const { account, drivers } of model.live.ordered) if (carried.has(account)) for (const driver of drivers) sources.add(driver);
	const address = new Int32Array(model.dimensions.length);
	const later = laterScenarios(model);
	for (const { block } of cube.store.blocks()) {
		const accounts = block.coordinates[model.accountAxis]!;
		for (let series = 0; series < block.count; series++) {
			if (!sources.has(accounts[series]!)) continue;
			keep(block.readAddress(series, address));
			const own = address[model.scenarioAxis]!;
			for (const scenario of later.get(own) ?? []) {
				address[model.scenarioAxis] = scenario;
				keep(address);
			}
			address[model.scenarioAxis] = own;
		}
	}
	const isAlone = [...carried].every((account) => model.live.staysAtAddress(account));
	const near = new NearReader(model, cube);
	const read = isAlone ? near.read : storedReader(cube, undefined);
	const isComputed = (leaf: number) => model.live.at(address[model.accountAxis]!, address[model.scenarioAxis]!, leaf) !== undefined;
	const leaves = model.periods.leaves.filter(
		({ index, position }) =>
			index > 0 && (!limits.periods || limits.periods[index] === 1) && (step.into === 'every period' || position === 0)
	);
	/** Carries the balances of an address into a leaf period. */
	const carry = (leaf: LeafPeriod) => {
		const before = model.periods.leaf(leaf.index - 1);
		const scenario = address[model.scenarioAxis]!;
		// The scenario speaks from its span on; the period before it belongs to the one it continues from.
		const span = model.scenario(scenario)?.span;
		if (span && (leaf.index < span.from || leaf.index > span.to)) return;
		const readIn = span && before.index < span.from ? (continuationOf(model, scenario, before.index)?.scenario ?? scenario) : scenario;
		for (const { source, target, sign } of lines) {
			address[model.accountAxis] = source;
			address[model.scenarioAxis] = readIn;
			const value = leafValue(model, read, address, before.fiscalYear, before.position);
			address[model.scenarioAxis] = scenario;
			address[model.accountAxis] = target;
			if (isEmpty(value) || value === 0 || isComputed(leaf.index)) continue;
			work.write(address, leaf.index, sign * value);
		}
	};
	// An address at a time, its series at hand, where balances look at nothing but their own address; else by periods.
	if (isAlone)
		for (const scenario of inContinuation(model))
			for (let place = 0; place < addresses.count; place++) {
				if (addresses.coordinates[model.scenarioAxis]![place] !== scenario) continue;
				work.breathe();
				addresses.readAddress(place, address);
				near.move();
				for (const leaf of leaves) carry(leaf);
			}
	else
		for (const leaf of leaves) {
			work.breathe();
			for (let place = 0; place < addresses.count; place++) {
				addresses.readAddress(place, address);
				carry(leaf);
			}
		}
}
