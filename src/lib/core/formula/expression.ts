import type { Selection } from '../dimension';
import type { Arithmetic, Comparison, FunctionName } from './operators';

export type BinaryOperator = Arithmetic;

/**
 * An account read at the current cell, or with the members of some dimensions (by id) fixed: `Price{Route: "No route"}`,
 * or so many periods of a level earlier (below zero) or later: `Closing{Month - 1}`.
 * What is fixed says where from, not where to; what is shifted says it for another period.
 */
export interface AccountRead {
	kind: 'account';
	member: number;
	at?: Readonly<Record<number, number>>;
	shift?: { level: string; by: number };
}

/** Whether the current member of a dimension (id; the period's too) is among some, or beneath them. */
export interface MemberTest {
	kind: 'member in';
	dimension: number;
	selections: readonly Selection[];
}

/** An expression of the formula language, with members as ids: what is stored. */
export type Expression =
	| { kind: 'number'; value: number }
	| AccountRead
	| { kind: 'negative' | 'not'; of: Expression }
	| { kind: 'binary'; operator: BinaryOperator; left: Expression; right: Expression }
	/** `unit`: of the last decimal of what is compared, where that is known. */
	| { kind: 'compare'; operator: Comparison; left: Expression; right: Expression; unit?: number }
	| { kind: 'and' | 'or'; left: Expression; right: Expression }
	| MemberTest
	/** Whether the current member of a dimension is the one an account of choice holds, or beneath it. */
	| { kind: 'member is choice'; dimension: number; read: AccountRead }
	/** The current leaf period as a number, and the first one of the period an account of choice holds. */
	| { kind: 'period now' }
	| { kind: 'period of'; read: AccountRead }
	| { kind: 'when'; cases: readonly { condition: Expression; value: Expression }[]; otherwise: Expression | null }
	| { kind: 'call'; name: FunctionName; args: readonly Expression[] };

/** Where a per-leaf formula stands; outside it the account is an ordinary leaf. Member ids; left out: everywhere. */
export interface FormulaScope {
	scenarios?: readonly number[];
	/** First and last leaf period. */
	from?: number;
	to?: number;
	/** Of each fiscal year only its first leaf period, or all but that. */
	within?: PartOfYear;
}

export type PartOfYear = 'first period of the year' | 'later periods of the year';

/**
 * A live formula on an account: computed from consolidated operands, or per leaf and then added up. Several per-leaf
 * formulas may stand on one account where their scopes do not meet.
 */
export interface FormulaDefinition {
	account: number;
	timing: 'after totals' | 'per leaf';
	expression: Expression;
	scope?: FormulaScope;
	/** Per leaf: whether figures may be typed there; what is stored then stands above the result. */
	mayBeTyped?: boolean;
}

/** The expressions directly inside another one. */
export function partsOf(expression: Expression): readonly Expression[] {
	switch (expression.kind) {
		case 'number':
		case 'account':
		case 'member in':
		case 'member is choice':
		case 'period now':
		case 'period of':
			return [];
		case 'negative':
		case 'not':
			return [expression.of];
		case 'binary':
		case 'compare':
		case 'and':
		case 'or':
			return [expression.left, expression.right];
		case 'when':
			return [
				...expression.cases.flatMap(({ condition, value }) => [condition, value]),
				...(expression.otherwise ? [expression.otherwise] : [])
			];
		case 'call':
			return expression.args;
		default:
			return expression satisfies never;
	}
}

/** Whether an expression is arithmetic over accounts and numbers, nothing else: then it can be worked out by columns. */
export const isPlain = (expression: Expression): boolean =>
	['number', 'account', 'negative', 'binary'].includes(expression.kind) && partsOf(expression).every(isPlain);
