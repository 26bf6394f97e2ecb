import type { BranchPlace } from '$lib/server/engine';

/** Names a cell of a branch among the others. */
export const keyOfPlace = ({ origin, address, year, position }: BranchPlace): string =>
	`${origin} ${address.join('.')} ${year} ${position}`;

export const placeOf = ({ origin, address, year, position }: BranchPlace): BranchPlace => ({ origin, address, year, position });
