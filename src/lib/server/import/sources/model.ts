import { Model } from '../../../core';
import { pool } from '../../database';
import { readModelDefinition } from '../../database/definitions';
import { askRunner } from '../../engine';
import type { Source } from '../../definition/source-schema';
import { Fault } from '../../fault';
import { personById } from '../../session';
import { modelVersions } from '../../database/structure-version';
import { leafRows } from './model-rows';

/**
 * The leaf amounts of a slice of another model as CSV, see `leafRows`. Entries stand above proposals, additions come on
 * top; results of live formulas are among them. Asked of the thread that computes, so that nobody's typing waits for it.
 * @param slice members (ids) by dimension id; all under them count
 * @throws Fault when the model is gone
 */
export async function* modelRows(modelId: number, slice: Readonly<Record<string, readonly number[]>>): AsyncGenerator<Uint8Array> {
	const definition = await readModelDefinition(pool(), modelId);
	if (!definition) throw new Fault(422, 'no model', 'The model these rows come from is not there any more. Choose another.');
	const model = new Model(definition);
	const { revision, structure } = await modelVersions(pool(), modelId);
	yield* leafRows(model, await askRunner(modelId, 'leafCells', { revision, structure, slice }));
}

/** Rows of another model are for who looks at imports there too, and reads all of it. @throws Fault 422 */
export async function requireSourceModel(person: number | null, place: Source['place']): Promise<void> {
	if (place.kind !== 'model') return;
	const reader = await personById(person, place.model);
	if (!reader.permissions.includes('data.read'))
		throw new Fault(
			422,
			'no model',
			'The model these rows come from is not there, or not yours to read. Choose another, or ask an administrator.'
		);
}
