/** Cells that hold a member as their choice: their value is the member's id. */
import type pg from 'pg';
import type { Database } from '../database';
import { readSeriesAt } from '../database/cells';
import { lockModel, postChangeSet } from '../database/change-set';
import { addressDimensions } from '../database/definitions';

/** The accounts that choose from a dimension, in each model that holds them. */
export async function accountsChoosing(
	database: Database,
	dimensionId: number
): Promise<{ model: number; name: string; dimension: number; accounts: number[] }[]> {
	const found = await database.query<{ model: number; name: string; dimension: number; accounts: number[] }>(
		`SELECT o.id AS model, o.name, m.dimension_id AS dimension, array_agg(m.id ORDER BY m.id) AS accounts
		FROM account a JOIN member m ON m.id = a.member_id JOIN model_dimension d ON d.dimension_id = m.dimension_id JOIN model o ON o.id = d.model_id
		WHERE a.choice_dimension = $1 AND a.value_type = 'choice' GROUP BY o.id, m.dimension_id ORDER BY o.id`,
		[dimensionId]
	);
	return found.rows;
}

/** Where some members of a dimension are chosen: in how many stored cells and unsaved entries of each model. */
export async function chosenAmong(
	database: Database,
	dimensionId: number,
	members: readonly number[]
): Promise<{ member: number; model: string; count: number }[]> {
	const chosen: { member: number; model: string; count: number }[] = [];
	for (const { model, name, dimension, accounts } of await accountsChoosing(database, dimensionId)) {
		const found = await database.query<{ member: number; count: number }>(
			`SELECT member::integer, count(*)::integer AS count FROM (
				SELECT v AS member FROM cells_${Math.trunc(model)} c CROSS JOIN LATERAL unnest(c.amounts) AS a (v) WHERE c.d${Math.trunc(dimension)} = ANY ($1::integer[])
				UNION ALL SELECT e.value FROM draft_cell e JOIN draft d ON d.id = e.draft_id WHERE d.model_id = $3 AND e.address && $1::integer[]) AS x
			WHERE member = ANY ($2::double precision[]) GROUP BY member`,
			[accounts, members, model]
		);
		for (const { member, count } of found.rows) chosen.push({ member, model: name, count });
	}
	return chosen;
}

/** Puts one choice in the place of another in every cell that holds it, a change set a model. The caller holds the models' locks. */
export async function replaceChoice(
	client: pg.PoolClient,
	person: number,
	dimensionId: number,
	from: number,
	to: number,
	through: string
): Promise<void> {
	for (const { model: modelId, dimension, accounts } of await accountsChoosing(client, dimensionId)) {
		const dimensions = await addressDimensions(client, modelId);
		await lockModel(client, modelId);
		let cells = 0;
		const changes = [];
		for (const account of accounts)
			for (const series of await readSeriesAt(client, modelId, dimensions, dimension, account)) {
				const held = series.amounts.filter((value) => value === from).length;
				if (held === 0) continue;
				cells += held;
				// Another name for the same answer is no news: each value is as old as it was.
				changes.push({
					...series,
					before: series.amounts,
					amounts: series.amounts.map((value) => (value === from ? to : value)),
					stampsBefore: series.stamps
				});
			}
		if (changes.length > 0) await postChangeSet(client, { modelId, person, kind: 'structure', through, cells }, dimensions, changes);
		for (const column of ['value', 'seen'])
			await client.query(
				`UPDATE draft_cell e SET ${column} = $2 FROM draft d WHERE d.id = e.draft_id AND d.model_id = $3 AND e.${column} = $1 AND e.address && $4::integer[]`,
				[from, to, modelId, accounts]
			);
	}
}
