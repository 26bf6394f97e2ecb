import { EMPTY, isEmpty, roundTo } from '../number';

export type Arithmetic = '+' | '-' | '*' | '/' | '^';
export type Comparison = '=' | '<>' | '<' | '<=' | '>' | '>=';
export type FunctionName = 'abs' | 'round' | 'floor' | 'ceil' | 'min' | 'max' | 'days' | 'empty' | 'coalesce';

/** What the operators do with empty sides: empty + 5 = 5, empty × anything = empty, ÷ 0 = empty. */
export const ARITHMETIC: Record<Arithmetic, (left: number, right: number) => number> = {
	'+': (left, right) => (isEmpty(left) ? right : isEmpty(right) ? left : left + right),
	'-': (left, right) => (isEmpty(left) ? -right : isEmpty(right) ? left : left - right),
	'*': (left, right) => left * right,
	'/': (left, right) => (right === 0 ? EMPTY : left / right),
	'^': (left, right) => (isEmpty(left) || isEmpty(right) ? EMPTY : left ** right)
};

const HOLDS: Record<Comparison, (left: number, right: number) => boolean> = {
	'=': (left, right) => left === right,
	'<>': (left, right) => left !== right,
	'<': (left, right) => left < right,
	'<=': (left, right) => left <= right,
	'>': (left, right) => left > right,
	'>=': (left, right) => left >= right
};

/**
 * 1 where the comparison holds, 0 where not, empty beside something empty.
 * @param unit of the last decimal of what is compared: what lies within half of it is equal. 0 compares exactly
 */
export function compared(operator: Comparison, left: number, right: number, unit = 0): number {
	if (isEmpty(left) || isEmpty(right)) return EMPTY;
	// 0.015 − 0.01 is a little more than half a cent in doubles, and half a cent still.
	const isSame = unit > 0 && Math.abs(left - right) <= (unit / 2) * (1 + 1e-9);
	return HOLDS[operator](isSame ? right : left, right) ? 1 : 0;
}

/** A condition treats empty as no. */
export const isTrue = (truth: number): boolean => !isEmpty(truth) && truth !== 0;

/** Three-valued: empty where it depends on what is empty. */
export const LOGIC = {
	and: (left: number, right: number): number => (left === 0 || right === 0 ? 0 : isEmpty(left) || isEmpty(right) ? EMPTY : 1),
	or: (left: number, right: number): number => (isTrue(left) || isTrue(right) ? 1 : isEmpty(left) || isEmpty(right) ? EMPTY : 0),
	not: (truth: number): number => (isEmpty(truth) ? EMPTY : truth === 0 ? 1 : 0)
};

/** A value in a leaf period, worked out when asked. */
export type At = (leaf: number) => number;

const present = (args: readonly At[], leaf: number): number[] => args.map((arg) => arg(leaf)).filter((value) => !isEmpty(value));

/** The functions: each takes its arguments unworked, so that one that skips them may. */
export const FUNCTIONS: Record<FunctionName, (args: readonly At[], leaf: number, daysOf: At) => number> = {
	abs: ([of], leaf) => Math.abs(of!(leaf)),
	floor: ([of], leaf) => Math.floor(of!(leaf)),
	ceil: ([of], leaf) => Math.ceil(of!(leaf)),
	round: ([of, decimals], leaf) => {
		const value = of!(leaf);
		return isEmpty(value) ? EMPTY : roundTo(value, decimals ? Math.max(-12, Math.min(12, Math.trunc(decimals(leaf)) || 0)) : 0);
	},
	min: (args, leaf) => {
		const values = present(args, leaf);
		return values.length === 0 ? EMPTY : Math.min(...values);
	},
	max: (args, leaf) => {
		const values = present(args, leaf);
		return values.length === 0 ? EMPTY : Math.max(...values);
	},
	empty: ([of], leaf) => (isEmpty(of!(leaf)) ? 1 : 0),
	coalesce: (args, leaf) => {
		for (const arg of args) {
			const value = arg(leaf);
			if (!isEmpty(value)) return value;
		}
		return EMPTY;
	},
	days: (_, leaf, daysOf) => daysOf(leaf)
};
