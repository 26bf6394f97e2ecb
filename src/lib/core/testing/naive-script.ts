import { factsBeside } from './naive-cell';
import { continuationOf, type Model } from '../model';
import type { Assignment, Operand, Term } from '../script/tree';

/** Values by address and leaf period, as a key and a number. */
export type NaiveCells = Map<string, number>;

export const cellKey = (address: readonly number[], leaf: number): string => `${address.join(' ')} @${leaf}`;

/**
 * Works out one assignment at one cell the obvious way: reads every operand by going through all cells, and decides the
 * domain by the rules as they are written. Nothing for speed; scripts are held against it on random models.
 * @returns undefined where the statement has no place
 */
export function naiveAssignment(
	model: Model,
	cells: NaiveCells,
	assignment: Assignment,
	address: readonly number[],
	leaf: number
): number | undefined {
	const value = (term: Term): number => {
		switch (term.kind) {
			case 'number':
				return term.value;
			case 'read':
				return readOperand(model, cells, term.operand, address, leaf);
			case 'negative':
				return -value(term.of);
			case 'arithmetic': {
				const [left, right] = [value(term.left), value(term.right)];
				const [noLeft, noRight] = [Number.isNaN(left), Number.isNaN(right)];
				if (term.operator === '+') return noLeft ? right : noRight ? left : left + right;
				if (term.operator === '-') return noLeft ? -right : noRight ? left : left - right;
				if (noLeft || noRight) return Number.NaN;
				if (term.operator === '*') return left * right;
				return term.operator === '/' ? (right === 0 ? Number.NaN : left / right) : left ** right;
			}
			case 'compare': {
				const [left, right] = [value(term.left), value(term.right)];
				if (Number.isNaN(left) || Number.isNaN(right)) return Number.NaN;
				// What lies within half a unit of the last decimal is equal.
				const isSame = left === right || Math.abs(left - right) <= (term.unit / 2) * (1 + 1e-9);
				return {
					'=': isSame,
					'<>': !isSame,
					'<': left < right && !isSame,
					'<=': left < right || isSame,
					'>': left > right && !isSame,
					'>=': left > right || isSame
				}[term.operator]
					? 1
					: 0;
			}
			case 'when': {
				const found = term.cases.find(({ condition }) => value(condition) > 0);
				return found ? value(found.value) : term.otherwise ? value(term.otherwise) : Number.NaN;
			}
			default:
				throw new Error(`The naive evaluator does not know ${term.kind}.`);
		}
	};
	/** undefined: says nothing about where. */
	const place = (term: Term): boolean | undefined => {
		const any = (terms: readonly Term[]) => {
			const told = terms.map(place).filter((each) => each !== undefined);
			return told.length === 0 ? undefined : told.some(Boolean);
		};
		switch (term.kind) {
			case 'read':
				// What holds for a whole year says no month.
				if (term.operand.span?.to === 'end' && assignment.scope.periods === undefined) return undefined;
				return [...term.operand.axes.keys()].every((axis) => assignment.scope.axes.has(axis)) ? !Number.isNaN(value(term)) : undefined;
			case 'negative':
				return place(term.of);
			case 'arithmetic': {
				if (term.operator === '+' || term.operator === '-') return any([term.left, term.right]);
				const [left, right] = [place(term.left), place(term.right)];
				return left === undefined ? right : right === undefined ? left : left && right;
			}
			case 'compare':
				return any([term.left, term.right]);
			case 'when':
				return any([...term.cases.flatMap(({ condition, value }) => [condition, value]), ...(term.otherwise ? [term.otherwise] : [])]);
			default:
				return undefined;
		}
	};
	const { scope } = assignment;
	const { span } = model.scenario(address[model.scenarioAxis]!)!;
	if (leaf < span.from || leaf > span.to) return undefined;
	const isIn = address.every((ordinal, axis) => (scope.axes.get(axis)?.[ordinal] ?? 1) === 1) && (scope.periods?.[leaf] ?? 1) === 1;
	if (!isIn || address[model.accountAxis] !== assignment.account || place(assignment.term) !== true) return undefined;
	const found = value(assignment.term);
	return found === 0 || !Number.isFinite(found) ? undefined : found;
}

