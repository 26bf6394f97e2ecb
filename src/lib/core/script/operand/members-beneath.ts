import type { Model } from '../../model';
import type { AxisRead, Operand } from '../tree';
import { CellReader } from './cell-reader';
import type { OperandReader, Reading } from './reading';
import { WeightedReader } from './weighted-reader';

/** Cells that are read one by one for a total of members; beyond it totals are worked out once, for all cells. */
const MOST_CELLS = 64;

/** Whether the total of an operand is read leaf by leaf, so that it sees what is written meanwhile. */
export function isReadByCells(model: Model, { account, axes }: Operand): boolean {
	if (!model.accounts.isLeaf(account) || model.account(account)?.consolidation !== 'sum') return false;
	let cells = 1;
	for (const [axis, where] of axes) {
		if (where.kind === 'of') cells *= model.dimensions[axis]!.leavesOf(where.ordinal).length;
		else if (where.kind !== 'member') return false;
	}
	return cells <= MOST_CELLS;
}

/**
 * One account at members with others beneath them: their leaves by weight, as they stand when asked, so that what is written
 * meanwhile is seen. For an operand that `isReadByCells`.
 */
export function membersBeneath(reading: Reading, operand: Operand): OperandReader {
	const { model } = reading;
	let places: { axes: Map<number, AxisRead>; weight: number }[] = [{ axes: new Map(), weight: 1 }];
	for (const [axis, where] of operand.axes) {
		if (where.kind === 'member') {
			for (const place of places) place.axes.set(axis, where);
			continue;
		}
		if (where.kind !== 'of') throw new Error('Only members and their totals are read cell by cell.');
		const leaves: { ordinal: number; weight: number }[] = [];
		model.dimensions[axis]!.eachWeightedLeaf(where.ordinal, (ordinal, weight) => leaves.push({ ordinal, weight }));
		places = places.flatMap(({ axes, weight: counted }) =>
			leaves.map(({ ordinal, weight }) => ({
				axes: new Map([...axes, [axis, { kind: 'member', ordinal } as AxisRead]]),
				weight: counted * weight
			}))
		);
	}
	return new WeightedReader(places.map(({ axes, weight }) => ({ reader: new CellReader(reading, { ...operand, axes }), weight })));
}
