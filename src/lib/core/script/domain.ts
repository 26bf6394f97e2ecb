import type { Model } from '../model';
import type { Assignment, Operand, Term } from './tree';

/**
 * Whether the values of an operand say where results stand: it is read at the current cell, or on the axes where it is
 * not, the assignment says itself which members it writes. What holds for a whole year or for all time says no month.
 */
export function isDriver(model: Model, { account, axes, period, span }: Operand, { scope }: Pick<Assignment, 'scope'>): boolean {
	const leaves = model.accounts.tree.leaves(account);
	if (leaves.every((leaf) => (model.account(leaf)?.frequency ?? 'per period') !== 'per period')) return false;
	if ((period !== undefined || span?.to === 'end') && scope.periods === undefined) return false;
	return [...axes.keys()].every((axis) => scope.axes.has(axis));
}

/**
 * Operands such that wherever the term has a place, one of them has a value: where to look for its cells. Empty when the
 * term says where from, not where to.
 */
export function driversOf(model: Model, term: Term, assignment: Pick<Assignment, 'scope'>): Operand[] {
	const of = (each: Term): Operand[] => driversOf(model, each, assignment);
	switch (term.kind) {
		case 'number':
		case 'period now':
		case 'member in':
			return [];
		case 'read':
		case 'period of':
		case 'member is choice':
			return isDriver(model, term.operand, assignment) ? [term.operand] : [];
		case 'negative':
		case 'not':
			return of(term.of);
		case 'arithmetic': {
			const [left, right] = [of(term.left), of(term.right)];
			if (term.operator === '+' || term.operator === '-') return [...left, ...right];
			// A product needs both: the shorter list of places serves.
			if (left.length === 0 || right.length === 0) return [...left, ...right];
			return left.length <= right.length ? left : right;
		}
		case 'compare':
		case 'and':
		case 'or':
			return [...of(term.left), ...of(term.right)];
		case 'when':
			return [
				...term.cases.flatMap(({ condition, value }) => [...of(condition), ...of(value)]),
				...(term.otherwise ? of(term.otherwise) : [])
			];
		case 'call':
			return term.args.flatMap(of);
		default:
			return term satisfies never;
	}
}

/** All operands of a term, in the order in which they are written. */
export function operandsIn(term: Term): Operand[] {
	switch (term.kind) {
		case 'number':
		case 'period now':
		case 'member in':
			return [];
		case 'read':
		case 'period of':
		case 'member is choice':
			return [term.operand];
		case 'negative':
		case 'not':
			return operandsIn(term.of);
		case 'arithmetic':
		case 'compare':
		case 'and':
		case 'or':
			return [...operandsIn(term.left), ...operandsIn(term.right)];
		case 'when':
			return [...term.cases.flatMap(({ condition, value }) => [condition, value]), ...(term.otherwise ? [term.otherwise] : [])].flatMap(
				operandsIn
			);
		case 'call':
			return term.args.flatMap(operandsIn);
		default:
			return term satisfies never;
	}
}
