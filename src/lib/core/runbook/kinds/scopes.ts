import type { Model } from '../../model';
import type { Scope } from '../../script';

/** A part of the model with some accounts. */
export function withAccounts(model: Model, { axes, periods }: Scope, accounts: Iterable<number>): Scope {
	return { axes: new Map([...axes, [model.accountAxis, flags(model.accounts.members.length, accounts)]]), periods };
}

/** A table with a 1 at some ordinals. */
export function flags(size: number, ordinals: Iterable<number>): Uint8Array {
	const found = new Uint8Array(size);
	for (const ordinal of ordinals) found[ordinal] = 1;
	return found;
}

/** The periods of any of some scopes; undefined when one has all. */
export function unionOfPeriods(scopes: readonly Scope[]): Uint8Array | undefined {
	let union: Uint8Array | undefined;
	for (const { periods } of scopes) {
		if (!periods) return undefined;
		union = union ? union.map((each, leaf) => each | periods[leaf]!) : periods;
	}
	return union;
}
