import type { Model, OwnExtent } from '../../core';
import type { StoredExtent } from './branch-series';

/** What loads replaced in a branch, as a layer is told. Members that are gone are about nothing. */
export function ownExtents(model: Model, stored: readonly StoredExtent[]): OwnExtent[] {
	return stored.map(({ origin, extent, part, timeless }) => ({
		origin,
		timeless,
		covers: model.dimensions.map((dimension) => {
			const named = extent[dimension.id];
			const limited = part?.[dimension.id];
			if (!named && !limited) return undefined;
			const covered = new Uint8Array(dimension.members.length).fill(named ? 0 : 1);
			for (const id of named ?? []) covered[dimension.ordinal(id) ?? -1] = 1;
			if (!limited) return covered;
			const within = new Uint8Array(covered.length);
			for (const id of limited) {
				const ordinal = dimension.ordinal(id);
				if (ordinal !== undefined) for (const under of dimension.tree.under(ordinal)) within[under] = 1;
			}
			return covered.map((each, at) => each & within[at]!);
		}),
		periods: periodsOf(model, extent, part)
	}));
}

function periodsOf(model: Model, extent: StoredExtent['extent'], part: StoredExtent['part']): Uint8Array {
	const { dimension, leaves } = model.periods;
	const named = new Set(extent[dimension.id] ?? []);
	const limited = part?.[dimension.id]?.flatMap((id) => {
		const ordinal = dimension.ordinal(id);
		return ordinal === undefined ? [] : [model.periods.range(ordinal)];
	});
	return Uint8Array.from(leaves, ({ ordinal, index }) =>
		named.has(dimension.member(ordinal).id) && (!limited || limited.some(({ from, to }) => index >= from && index <= to)) ? 1 : 0
	);
}
