import { WorkCube, type BranchLayer, type Cube } from '../../../core';

/**
 * Does something with a branch laid on the cube as it stands in a full copy, and takes it off again. What is done must be
 * done at once: nothing else may look at the cube meanwhile.
 */
export function inCopy<Result>(cube: Cube, layer: BranchLayer | undefined, work: () => Result): Result {
	if (!layer) return work();
	const laid = new WorkCube(cube);
	try {
		layer.layOn(laid);
		cube.model.ratesInstead = layer.ratesInstead;
		return work();
	} finally {
		cube.model.ratesInstead = undefined;
		laid.restore();
	}
}
