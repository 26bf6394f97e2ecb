import { evaluate, readsOf } from '../formula';
import { isEmpty } from '../number';
import type { LineFigure } from './derived';
import type { FormCheck } from './layout';

/** How a check stands in a period. One whose figures lack something cannot tell. */
export interface CheckState {
	state: 'holds' | 'fails' | 'cannot tell';
	/** Left less right; 0 where both are empty. */
	difference: number;
}

/** The accounts (ids) a check reads. */
export const accountsOfCheck = ({ left, right }: FormCheck): number[] => [
	...new Set([...readsOf(left), ...readsOf(right)].map(({ member }) => member))
];

/**
 * Whether a check holds for the figures of its accounts. Figures within half a unit of the last decimal are equal; empty
 * counts as nothing.
 * @param figureOf the figure of an account (id)
 * @param decimals of the accounts compared
 */
export function checkFigures(check: FormCheck, figureOf: (account: number) => LineFigure, decimals: number): CheckState {
	let isIncomplete = false;
	const side = (expression: FormCheck['left']): number => {
		const value = evaluate(expression, ({ member }) => {
			const figure = figureOf(member);
			isIncomplete ||= figure.flags !== 0;
			return figure.value;
		});
		return isEmpty(value) ? 0 : value;
	};
	const difference = side(check.left) - side(check.right);
	const tolerance = 0.5 * 10 ** -decimals;
	const holds =
		check.compare === '=' ? Math.abs(difference) < tolerance : check.compare === '<=' ? difference < tolerance : difference > -tolerance;
	return { state: isIncomplete ? 'cannot tell' : holds ? 'holds' : 'fails', difference };
}
