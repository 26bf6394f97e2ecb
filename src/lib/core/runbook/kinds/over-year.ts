import { addsUp, LeafReader, Reader } from '../../cube';
import { continuationOf } from '../../model';
import { EMPTY, isEmpty, shareOut, Sum } from '../../number';
import type { Scope } from '../../script';
import type { OverYear } from '../definition';
import type { StepWork } from '../step-work';

/** Whether a period of a year may get something of the year's total. */
export const isReached = (over: OverYear, position: number): boolean => over.way !== 'one period' || position === over.period - 1;

/**
 * Lays what a copy put on an address out over the periods of each year: `values`, by leaf period, are changed. Only
 * periods its scenario speaks about, the step's limits name and no formula computes get something. Amounts are rounded to the account's
 * decimals and tie to the year's total exactly, by largest remainder. What does not add up over time stays where it is not:
 * it is counted with the reason.
 */
export function layOut(work: StepWork, over: OverYear, limits: Scope, address: Int32Array, values: Float64Array): void {
	const { model } = work;
	const [account, scenario] = [address[model.accountAxis]!, address[model.scenarioAxis]!];
	const facts = model.account(address[model.accountAxis]!);
	if (facts?.frequency === 'per year') return;
	const span = model.scenario(address[model.scenarioAxis]!)?.span;
	const totals = new Map<number, Sum>();
	for (let leaf = 0; leaf < values.length; leaf++) {
		const value = values[leaf]!;
		if (isEmpty(value)) continue;
		const { fiscalYear } = model.periods.leaf(leaf);
		values[leaf] = EMPTY;
		if (!facts || facts.timeBehaviour !== 'flow' || !addsUp(model, address[model.accountAxis]!)) {
			work.leaveOut(address, leaf, 'Only amounts that add up over time are put together by year.');
			continue;
		}
		let total = totals.get(fiscalYear);
		if (!total) totals.set(fiscalYear, (total = new Sum()));
		total.add(value);
	}
	for (const [year, total] of totals) {
		const leaves = model.periods.leaves.filter(
			({ index, fiscalYear, position }) =>
				fiscalYear === year &&
				isReached(over, position) &&
				(limits.periods?.[index] ?? 1) === 1 &&
				(!span || (index >= span.from && index <= span.to)) &&
				!model.live.at(account, scenario, index)
		);
		const first = model.periods.leaves.find(({ fiscalYear }) => fiscalYear === year)!.index;
		if (leaves.length === 0) {
			work.leaveOut(address, first, 'The period that is to take the year’s total is not one this step may set.');
			continue;
		}
		const weights = leaves.map(({ index }) => (over.way === 'season' ? seasonAt(work, over.account, address, index) : 1));
		const whole = weights.reduce((sum, weight) => sum + (isEmpty(weight) ? 0 : weight), 0);
		if (whole === 0) {
			work.leaveOut(address, first, 'There is no season to go by: what the year is to follow is empty, or adds up to nothing.');
			continue;
		}
		const parts = weights.map((weight) => (isEmpty(weight) ? 0 : (total.value * weight) / whole));
		shareOut(parts, total.value, facts!.decimals).forEach((part, index) => {
			if (!isEmpty(weights[index]!)) values[leaves[index]!.index] = part;
		});
	}
}

/** What a period weighs in a season: another account there, or the target itself a year before. */
function seasonAt({ model, cube }: StepWork, account: number | null, address: Int32Array, leaf: number): number {
	const leaves = new LeafReader(model, new Reader(cube).read);
	const { fiscalYear, position } = model.periods.leaf(leaf);
	const where = Int32Array.from(address);
	if (account !== null) {
		where[model.accountAxis] = model.accounts.ordinal(account)!;
		return leaves.value(where, fiscalYear, position);
	}
	const before = model.periods.at(fiscalYear - 1, position);
	const found = before && continuationOf(model, where[model.scenarioAxis]!, before.index);
	if (!found) return EMPTY;
	where[model.scenarioAxis] = found.scenario;
	return leaves.value(where, fiscalYear - 1, position);
}
