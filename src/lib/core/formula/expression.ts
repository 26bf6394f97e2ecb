export type BinaryOperator = '+' | '-' | '*' | '/';

/**
 * An account read at the current cell, or with the members of some dimensions (by id) fixed: `Price{Route: "No route"}`.
 * What is fixed says where from, not where to.
 */
export interface AccountRead {
	kind: 'account';
	member: number;
	at?: Readonly<Record<number, number>>;
}

/** An expression of the formula language. */
export type Expression =
	| { kind: 'number'; value: number }
	| AccountRead
	| { kind: 'negative'; of: Expression }
	| { kind: 'binary'; operator: BinaryOperator; left: Expression; right: Expression };

/** Where a per-leaf formula stands; outside it the account is an ordinary leaf. Member ids; left out: everywhere. */
export interface FormulaScope {
	scenarios?: readonly number[];
	/** First and last leaf period. */
	from?: number;
	to?: number;
}

/**
 * A live formula on an account: computed from consolidated operands, or per leaf and then added up. Several per-leaf
 * formulas may stand on one account where their scopes do not meet.
 */
export interface FormulaDefinition {
	account: number;
	timing: 'after totals' | 'per leaf';
	expression: Expression;
	scope?: FormulaScope;
}
