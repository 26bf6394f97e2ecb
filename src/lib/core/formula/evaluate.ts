import { EMPTY, isEmpty } from '../number';
import type { AccountRead, Expression, MemberTest } from './expression';
import { ARITHMETIC, compared, FUNCTIONS, isTrue, LOGIC } from './operators';

/** What an expression may ask about the cell it is worked out at, beside accounts. */
export interface CellFacts {
	/** The current leaf period, by its place in time. */
	leaf: number;
	/** The first leaf period of the period a choice (member id) names; empty when there is none. */
	periodOf: (member: number) => number;
	daysOf: (leaf: number) => number;
	isIn: (test: MemberTest) => boolean;
	/** Whether the current member of a dimension (id) is this one, or beneath it. */
	isChosen: (dimension: number, member: number) => boolean;
}

/**
 * The value of an expression; empty where its rules say so, never an error.
 * @param read the value of an account at the cell asked for, or where the read says
 * @param facts what is known of the cell; after totals there is none, and expressions that ask are not admitted
 */
export function evaluate(expression: Expression, read: (operand: AccountRead) => number, facts?: CellFacts): number {
	const at = (part: Expression) => evaluate(part, read, facts);
	switch (expression.kind) {
		case 'number':
			return expression.value;
		case 'account':
			return read(expression);
		case 'negative':
			return -at(expression.of);
		case 'binary':
			return ARITHMETIC[expression.operator](at(expression.left), at(expression.right));
		case 'not':
			return LOGIC.not(at(expression.of));
		case 'compare':
			return compared(expression.operator, at(expression.left), at(expression.right), expression.unit);
		case 'and':
		case 'or':
			return LOGIC[expression.kind](at(expression.left), at(expression.right));
		case 'when': {
			for (const { condition, value } of expression.cases) if (isTrue(at(condition))) return at(value);
			return expression.otherwise ? at(expression.otherwise) : EMPTY;
		}
		case 'call':
			return FUNCTIONS[expression.name](
				expression.args.map((arg) => () => at(arg)),
				facts?.leaf ?? 0,
				facts?.daysOf ?? (() => EMPTY)
			);
		case 'member in':
			return facts?.isIn(expression) ? 1 : 0;
		case 'member is choice': {
			const chosen = read(expression.read);
			// Never true where nothing is chosen.
			return !isEmpty(chosen) && facts?.isChosen(expression.dimension, chosen) ? 1 : 0;
		}
		case 'period now':
			return facts?.leaf ?? EMPTY;
		case 'period of': {
			const chosen = read(expression.read);
			return isEmpty(chosen) ? EMPTY : (facts?.periodOf(chosen) ?? EMPTY);
		}
		default:
			return expression satisfies never;
	}
}
