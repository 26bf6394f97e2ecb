import { isValue } from '../number';
import type { Expression } from './expression';

/**
 * Whether an expression has a value at a cell, given which accounts have one there: a product or quotient where both
 * sides have, a sum or difference where either has; constants do not widen it.
 */
export function inDomain(expression: Expression, read: (account: number) => number): boolean {
	switch (expression.kind) {
		case 'number':
			return false;
		case 'account':
			return isValue(read(expression.member));
		case 'negative':
			return inDomain(expression.of, read);
		case 'binary': {
			const { operator, left, right } = expression;
			if (operator === '+' || operator === '-') return inDomain(left, read) || inDomain(right, read);
			const [leftIn, rightIn] = [isConstant(left) || inDomain(left, read), isConstant(right) || inDomain(right, read)];
			return leftIn && rightIn && !(isConstant(left) && isConstant(right));
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
			return new Set([expression.member]);
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

/** Whether an expression reads nothing. */
export function isConstant(expression: Expression): boolean {
	if (expression.kind === 'number') return true;
	if (expression.kind === 'negative') return isConstant(expression.of);
	return expression.kind === 'binary' && isConstant(expression.left) && isConstant(expression.right);
}
