import type { ModelEngine } from '../model-engine';

/** Whether a revision is reached, and how much is held. */
export async function ready(
	engine: ModelEngine,
	{ revision }: { revision: number }
): Promise<{ revision: number; cells: number; bytes: number }> {
	await engine.reach(revision);
	return { revision: engine.revision, cells: engine.cube.cells, bytes: engine.cube.bytes };
}

/** Gives the connections back. */
export async function close(engine: ModelEngine, _ask: Record<string, never>): Promise<Record<string, never>> {
	await engine.database.end();
	return {};
}
