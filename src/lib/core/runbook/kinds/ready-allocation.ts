import type { ReadyAllocation, ReadyBasis, ReadyChange, ReadyDriver, ReadyLine, ReadyReceiver } from '../../allocation';
import { selectMembers, type Dimension } from '../../dimension';
import type { Model } from '../../model';
import type { Scope } from '../../script';
import type { AllocationLine, AllocationStep, Driver, NumberOrParameter, Slice } from '../definition';
import { scopeOf, weightsIn } from '../slice';

/**
 * Finds what an allocation names.
 * @param number the value of a parameter
 * @returns a sentence where it cannot be followed
 */
export function readyAllocation(
	model: Model,
	step: AllocationStep & { limits: Slice },
	variables: ReadonlyMap<string, number>,
	number: (of: NumberOrParameter) => number
): ReadyAllocation | string {
	const limits = scopeOf(model, step.limits, variables);
	const lines: ReadyLine[] = [];
	for (const line of step.lines) {
		const ready = readyLine(model, line, limits, variables, number);
		if (typeof ready === 'string') return step.lines.length === 1 ? ready : `Line “${line.name}”: ${ready}`;
		lines.push(ready);
	}
	const contra = typeof step.contra === 'object' ? model.accounts.ordinal(step.contra.account ?? -1) : step.contra;
	if (contra === undefined) return 'The account of the contra is not there any more.';
	return {
		lines,
		contra,
		noDriver: step.noDriver,
		negative: step.negative,
		currency: step.currency ?? model.definition.reportingCurrency
	};
}

function readyLine(
	model: Model,
	line: AllocationLine,
	limits: Scope,
	variables: ReadonlyMap<string, number>,
	number: (of: NumberOrParameter) => number
): ReadyLine | string {
	const changes: ReadyChange[] = [];
	for (const [id, selection] of Object.entries(line.receivers)) {
		const dimension = model.dimension(Number(id));
		if (!dimension) return 'A dimension of the receivers is not there any more.';
		const axis = model.dimensions.indexOf(dimension);
		if (axis < 0 || axis === model.scenarioAxis)
			return `Amounts stay in their ${axis < 0 ? 'period' : 'scenario'}; a copy puts them into others.`;
		const named = selectMembers(dimension, selection, { variables });
		if (named.length === 0) return `Nobody of ${dimension.name} receives anything.`;
		changes.push({ axis, weights: weightsIn(model, line.pool, axis, variables), receivers: receiversOf(dimension, named) });
	}
	if (changes.length === 0) return 'Choose who receives: without that, nothing would move.';
	changes.sort((one, other) => one.axis - other.axis);
	const pool = scopeOf(model, line.pool, variables);
	const axes = new Map(pool.axes);
	// Limits speak of what is written: where amounts stay where they are, that is the pool.
	for (const [axis, allowed] of limits.axes)
		if (!changes.some((change) => change.axis === axis)) axes.set(axis, both(axes.get(axis), allowed)!);
	const periods = both(pool.periods, limits.periods);
	const basis = readyBasis(model, line, changes, variables, number);
	if (typeof basis === 'string') return basis;
	const share = number(line.share) / 100;
	if (!(share > 0)) return 'Its share of the pool is not above 0 %.';
	if (share > 1 + 1e-9) return `Its share of the pool is ${share * 100} %: more than there is.`;
	const measured = readyMeasures(model, line, changes, variables);
	if (typeof measured === 'string') return measured;
	return { name: line.name, pool: { axes, periods }, share: Math.min(1, share), changes, basis, ...measured };
}

/** What is kept of a line's driver, and how much of it there could be: where its pool is, which is one member then. */
function readyMeasures(
	model: Model,
	{ basis, capacity, keeps }: AllocationLine,
	changes: readonly ReadyChange[],
	variables: ReadonlyMap<string, number>
): Pick<ReadyLine, 'capacity' | 'keeps'> | string {
	if (basis.by !== 'driver' || (!capacity && !keeps)) return {};
	const at = new Map<number, number>();
	for (const { axis, weights } of changes) {
		if (axis === model.accountAxis) continue;
		const own = [...weights.keys()].filter((ordinal) => weights[ordinal] !== 0);
		if (own.length !== 1)
			return `What a unit costs is kept where the pool is: name one member of ${nameOf(model, axis)} as its pool, or keep nothing.`;
		at.set(axis, own[0]!);
	}
	const ready = capacity ? readyDriver(model, capacity, variables) : undefined;
	if (typeof ready === 'string') return `Its capacity: ${ready}`;
	const kept: NonNullable<ReadyLine['keeps']> = { at };
	for (const what of ['unitCost', 'used', 'unused'] as const) {
		const account = keeps?.[what];
		if (account === undefined) continue;
		const ordinal = model.accounts.ordinal(account);
		if (ordinal === undefined) return 'An account that keeps a figure of it is not there any more.';
		kept[what] = ordinal;
	}
	return { ...(ready && { capacity: ready }), keeps: kept };
}

