import type { Expression } from './expression';

const RANK = { '+': 1, '-': 1, '*': 2, '/': 2 } as const;

/**
 * An expression as text with today's names: bare where the language allows, in double quotes otherwise.
 * @param nameOf the name of an account's member id
 */
export function print(expression: Expression, nameOf: (account: number) => string): string {
	switch (expression.kind) {
		case 'number':
			return String(expression.value);
		case 'account': {
			const name = nameOf(expression.member);
			return /^[A-Za-z][A-Za-z0-9_]*$/.test(name) ? name : `"${name}"`;
		}
		case 'negative':
			return `-${wrapped(expression.of, 3, nameOf)}`;
		case 'binary': {
			const rank = RANK[expression.operator];
			// The right side of - and / needs brackets at equal rank too.
			return `${wrapped(expression.left, rank, nameOf)} ${expression.operator} ${wrapped(expression.right, rank + 1, nameOf)}`;
		}
		default:
			return expression satisfies never;
	}
}

function wrapped(expression: Expression, rank: number, nameOf: (account: number) => string): string {
	const text = print(expression, nameOf);
	return expression.kind === 'binary' && RANK[expression.operator] < rank ? `(${text})` : text;
}
