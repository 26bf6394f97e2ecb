import { isValue } from '../number';
import type { AccountRead, Expression } from './expression';

/**
 * Whether an expression has a value at a cell, given which accounts have one there: a product or quotient where both
 * sides have, a sum or difference where either has; constants and what is read
 * at a fixed place do not widen it.
 */
export function inDomain(expression: Expression, read: (operand: AccountRead) => number): boolean {
	switch (expression.kind) {
		case 'number':
			return false;
		case 'account':
			return expression.at === undefined && isValue(read(expression));
		case 'negative':
			return inDomain(expression.of, read);
		case 'binary': {
			const { operator, left, right } = expression;
			if (operator === '+' || operator === '-') return inDomain(left, read) || inDomain(right, read);
			const [leftIn, rightIn] = [isFixed(left) || inDomain(left, read), isFixed(right) || inDomain(right, read)];
			return leftIn && rightIn && !(isFixed(left) && isFixed(right));
		}
		default:
			return expression satisfies never;
	}
}

/**
 * Accounts (member ids) such that wherever the expression has a value one of them has: where to look for its cells. The
 * fewest that serve: one side of a product, both of a sum. Empty when the expression says where from, not where to.
 */
export function domainAccounts(expression: Expression): Set<number> {
	switch (expression.kind) {
		case 'number':
			return new Set();
		case 'account':
			return expression.at === undefined ? new Set([expression.member]) : new Set();
		case 'negative':
			return domainAccounts(expression.of);
		case 'binary': {
			const [left, right] = [domainAccounts(expression.left), domainAccounts(expression.right)];
			if (expression.operator === '+' || expression.operator === '-') return new Set([...left, ...right]);
			if (left.size === 0) return right;
			return right.size > 0 && right.size < left.size ? right : left;
		}
		default:
			return expression satisfies never;
	}
}

/** Whether an expression reads nothing at the current cell: it says what, but not where to. */
export function isFixed(expression: Expression): boolean {
	if (expression.kind === 'number') return true;
	if (expression.kind === 'account') return expression.at !== undefined;
	if (expression.kind === 'negative') return isFixed(expression.of);
	return isFixed(expression.left) && isFixed(expression.right);
}