function readOperand(model: Model, cells: NaiveCells, operand: Operand, address: readonly number[], leaf: number): number {
	const { account, axes, shift, span } = operand;
	if (operand.fold !== 'sum') {
		const [axis, where] = [...axes].find(([, each]) => each.kind === 'over')!;
		const values = (where as { ordinals: readonly number[] }).ordinals
			.map((ordinal) => {
				const read = model.dimensions[axis]!.isLeaf(ordinal) ? ({ kind: 'member', ordinal } as const) : ({ kind: 'of', ordinal } as const);
				return readOperand(model, cells, { ...operand, fold: 'sum', axes: new Map([...axes, [axis, read]]) }, address, leaf);
			})
			.filter((value) => !Number.isNaN(value));
		if (values.length === 0) return Number.NaN;
		const total = values.reduce((sum, value) => sum + value, 0);
		return {
			avg: total / values.length,
			count: values.length,
			min: Math.min(...values),
			max: Math.max(...values),
			first: values[0]!,
			last: values.at(-1)!
		}[operand.fold];
	}
	const movers = model.definition.dimensions.find(({ members }) =>
		members.some(({ id }) => model.definition.balanceRoles?.some(({ member }) => member === id))
	);
	const axis = model.dimensions.findIndex(({ id }) => id === movers?.id);
	const beside = axes.get(axis);
	if (span && beside && beside.kind !== 'member') {
		// Members that open, move and close, each in its own way.
		const { tree } = model.dimensions[axis]!;
		const top =
			beside.kind === 'of' ? beside.ordinal : beside.kind === 'parent' ? tree.parent[address[axis]!]! : topOf(tree.parent, address[axis]!);
		let total = Number.NaN;
		for (const ordinal of model.dimensions[axis]!.members.keys()) {
			if (!model.dimensions[axis]!.isLeaf(ordinal)) continue;
			const weight =
				beside.kind === 'over'
					? Number(beside.ordinals.some((each) => model.dimensions[axis]!.leavesOf(each).includes(ordinal)))
					: top < 0
						? 0
						: weightUp(model.dimensions[axis]!, ordinal, top);
			if (weight === 0) continue;
			const one = { ...operand, axes: new Map([...axes, [axis, { kind: 'member', ordinal } as const]]) };
			const value = readOperand(model, cells, one, address, leaf);
			if (!Number.isNaN(value)) total = (Number.isNaN(total) ? 0 : total) + weight * value;
		}
		return total;
	}
	if (span) {
		// Month by month, each account by its own behaviour; to date also through the scenario that came before.
		const run = { from: leaf - (leaf % 12), to: span.to === 'here' ? leaf : leaf - (leaf % 12) + 11 };
		const own = axes.get(model.scenarioAxis);
		const scenario = own?.kind === 'member' ? own.ordinal : address[model.scenarioAxis]!;
		const spoken = model.scenario(scenario)!.span;
		const [from, to] = [span.to === 'here' ? run.from : Math.max(run.from, spoken.from), Math.min(run.to, spoken.to)];
		let total = Number.NaN;
		for (const part of model.accounts.leavesOf(account)) {
			const stands = beside?.kind === 'member' && axis >= 0 ? address.with(axis, beside.ordinal) : address;
			const facts = factsBeside(model, stands.with(model.accountAxis, part));
			if (!facts || (part !== account && facts.consolidation !== 'sum') || to < from) continue;
			const at = (index: number) => {
				const reader =
					span.to === 'here' && index < spoken.from ? (continuationOf(model, scenario, index)?.scenario ?? scenario) : scenario;
				const { span: _, ...rest } = operand;
				const place = new Map(axes);
				if (reader !== scenario || own) place.set(model.scenarioAxis, { kind: 'member', ordinal: reader });
				return readOperand(model, cells, { ...rest, account: part, axes: place }, address, index);
			};
			const indexes = Array.from({ length: to - from + 1 }, (_, offset) => from + offset);
			const values = indexes.map(at);
			const present = values.filter((value) => !Number.isNaN(value));
			const sum = present.length === 0 ? Number.NaN : present.reduce((one, other) => one + other, 0);
			const value =
				facts.timeBehaviour === 'closing'
					? values.at(-1)!
					: facts.timeBehaviour === 'opening'
						? values[0]!
						: facts.timeBehaviour === 'latest'
							? (present.at(-1) ?? Number.NaN)
							: facts.timeBehaviour === 'average'
								? sum / values.length
								: facts.timeBehaviour === 'none' && values.length > 1
									? Number.NaN
									: sum;
			if (!Number.isNaN(value)) total = (Number.isNaN(total) ? 0 : total) + value * weightUp(model.accounts, part, account);
		}
		return total;
	}
	let at = leaf;
	let scenario = address[model.scenarioAxis]!;
	if (shift) {
		const sign = shift.level === 'year' ? 12 : 1;
		at = leaf + shift.by * sign;
		if (at < 0 || at >= model.periods.leaves.length) return Number.NaN;
		if (!axes.has(model.scenarioAxis)) {
			const { span } = model.scenario(scenario)!;
			if (at < span.from) scenario = continuationOf(model, scenario, at)?.scenario ?? scenario;
		}
	}
	const isTotal = !model.accounts.isLeaf(account) || [...axes.values()].some(({ kind }) => kind !== 'member');
	let sum = Number.NaN;
	for (const [key, stored] of cells) {
		const [place, period] = key.split(' @');
		if (Number(period) !== at) continue;
		const source = place!.split(' ').map(Number);
		let weight = weightUp(model.accounts, source[model.accountAxis]!, account);
		source.forEach((ordinal, axis) => {
			if (axis === model.accountAxis) return;
			const where = axes.get(axis);
			const dimension = model.dimensions[axis]!;
			const own = axis === model.scenarioAxis ? scenario : address[axis]!;
			if (!where) weight *= ordinal === own ? 1 : 0;
			else if (where.kind === 'member') weight *= ordinal === where.ordinal ? 1 : 0;
			// A group of another hierarchy holds its leaves once each here.
			else if (where.kind === 'of' && dimension.tree.isLeaf(where.ordinal))
				weight *= dimension.leavesOf(where.ordinal).includes(ordinal) ? 1 : 0;
			else if (where.kind === 'of') weight *= weightUp(dimension, ordinal, where.ordinal);
			else if (where.kind === 'over') weight *= where.ordinals.some((top) => dimension.leavesOf(top).includes(ordinal)) ? 1 : 0;
			else {
				const parent = dimension.tree.parent[own]!;
				const top = where.kind === 'parent' ? parent : topOf(dimension.tree.parent, own);
				weight *= top < 0 ? 0 : weightUp(dimension, ordinal, top);
			}
		});
		if (isTotal) {
			const { span } = model.scenario(source[model.scenarioAxis]!)!;
			if (at < span.from || at > span.to) continue;
		}
		if (weight !== 0) sum = Number.isNaN(sum) ? weight * stored : sum + weight * stored;
	}
	return sum;
}

function topOf(parent: Int32Array, ordinal: number): number {
	let at = ordinal;
	while (parent[at]! >= 0) at = parent[at]!;
	return at;
}

function weightUp(dimension: Model['accounts'], leaf: number, top: number): number {
	let weight = 1;
	for (let at = leaf; at !== top; at = dimension.tree.parent[at]!) {
		if (at < 0) return 0;
		weight *= dimension.tree.weight[at]!;
	}
	return weight;
}
