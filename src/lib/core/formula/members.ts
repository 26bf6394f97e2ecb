import { mapSelection } from '../dimension';
import { type AccountRead, type Expression } from './expression';
import { readsOf } from './reads';

/** The expression with every member it names replaced; a dimension's id is given where it is known, −1 for accounts. */
export function mapExpression(expression: Expression, map: (member: number, dimension: number) => number): Expression {
	const inner = (part: Expression) => mapExpression(part, map);
	const read = (operand: AccountRead): AccountRead => ({
		...operand,
		member: map(operand.member, ACCOUNTS),
		...(operand.at && {
			at: Object.fromEntries(Object.entries(operand.at).map(([dimension, member]) => [dimension, map(member, Number(dimension))]))
		})
	});
	switch (expression.kind) {
		case 'account':
			return read(expression);
		case 'member is choice':
		case 'period of':
			return { ...expression, read: read(expression.read) };
		case 'member in':
			return {
				...expression,
				selections: expression.selections.map((selection) => mapSelection(selection, (member) => map(member, expression.dimension)))
			};
		default:
			return mapParts(expression, inner);
	}
}

/** The expression with each of its parts replaced; one without parts is itself. */
function mapParts(expression: Expression, inner: (part: Expression) => Expression): Expression {
	switch (expression.kind) {
		case 'number':
		case 'period now':
		case 'account':
		case 'member is choice':
		case 'period of':
		case 'member in':
			return expression;
		case 'negative':
		case 'not':
			return { ...expression, of: inner(expression.of) };
		case 'binary':
		case 'compare':
		case 'and':
		case 'or':
			return { ...expression, left: inner(expression.left), right: inner(expression.right) };
		case 'when':
			return {
				...expression,
				cases: expression.cases.map(({ condition, value }) => ({ condition: inner(condition), value: inner(value) })),
				otherwise: expression.otherwise && inner(expression.otherwise)
			};
		case 'call':
			return { ...expression, args: expression.args.map(inner) };
		default:
			return expression satisfies never;
	}
}

/** In place of a dimension (id) where a member is an account. */
export const ACCOUNTS = -1;

/** Every member (id) an expression names: accounts, places and tested members. */
export function membersIn(expression: Expression): Set<number> {
	const found = new Set<number>();
	mapExpression(expression, (member) => {
		found.add(member);
		return member;
	});
	return found;
}

/** The same with every comparison knowing the unit in which what it compares is kept. O(size). */
export function withUnits(expression: Expression, unitOf: (account: number) => number): Expression {
	const mapped = mapParts(expression, (part) => withUnits(part, unitOf));
	if (mapped.kind !== 'compare') return mapped;
	const units = readsOf(expression).map(({ member }) => unitOf(member));
	return { ...mapped, unit: units.length === 0 ? 0 : Math.min(...units) };
}
