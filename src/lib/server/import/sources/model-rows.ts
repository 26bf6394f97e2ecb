import { stringify } from 'csv-stringify/sync';
import type { Model } from '../../../core';
import type { LeafCellsAnswer } from '../../engine/requests/leaf-cells';

const ROWS_AT_ONCE = 5_000;

/**
 * Leaf cells of a model as CSV: a column per dimension with codes, the first day of the period, the amount, and the
 * currency it is in (of the cell's entity, or the model's where it has none).
 */
export function* leafRows(model: Model, { members, periods, amounts }: LeafCellsAnswer): Generator<Buffer> {
	const codes = new Map(model.definition.dimensions.flatMap((dimension) => dimension.members.map(({ id, code }) => [id, code] as const)));
	const entities = model.entityAxis < 0 ? undefined : model.dimensions[model.entityAxis]!;
	const currencyOf = (row: number): string =>
		entities ? model.currencyOf(entities.ordinal(members[model.entityAxis]![row]!)!) : model.definition.reportingCurrency;
	yield Buffer.from(stringify([[...model.dimensions.map(({ name }) => name), model.periods.dimension.name, 'Amount', 'Currency']]));
	for (let from = 0; from < amounts.length; from += ROWS_AT_ONCE)
		yield Buffer.from(
			stringify(
				Array.from({ length: Math.min(ROWS_AT_ONCE, amounts.length - from) }, (_, index) => [
					...members.map((column) => codes.get(column[from + index]!) ?? ''),
					model.periods.leaf(periods[from + index]!).start,
					String(amounts[from + index]!),
					currencyOf(from + index)
				])
			)
		);
}