const nameOf = (model: Model, axis: number): string =>
	model.definition.dimensions.find(({ id }) => id === model.dimensions[axis]!.id)?.name ?? 'a dimension';

const both = (one: Uint8Array | undefined, other: Uint8Array | undefined): Uint8Array | undefined =>
	one && other ? one.map((each, leaf) => each & other[leaf]!) : (one ?? other);

/** Where each member comes in the hierarchy; the same for all who ask. */
const ranks = new WeakMap<Dimension, ReadonlyMap<number, number>>();

function rankOf(dimension: Dimension): ReadonlyMap<number, number> {
	let order = ranks.get(dimension);
	if (!order) {
		const made = new Map<number, number>();
		const walk = (ordinal: number) => {
			made.set(ordinal, made.size);
			for (const child of dimension.tree.children(ordinal)) walk(child);
		};
		for (const root of dimension.tree.roots()) walk(root);
		ranks.set(dimension, (order = made));
	}
	return order;
}

/** Receivers in the order of the hierarchy. */
function receiversOf(dimension: Dimension, named: readonly number[]): ReadyReceiver[] {
	const order = rankOf(dimension);
	const rank = (ordinal: number) => order.get(ordinal) ?? order.size;
	return [...named]
		.sort((one, other) => rank(one) - rank(other))
		.map((ordinal) => {
			// Who counts nothing is reached where a driver says so, and never evenly.
			const counts = new Set<number>();
			dimension.eachWeightedLeaf(ordinal, (leaf, weight) => weight !== 0 && counts.add(leaf));
			const leaves = dimension.leavesOf(ordinal);
			const reached = leaves.map((leaf) => (counts.has(leaf) && !dimension.member(leaf).retired ? 1 : 0));
			const places = leaves.map((_, place) => place).sort((one, other) => rank(leaves[one]!) - rank(leaves[other]!));
			return {
				ordinal,
				leaves: Int32Array.from(places, (place) => leaves[place]!),
				reached: Uint8Array.from(places, (place) => reached[place]!)
			};
		});
}

function readyBasis(
	model: Model,
	{ basis }: AllocationLine,
	changes: readonly ReadyChange[],
	variables: ReadonlyMap<string, number>,
	number: (of: NumberOrParameter) => number
): ReadyBasis | string {
	if (basis.by === 'even') return basis;
	if (basis.by === 'fixed') return fixedShares(model, basis, changes);
	if (basis.drivers.length === 0) return 'Choose what weighs the receivers.';
	const drivers: ReadyDriver[] = [];
	for (const driver of basis.drivers) {
		const ready = readyDriver(model, driver, variables);
		if (typeof ready === 'string') return ready;
		drivers.push(ready);
	}
	if (basis.by === 'driver') return { by: 'driver', drivers, atNamed: basis.atNamed ?? false };
	const { rate } = basis;
	if (typeof rate === 'number' || 'parameter' in rate) return { by: 'standard', drivers, rate: number(rate) };
	const ready = readyDriver(model, rate, variables);
	if (typeof ready === 'string') return ready;
	for (const [axis, weights] of ready.fixed)
		if (weights.filter((weight) => weight !== 0).length !== 1)
			return `A price is read at one member of ${model.dimensions[axis]!.name}, not at several together.`;
	return { by: 'standard', drivers, rate: ready };
}

function fixedShares(
	model: Model,
	{ shares }: Extract<AllocationLine['basis'], { by: 'fixed' }>,
	changes: readonly ReadyChange[]
): ReadyBasis | string {
	if (shares.length === 0) return 'No row says how much each receiver gets.';
	const rows: { leaves: Int32Array[]; share: number }[] = [];
	const knownOn = changes.map(({ receivers }) => new Set(receivers.flatMap(({ leaves }) => [...leaves])));
	for (const { members, share } of shares) {
		if (!(share >= 0)) return 'A share is below 0.';
		const leaves: Int32Array[] = [];
		for (const [place, { axis }] of changes.entries()) {
			const dimension = model.dimensions[axis]!;
			const named = members[dimension.id];
			const ordinal = named === undefined ? undefined : dimension.ordinal(named);
			if (ordinal === undefined) return `A row of the shares names a member of ${dimension.name} that is not there any more.`;
			const known = knownOn[place]!;
			if (dimension.isLeaf(ordinal) && known.has(ordinal)) {
				leaves.push(Int32Array.of(ordinal));
				continue;
			}
			const own = receiversOf(dimension, [ordinal])[0]!;
			const beneath = own.leaves.filter((leaf, at) => known.has(leaf) && (own.reached[at] === 1 || own.leaves.length === 1));
			if (beneath.length === 0) return `“${dimension.member(ordinal).name}” has a share and is none of the receivers.`;
			leaves.push(beneath);
		}
		rows.push({ leaves, share });
	}
	return { by: 'fixed', shares: rows };
}

