import { stringify } from 'csv-stringify/sync';
import { Model } from '../../../core';
import { pool } from '../../database';
import { readModelDefinition } from '../../database/definitions';
import { askRunner } from '../../engine';
import { Fault } from '../../fault';
import { modelVersions } from '../../database/structure-version';

const ROWS_AT_ONCE = 5_000;

/**
 * The leaf amounts of a slice of another model as CSV: a column per dimension with codes, the first day of the period, the
 * amount. Entries stand above proposals, additions come on top; results of live formulas are among them. Asked of the
 * thread that computes, so that nobody's typing waits for it.
 * @param slice members (ids) by dimension id; all under them count
 * @throws Fault when the model is gone
 */
export async function* modelRows(modelId: number, slice: Readonly<Record<string, readonly number[]>>): AsyncGenerator<Uint8Array> {
	const definition = await readModelDefinition(pool(), modelId);
	if (!definition) throw new Fault(422, 'no model', 'The model these rows come from is not there any more. Choose another.');
	const model = new Model(definition);
	const { revision, structure } = await modelVersions(pool(), modelId);
	const { members, periods, amounts } = await askRunner(modelId, 'leafCells', { revision, structure, slice });
	const codes = new Map(definition.dimensions.flatMap((dimension) => dimension.members.map(({ id, code }) => [id, code] as const)));
	yield Buffer.from(stringify([[...model.dimensions.map(({ name }) => name), model.periods.dimension.name, 'Amount']]));
	for (let from = 0; from < amounts.length; from += ROWS_AT_ONCE)
		yield Buffer.from(
			stringify(
				Array.from({ length: Math.min(ROWS_AT_ONCE, amounts.length - from) }, (_, index) => [
					...members.map((column) => codes.get(column[from + index]!) ?? ''),
					model.periods.leaf(periods[from + index]!).start,
					String(amounts[from + index]!)
				])
			)
		);
}
