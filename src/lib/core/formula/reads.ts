import type { AccountRead, Expression } from './expression';

/** The different reads of an expression, each once, in the order in which they are written. */
export function readsOf(expression: Expression): AccountRead[] {
	const found: AccountRead[] = [];
	const visit = (next: Expression) => {
		if (next.kind === 'account') {
			if (!found.some((known) => sameRead(known, next))) found.push(next);
		} else if (next.kind === 'negative') visit(next.of);
		else if (next.kind === 'binary') {
			visit(next.left);
			visit(next.right);
		}
	};
	visit(expression);
	return found;
}

/** The accounts (member ids) an expression reads, each once. */
export const accountsRead = (expression: Expression): Set<number> => new Set(readsOf(expression).map(({ member }) => member));

/** Whether two reads ask for the same account at the same place. */
export function sameRead(one: AccountRead, other: AccountRead): boolean {
	if (one.member !== other.member) return false;
	const [fixed, others] = [Object.entries(one.at ?? {}), Object.entries(other.at ?? {})];
	return fixed.length === others.length && fixed.every(([dimension, member]) => other.at?.[Number(dimension)] === member);
}
