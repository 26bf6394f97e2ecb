import type pg from 'pg';
import { lockModel, postChangeSet } from '../database/change-set';
import { addressDimensions } from '../database/definitions';
import { readSeriesAt } from '../database/cells';
import type { SeriesChange } from '../database/series';
import { modelsOf } from '../definition/models';

/**
 * Moves all numbers of one member to another in every model: added where both have some, nothing dropped. Each model
 * gets a change set. The caller holds the models' locks.
 * @returns how many series moved
 */
export async function handOverNumbers(
	client: pg.PoolClient,
	person: number,
	dimensionId: number,
	from: number,
	to: number,
	through: string
): Promise<number> {
	let moved = 0;
	for (const { id: modelId } of await modelsOf(client, dimensionId)) {
		const dimensions = await addressDimensions(client, modelId);
		const axis = dimensions.indexOf(dimensionId);
		if (axis < 0) continue;
		await lockModel(client, modelId);
		const leaving = await readSeriesAt(client, modelId, dimensions, dimensionId, from);
		if (leaving.length === 0) continue;
		const keyOf = (members: ArrayLike<number>, year: number, origin: number) => `${Array.from(members).join()} ${year} ${origin}`;
		const standing = new Map(
			(await readSeriesAt(client, modelId, dimensions, dimensionId, to)).map((each) => [keyOf(each.members, each.year, each.origin), each])
		);
		const changes = leaving.flatMap((series): SeriesChange[] => {
			const members = Array.from(series.members).with(axis, to);
			const found = standing.get(keyOf(members, series.year, series.origin));
			const before = found?.amounts ?? new Float64Array(series.amounts.length).fill(Number.NaN);
			const stampsBefore = found?.stamps ?? new Float64Array(series.amounts.length);
			const amounts = series.amounts.map((value, place) => {
				const other = before[place]!;
				return value !== value ? other : other !== other ? value : value + other;
			});
			const empty = new Float64Array(series.amounts.length).fill(Number.NaN);
			return [
				{ ...series, before: series.amounts, amounts: empty, stampsBefore: series.stamps },
				// A move is no news: each value is as old as it was.
				{
					...series,
					members,
					before,
					amounts,
					stampsBefore,
					stamps: series.stamps.map((stamp, place) => Math.max(stamp, stampsBefore[place]!))
				}
			];
		});
		await postChangeSet(client, { modelId, person, kind: 'structure', through, cells: countValues(leaving) }, dimensions, changes);
		moved += leaving.length;
	}
	return moved;
}

const countValues = (series: readonly { amounts: Float64Array }[]): number =>
	series.reduce((sum, { amounts }) => sum + amounts.reduce((count, value) => count + (value === value ? 1 : 0), 0), 0);
