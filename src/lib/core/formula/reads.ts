import { partsOf, type AccountRead, type Expression, type MemberTest } from './expression';

/** All reads of an expression, as they are written. */
export function allReads(expression: Expression): AccountRead[] {
	if (expression.kind === 'account') return [expression];
	if (expression.kind === 'member is choice' || expression.kind === 'period of') return [expression.read];
	return partsOf(expression).flatMap(allReads);
}

/** The different reads of an expression, each once, in the order in which they are written. */
export function readsOf(expression: Expression): AccountRead[] {
	const found: AccountRead[] = [];
	for (const read of allReads(expression)) if (!found.some((known) => sameRead(known, read))) found.push(read);
	return found;
}

/** The tests of members in an expression, in the order in which they are written. */
export const testsIn = (expression: Expression): MemberTest[] =>
	expression.kind === 'member in' ? [expression] : partsOf(expression).flatMap(testsIn);

/** The accounts (member ids) an expression reads, each once. */
export const accountsRead = (expression: Expression): Set<number> => new Set(readsOf(expression).map(({ member }) => member));

/** Whether two reads ask for the same account at the same place and period. */
export function sameRead(one: AccountRead, other: AccountRead): boolean {
	if (one === other) return true;
	if (one.member !== other.member || one.shift?.level !== other.shift?.level || one.shift?.by !== other.shift?.by) return false;
	const [fixed, others] = [Object.entries(one.at ?? {}), Object.entries(other.at ?? {})];
	return fixed.length === others.length && fixed.every(([dimension, member]) => other.at?.[Number(dimension)] === member);
}
