import type { Model } from '../model';
import type { Assignment, Operand, Term } from './tree';

/**
 * Whether the values of an operand say where results stand: it is read at the current cell, or on the axes where it is
 * not, the assignment says itself which members it writes. What holds for a whole year or for all time says no month.
 */
export function isDriver(model: Model, { account, axes, period, span }: Operand, { scope }: Pick<Assignment, 'scope'>): boolean {
	const leaves = model.accounts.leavesOf(account);
	if (leaves.every((leaf) => (model.account(leaf)?.frequency ?? 'per period') !== 'per period')) return false;
	if ((period !== undefined || span?.to === 'end') && scope.periods === undefined) return false;
	return [...axes.keys()].every((axis) => scope.axes.has(axis));
}

/**
 * Operands such that wherever the term has a place, one of them has a value: where to look for its cells. Empty when the
 * term says where from, not where to.
 */
export function driversOf(model: Model, term: Term, assignment: Pick<Assignment, 'scope'>): Operand[] {
	if ('operand' in term) return isDriver(model, term.operand, assignment) ? [term.operand] : [];
	const parts = partsOf(term).map((part) => driversOf(model, part, assignment));
	const isProduct = term.kind === 'arithmetic' && term.operator !== '+' && term.operator !== '-';
	const [left = [], right = []] = parts;
	// A product needs both: the shorter list of places serves.
	if (isProduct && left.length > 0 && right.length > 0) return left.length <= right.length ? left : right;
	return parts.flat();
}

/** All operands of a term, in the order in which they are written. */
export function operandsIn(term: Term): readonly Operand[] {
	let known = operands.get(term);
	if (!known) operands.set(term, (known = collect(term, [])));
	return known;
}
/** Found once a statement: the order of periods is looked for between all of them. */
const operands = new WeakMap<Term, readonly Operand[]>();

function collect(term: Term, found: Operand[]): Operand[] {
	if ('operand' in term) found.push(term.operand);
	else for (const part of partsOf(term)) collect(part, found);
	return found;
}

/** The terms a term is made of. */
function partsOf(term: Term): readonly Term[] {
	switch (term.kind) {
		case 'number':
		case 'period now':
		case 'member in':
		case 'read':
		case 'period of':
		case 'member is choice':
			return [];
		case 'negative':
		case 'not':
			return [term.of];
		case 'arithmetic':
		case 'compare':
		case 'and':
		case 'or':
			return [term.left, term.right];
		case 'when':
			return [...term.cases.flatMap(({ condition, value }) => [condition, value]), ...(term.otherwise ? [term.otherwise] : [])];
		case 'call':
			return term.args;
		default:
			return term satisfies never;
	}
}
