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
				return {
					'=': left === right,
					'<>': left !== right,
					'<': left < right,
					'<=': left <= right,
					'>': left > right,
					'>=': left >= right
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

function readOperand(model: Model, cells: NaiveCells, { account, axes, shift }: Operand, address: readonly number[], leaf: number): number {
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
			else if (where.kind === 'over') weight *= where.ordinals.reduce((total, top) => total + weightUp(dimension, ordinal, top), 0);
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
