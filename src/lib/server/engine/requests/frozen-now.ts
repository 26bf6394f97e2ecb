import { freeze, type FrozenBlock } from '../../../core';
import type { ModelEngine } from '../model-engine';

/** The results that are to be frozen as locks stand; null where they are frozen already. */
export async function frozenNow(
	engine: ModelEngine,
	{ revision, structure }: { revision: number; structure: number }
): Promise<FrozenBlock[] | null> {
	await engine.reach(revision);
	if (engine.isBehind(revision, structure)) await engine.catchUp();
	const { model, cube, locks } = engine;
	const places = new Int32Array(model.dimensions.length + 1);
	const frozen = freeze(cube, (address, leaf) => {
		places.set(address);
		places[model.dimensions.length] = model.periods.leaf(leaf).ordinal;
		return locks.at(places).closed !== undefined;
	});
	let before = 0;
	let isSame = true;
	model.frozen?.each((address, year, position, value) => {
		before++;
		isSame &&= Object.is(frozen.get(address, year, position), value);
	});
	return isSame && before === frozen.size ? null : frozen.blocks();
}
