/** Saving what a draft has within a slice, whatever form it was typed in. */
import type pg from 'pg';
import { readAccessRules } from '../access';
import type { Database } from '../database';
import { lockModel, postChangeSet } from '../database/change-set';
import { addressDimensions } from '../database/definitions';
import { structureVersion } from '../database/structure-version';
import { askEngine, type SliceLeaves } from '../engine';
import { Fault } from '../fault';
import type { SignedIn } from '../session';
import { endTrial, lockDraft } from './draft';

/**
 * Posts what somebody's draft has within a slice, in the caller's transaction; the rest of it stays.
 * @returns how many cells were saved, and as which revision
 * @throws Fault 409 where others have changed some of it meanwhile, 422 where some is closed
 */
export async function saveWithin(
	client: pg.PoolClient,
	writer: SignedIn,
	modelId: number,
	within: SliceLeaves,
	through: string
): Promise<{ cells: number; revision: number }> {
	const draft = await lockDraft(client, writer, modelId);
	const revision = await lockModel(client, modelId);
	const plan = await askEngine(modelId, 'planSave', {
		person: writer.id,
		rules: await readAccessRules(writer, modelId),
		draftVersion: draft.version,
		revision,
		structure: await structureVersion(client, modelId),
		decisions: { keepMine: [], takeTheirs: [] },
		within
	});
	const counted = (count: number) => (count === 1 ? 'one cell' : `${count} cells`);
	if (plan.conflicts.length > 0)
		throw new Fault(
			409,
			'conflicts',
			`Others have changed ${counted(plan.conflicts.length)} of your draft here meanwhile (${plan.conflicts[0]!.words}). Open the form, save there, and decide.`
		);
	if (plan.refused.length > 0)
		throw new Fault(
			422,
			'refused',
			`${plan.refused[0]!.words}: ${plan.refused[0]!.reason} It is among what you have typed and not saved here.`
		);
	const dimensionIds = await addressDimensions(client, modelId);
	await client.query(`DELETE FROM draft_cell WHERE draft_id = $1 AND ${inSlice(dimensionIds, within, 2)}`, [
		draft.id,
		...sliceValues(within)
	]);
	// What can be undone may name what is saved now.
	await client.query('DELETE FROM draft_step WHERE draft_id = $1', [draft.id]);
	await endTrial(client, draft.id);
	await client.query('UPDATE draft SET version = version + 1, changed_at = now() WHERE id = $1', [draft.id]);
	if (plan.cells === 0) return { cells: 0, revision };
	const posted = await postChangeSet(
		client,
		{ modelId, person: writer.id, kind: 'save', through, cells: plan.cells },
		dimensionIds,
		plan.series,
		plan.entries
	);
	return { cells: plan.cells, revision: posted };
}

/** The unsaved cells within a slice, by whom. */
export async function draftsWithin(
	database: Database,
	modelId: number,
	within: SliceLeaves
): Promise<{ person: number; name: string; cells: number }[]> {
	const found = await database.query<{ person: number; name: string; cells: number }>(
		`SELECT p.id AS person, p.name, count(*)::integer AS cells FROM draft d JOIN draft_cell c ON c.draft_id = d.id JOIN person p ON p.id = d.person_id
		WHERE d.model_id = $1 AND d.branch_id IS NULL AND ${inSlice(await addressDimensions(database, modelId), within, 2)} GROUP BY p.id ORDER BY p.name`,
		[modelId, ...sliceValues(within)]
	);
	return found.rows;
}

/** The condition that a cell of a draft lies within a slice; its values come as parameters from the given one on. */
function inSlice(dimensionIds: readonly number[], { members, except = [] }: SliceLeaves, first: number): string {
	let next = first + 1;
	const limitsOf = (of: SliceLeaves['members']) =>
		Object.keys(of).map((id) => {
			const axis = dimensionIds.indexOf(Number(id));
			if (axis < 0) throw new Error(`Dimension ${id} is not in the addresses of this model.`);
			return `address[${axis + 1}] = ANY ($${next++}::integer[])`;
		});
	const within = limitsOf(members);
	const out = except.map((part) => `NOT (${limitsOf(part).join(' AND ')})`);
	return [`period_id = ANY ($${first}::integer[])`, ...within, ...out].join(' AND ');
}
const sliceValues = ({ members, periods, except = [] }: SliceLeaves): unknown[] => [
	periods,
	...Object.values(members),
	...except.flatMap((part) => Object.values(part))
];
