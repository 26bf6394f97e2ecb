import type { Expression } from './expression';

/** The accounts (member ids) an expression reads, each once. */
export function accountsRead(expression: Expression): Set<number> {
	const found = new Set<number>();
	const waiting = [expression];
	while (waiting.length > 0) {
		const next = waiting.pop()!;
		if (next.kind === 'account') found.add(next.member);
		else if (next.kind === 'negative') waiting.push(next.of);
		else if (next.kind === 'binary') waiting.push(next.left, next.right);
	}
	return found;
}
