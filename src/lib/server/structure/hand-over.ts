import type pg from 'pg';
import { mapExpression, membersIn, type Expression, type StoredScript } from '../../core';
import { lockModel, postChangeSet } from '../database/change-set';
import { addressDimensions } from '../database/definitions';
import { readSeriesAt } from '../database/cells';
import type { SeriesChange } from '../database/series';
import { handOverRunbooks } from '../runbook/hand-over';
import { formsOf, mapMembers, modelsOf } from './used';

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

/** Points everything that names one member to another: forms, maps, imports, grants, locks, formulas, facts, variables. */
export async function replaceUses(client: pg.PoolClient, dimensionId: number, from: number, to: number): Promise<void> {
	for (const { id: modelId } of await modelsOf(client, dimensionId)) {
		for (const form of await formsOf(client, modelId)) {
			const layout = mapMembers(form.layout, (member) => (member === from ? to : member));
			if (JSON.stringify(layout) !== JSON.stringify(form.layout))
				await client.query('UPDATE form SET layout = $2 WHERE id = $1', [form.id, JSON.stringify(layout)]);
		}
	}
	await client.query('UPDATE map_line SET member_id = $2 WHERE member_id = $1', [from, to]);
	await client.query('UPDATE import_rule SET member_id = $2 WHERE member_id = $1', [from, to]);
	for (const [table, owner] of [
		['access_grant_member', 'grant_id'],
		['access_lock_member', 'lock_id']
	] as const) {
		await client.query(
			`INSERT INTO ${table} (${owner}, member_id) SELECT ${owner}, $2 FROM ${table} WHERE member_id = $1 ON CONFLICT DO NOTHING`,
			[from, to]
		);
		await client.query(`DELETE FROM ${table} WHERE member_id = $1`, [from]);
	}
	for (const table of ['note', 'detail_line', 'cell_link'])
		await client.query(`UPDATE ${table} SET place = array_replace(place, $1, $2) WHERE $1 = ANY (place)`, [from, to]);
	await client.query('UPDATE account SET weighed_by = $2 WHERE weighed_by = $1', [from, to]);
	for (const column of ['continues_from', 'compared_with'] as const)
		await client.query(`UPDATE scenario SET ${column} = nullif($2::integer, member_id) WHERE ${column} = $1`, [from, to]);
	await client.query('UPDATE variable SET member_id = $2 WHERE member_id = $1', [from, to]);
	const replaced = (member: number) => (member === from ? to : member);
	const formulas = await client.query<{ id: number; account: number; expression: Expression; script: StoredScript | null }>(
		'SELECT id, account_id AS account, expression, script FROM formula'
	);
	for (const { id, account, expression, script } of formulas.rows)
		if (account !== from && membersIn(expression).has(from))
			await client.query('UPDATE formula SET expression = $2, script = $3 WHERE id = $1', [
				id,
				JSON.stringify(mapExpression(expression, replaced)),
				script && JSON.stringify(withMember(script, replaced))
			]);
	await handOverRunbooks(client, replaced);
	// Unsaved entries follow too; where both have one, the one that stands there stays.
	await client.query(
		`UPDATE draft_cell d SET address = array_replace(address, $1, $2) WHERE $1 = ANY (address)
			AND NOT EXISTS (SELECT FROM draft_cell o WHERE o.draft_id = d.draft_id AND o.period_id = d.period_id AND o.address = array_replace(d.address, $1, $2))`,
		[from, to]
	);
	for (const table of ['draft_cell', 'draft_trial_cell']) await client.query(`DELETE FROM ${table} WHERE $1 = ANY (address)`, [from]);
	await client.query('UPDATE draft SET version = version + 1');
}

const withMember = ({ text, names }: StoredScript, replaced: (member: number) => number): StoredScript => ({
	text,
	names: names.map((use) => ({ ...use, member: replaced(use.member) }))
});

const countValues = (series: readonly { amounts: Float64Array }[]): number =>
	series.reduce((sum, { amounts }) => sum + amounts.reduce((count, value) => count + (value === value ? 1 : 0), 0), 0);
