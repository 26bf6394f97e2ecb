import { EMPTY, isValue } from '../number';
import { isConstant } from './domain';
import { OPERATORS } from './evaluate';
import type { Expression } from './expression';

/**
 * An expression as a closure over columns: `values` holds the series of a block, `bases` where each operand's series
 * begins in it (−1 where it has none), `position` the place in the series.
 */
export type ColumnFormula = (values: Float64Array, bases: Int32Array, position: number) => number;

type ColumnTest = (values: Float64Array, bases: Int32Array, position: number) => boolean;

/**
 * Compiles an expression to closures, empty outside its domain. Inside it empty sides count as the operators say: where
 * the statement runs at all, empty + 5 = 5.
 * @param placeOf the place of an operand (member id) in `bases`
 */
export function compileColumns(expression: Expression, placeOf: (account: number) => number): ColumnFormula {
	const value = compileValue(expression, placeOf);
	// A product of plain accounts is empty by itself where one side is: the most frequent formula pays no second look.
	if (isProduct(expression)) return value;
	const runs = compileDomain(expression, placeOf);
	return (values, bases, position) => (runs(values, bases, position) ? value(values, bases, position) : EMPTY);
}

function compileValue(expression: Expression, placeOf: (account: number) => number): ColumnFormula {
	switch (expression.kind) {
		case 'number': {
			const constant = expression.value;
			return () => constant;
		}
		case 'account': {
			const place = placeOf(expression.member);
			return (values, bases, position) => (bases[place]! < 0 ? EMPTY : values[bases[place]! + position]!);
		}
		case 'negative': {
			const of = compileValue(expression.of, placeOf);
			return (values, bases, position) => -of(values, bases, position);
		}
		case 'binary': {
			const apply = OPERATORS[expression.operator];
			const [left, right] = [compileValue(expression.left, placeOf), compileValue(expression.right, placeOf)];
			return (values, bases, position) => apply(left(values, bases, position), right(values, bases, position));
		}
		default:
			return expression satisfies never;
	}
}

/** The same rules as `inDomain`. */
function compileDomain(expression: Expression, placeOf: (account: number) => number): ColumnTest {
	switch (expression.kind) {
		case 'number':
			return () => false;
		case 'account': {
			const value = compileValue(expression, placeOf);
			return (values, bases, position) => isValue(value(values, bases, position));
		}
		case 'negative':
			return compileDomain(expression.of, placeOf);
		case 'binary': {
			const { operator, left, right } = expression;
			const [one, other] = [compileDomain(left, placeOf), compileDomain(right, placeOf)];
			if (operator === '+' || operator === '-')
				return (values, bases, position) => one(values, bases, position) || other(values, bases, position);
			if (isConstant(left)) return other;
			if (isConstant(right)) return one;
			return (values, bases, position) => one(values, bases, position) && other(values, bases, position);
		}
		default:
			return expression satisfies never;
	}
}

function isProduct(expression: Expression): boolean {
	if (expression.kind === 'account') return true;
	return (
		expression.kind === 'binary' &&
		(expression.operator === '*' || expression.operator === '/') &&
		isProduct(expression.left) &&
		isProduct(expression.right)
	);
}
