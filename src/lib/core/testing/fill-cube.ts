import { Cube } from '../cube';
import type { Model } from '../model';
import type { StoredCell } from './naive-cell';

/** A cube with some cells written in their order. */
export function fillCube(model: Model, cells: readonly StoredCell[]): Cube {
	const cube = new Cube(model);
	for (const { origin, address, period, value, stamp } of cells) {
		const leaf = model.periods.leaf(period);
		cube.writeCell(origin, address, leaf.fiscalYear, leaf.position, value, stamp);
	}
	return cube;
}
