import { isValue } from '../number';
import { partsOf, type AccountRead, type Expression } from './expression';

/**
 * Whether an expression has a value at a cell, given which accounts have one there: a product or quotient where both
 * sides have, a sum, a comparison, a condition where any part has; constants, members and what is read at a fixed place
 * do not widen it.
 */
export function inDomain(expression: Expression, read: (operand: AccountRead) => number): boolean {
	if (expression.kind === 'account') return expression.at === undefined && isValue(read(expression));
	if (isProduct(expression)) {
		const { left, right } = expression;
		const [leftIn, rightIn] = [isFixed(left) || inDomain(left, read), isFixed(right) || inDomain(right, read)];
		return leftIn && rightIn && !(isFixed(left) && isFixed(right));
	}
	return partsOf(expression).some((part) => inDomain(part, read));
}

/**
 * Accounts (member ids) such that wherever the expression has a value one of them has, in that period or the one it is
 * shifted to: where to look for its cells. The fewest that serve: one side of a product, both of a sum. Empty when the
 * expression says where from, not where to.
 */
export function domainAccounts(expression: Expression): Set<number> {
	if (expression.kind === 'account') return expression.at === undefined ? new Set([expression.member]) : new Set();
	const parts = partsOf(expression).map(domainAccounts);
	if (isProduct(expression)) {
		const [left, right] = parts as [Set<number>, Set<number>];
		if (left.size === 0) return right;
		return right.size > 0 && right.size < left.size ? right : left;
	}
	return new Set(parts.flatMap((part) => [...part]));
}

/** Whether an expression reads nothing that says where it stands: it says what, but not where to. */
export const isFixed = (expression: Expression): boolean =>
	expression.kind === 'account' ? expression.at !== undefined : partsOf(expression).every(isFixed);

const isProduct = (expression: Expression): expression is Expression & { kind: 'binary' } =>
	expression.kind === 'binary' && expression.operator !== '+' && expression.operator !== '-';
