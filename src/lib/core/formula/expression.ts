export type BinaryOperator = '+' | '-' | '*' | '/';

/** An expression of the formula language. */
export type Expression =
	| { kind: 'number'; value: number }
	/** An account read at the current cell. */
	| { kind: 'account'; member: number }
	| { kind: 'negative'; of: Expression }
	| { kind: 'binary'; operator: BinaryOperator; left: Expression; right: Expression };

/** A live formula on an account, computed from consolidated operands. */
export interface FormulaDefinition {
	account: number;
	timing: 'after totals';
	expression: Expression;
}
