import { z } from 'zod';
import { readAccessRules } from '../access';
import { transaction } from '../database';
import { lockModel, postChangeSet } from '../database/change-set';
import { addressDimensions } from '../database/definitions';
import { refuseOfOtherShape } from '../database/shape';
import { askEngine } from '../engine';
import { Fault, notFound } from '../fault';
import { requirePermission, type SignedIn } from '../session';
import { structureVersion } from '../database/structure-version';

export const takeBackSchema = z.object({ revision: z.number().int().min(1) });

export interface TakenBack {
	/** The revision that took it back; null when nothing was left to take back. */
	revision: number | null;
	cells: number;
	/** Cells that stay as they are, because they were typed anew since or are closed now. */
	stay: number;
}

/**
 * Takes a save of one's own back, cell by cell: where its entry still stands, what stood there before stands again.
 * What was typed since, and what has been closed, stays.
 * @throws Fault 404 when there is no such save of this person, 422 when none of its cells can go back
 */
export async function takeBackSave(
	person: SignedIn | undefined,
	modelId: number,
	{ revision: saved }: z.infer<typeof takeBackSchema>
): Promise<TakenBack> {
	const writer = requirePermission(person, 'form.enter');
	const rules = await readAccessRules(writer, modelId);
	const outcome = await transaction(async (client): Promise<TakenBack> => {
		const revision = await lockModel(client, modelId);
		const dimensionIds = await addressDimensions(client, modelId);
		const found = await client.query<{ through: string }>(
			"SELECT through FROM change_set WHERE model_id = $1 AND revision = $2 AND person_id = $3 AND kind = 'save'",
			[modelId, saved, writer.id]
		);
		if (!found.rows[0]) throw notFound('save of yours');
		await refuseOfOtherShape(client, modelId, saved);
		const entries = await client.query<{ address: number[]; period: number; value: number | null; holds: boolean }>(
			`SELECT e.address, e.period_id AS period, e.before AS value, NOT EXISTS (
				SELECT FROM entry_change later WHERE later.model_id = e.model_id AND later.address = e.address
					AND later.period_id = e.period_id AND later.origin_id = e.origin_id AND later.revision > e.revision) AS holds
			FROM entry_change e WHERE e.model_id = $1 AND e.revision = $2`,
			[modelId, saved]
		);
		const cells = entries.rows.filter(({ holds }) => holds).map(({ address, period, value }) => ({ address, period, value }));
		const structure = await structureVersion(client, modelId);
		const plan = await askEngine(modelId, 'planEntries', { rules, revision, structure, cells });
		const stay = entries.rows.length - plan.cells;
		if (plan.cells === 0)
			throw new Fault(
				422,
				'not possible',
				plan.refused[0]
					? `None of these cells can go back: ${plan.refused[0].reason}`
					: 'All of these cells have been typed anew since. There is nothing left to take back.'
			);
		const posted = await postChangeSet(
			client,
			{ modelId, person: writer.id, kind: 'take back', through: `${found.rows[0].through}, revision ${saved}`, cells: plan.cells },
			dimensionIds,
			plan.series,
			plan.entries
		);
		return { revision: posted, cells: plan.cells, stay };
	});
	if (outcome.revision !== null) await askEngine(modelId, 'ready', { revision: outcome.revision });
	return outcome;
}
