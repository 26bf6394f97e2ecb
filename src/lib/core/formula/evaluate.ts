import { EMPTY, isEmpty } from '../number';
import type { AccountRead, BinaryOperator, Expression } from './expression';

/**
 * The value of an expression; empty where its rules say so, never an error.
 * @param read the value of an account at the cell asked for, or where the read says
 */
export function evaluate(expression: Expression, read: (operand: AccountRead) => number): number {
	switch (expression.kind) {
		case 'number':
			return expression.value;
		case 'account':
			return read(expression);
		case 'negative':
			return -evaluate(expression.of, read);
		case 'binary':
			return OPERATORS[expression.operator](evaluate(expression.left, read), evaluate(expression.right, read));
		default:
			return expression satisfies never;
	}
}

/** What the operators do with empty sides: empty + 5 = 5, empty × anything = empty, ÷ 0 = empty. */
export const OPERATORS: Record<BinaryOperator, (left: number, right: number) => number> = {
	'+': (left, right) => (isEmpty(left) ? right : isEmpty(right) ? left : left + right),
	'-': (left, right) => (isEmpty(left) ? -right : isEmpty(right) ? left : left - right),
	'*': (left, right) => left * right,
	'/': (left, right) => (right === 0 ? EMPTY : left / right)
};