function readyDriver(model: Model, { account, at }: Driver, variables: ReadonlyMap<string, number>): ReadyDriver | string {
	const ordinal = account === null ? undefined : model.accounts.ordinal(account);
	if (ordinal === undefined)
		return account === null ? 'Choose what weighs the receivers.' : 'The account that weighs the receivers is not there any more.';
	if (!model.account(ordinal) || !model.accounts.isLeaf(ordinal))
		return `“${model.accounts.member(ordinal).name}” adds up others. Name the accounts beneath it; several drivers add up.`;
	const fixed = new Map<number, Float64Array>();
	for (const [id, reference] of Object.entries(at)) {
		const dimension = model.dimension(Number(id));
		const member = typeof reference === 'number' ? reference : reference === 'chosen' ? undefined : variables.get(reference.variable);
		const found = member === undefined ? undefined : dimension?.ordinal(member);
		const axis = dimension ? model.dimensions.indexOf(dimension) : -1;
		if (!dimension || found === undefined || axis < 0)
			return `A member that “${model.accounts.member(ordinal).name}” is read at is not there any more.`;
		const weights = new Float64Array(dimension.members.length);
		dimension.eachWeightedLeaf(found, (leaf, weight) => (weights[leaf] = weight));
		fixed.set(axis, weights);
	}
	return { account: ordinal, fixed };
}

/** Where a line reads and writes: its pool, its receivers, its drivers. */
export function scopesOfLine(model: Model, line: ReadyLine, contra: ReadyAllocation['contra']): { writes: Scope[]; reads: Scope[] } {
	const { pool, changes, basis } = line;
	const received = new Map(pool.axes);
	for (const { axis, receivers } of changes) {
		const allowed = new Uint8Array(model.dimensions[axis]!.members.length);
		for (const { leaves } of receivers) for (const leaf of leaves) allowed[leaf] = 1;
		received.set(axis, allowed);
	}
	const writes: Scope[] = [{ axes: received, periods: pool.periods }];
	if (contra === 'same account') writes.push(pool);
	else if (contra !== 'none')
		writes.push({ axes: new Map([...pool.axes, [model.accountAxis, single(model, contra)]]), periods: pool.periods });
	const { keeps } = line;
	for (const account of [keeps?.unitCost, keeps?.used, keeps?.unused]) {
		if (account === undefined) continue;
		const axes = new Map(pool.axes).set(model.accountAxis, single(model, account));
		for (const [axis, ordinal] of keeps!.at) {
			const allowed = new Uint8Array(model.dimensions[axis]!.members.length);
			allowed[ordinal] = 1;
			axes.set(axis, allowed);
		}
		writes.push({ axes, periods: pool.periods });
	}
	const reads: Scope[] = [pool];
	if (basis.by === 'driver' || basis.by === 'standard')
		for (const [{ account, fixed }, where] of [
			...basis.drivers.map((driver) => [driver, received] as const),
			...(basis.by === 'standard' && typeof basis.rate !== 'number' ? [[basis.rate, received] as const] : []),
			...(line.capacity ? [[line.capacity, pool.axes] as const] : [])
		]) {
			// Where receivers are, a capacity where the pool is, but for the axes it is fixed on.
			const at = new Map(where).set(model.accountAxis, single(model, account));
			const elsewhere = new Map<number, Uint8Array>();
			for (const [axis, weights] of fixed) {
				const allowed = Uint8Array.from(weights, (weight) => (weight === 0 ? 0 : 1));
				at.set(axis, allowed);
				elsewhere.set(axis, allowed);
			}
			reads.push({ axes: at, periods: pool.periods });
			// What a live formula reads may stand anywhere.
			const followed = new Uint8Array(model.accounts.members.length);
			for (const each of model.live.followedFrom(account)) followed[each] = each === account ? 0 : 1;
			if (followed.includes(1)) reads.push({ axes: elsewhere.set(model.accountAxis, followed), periods: undefined });
		}
	return { writes, reads };
}

function single(model: Model, account: number): Uint8Array {
	const allowed = new Uint8Array(model.accounts.members.length);
	allowed[account] = 1;
	return allowed;
}
