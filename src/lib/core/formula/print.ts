import type { AccountRead, Expression } from './expression';

const RANK = { '+': 1, '-': 1, '*': 2, '/': 2 } as const;

/**
 * An expression as text with today's names: bare where the language allows, in double quotes otherwise.
 * @param nameOf the name of a member (id), of an account where no dimension (id) is given
 * @param dimensionName the name of a dimension (id); asked where a read says where from
 */
export function print(
	expression: Expression,
	nameOf: (member: number, dimension?: number) => string,
	dimensionName: (dimension: number) => string = String
): string {
	const wrapped = (part: Expression, rank: number): string => {
		const text = print(part, nameOf, dimensionName);
		return part.kind === 'binary' && RANK[part.operator] < rank ? `(${text})` : text;
	};
	switch (expression.kind) {
		case 'number':
			return String(expression.value);
		case 'account':
			return quoted(nameOf(expression.member)) + printPlace(expression, nameOf, dimensionName);
		case 'negative':
			return negated(wrapped(expression.of, 3));
		case 'binary': {
			const rank = RANK[expression.operator];
			// The right side of - and / needs brackets at equal rank too.
			return `${wrapped(expression.left, rank)} ${expression.operator} ${wrapped(expression.right, rank + 1)}`;
		}
		default:
			return expression satisfies never;
	}
}

/** `{Route: "No route"}`, or nothing for a read at the current cell. */
function printPlace(
	{ at }: AccountRead,
	nameOf: (member: number, dimension: number) => string,
	dimensionName: (dimension: number) => string
): string {
	if (!at) return '';
	const places = Object.entries(at).map(
		([dimension, member]) => `${quoted(dimensionName(Number(dimension)))}: ${quoted(nameOf(member, Number(dimension)))}`
	);
	return `{${places.join(', ')}}`;
}

const quoted = (name: string): string => (/^[A-Za-z][A-Za-z0-9_]*$/.test(name) ? name : `"${name}"`);

/** With a minus in front; two of them side by side would begin a comment. */
const negated = (text: string): string => (text.startsWith('-') ? `-(${text})` : `-${text}`);
