import { z } from 'zod';
import { readAccessRules } from '../access';
import { pool, transaction } from '../database';
import { lockModel, postChangeSet } from '../database/change-set';
import { structureVersion, addressDimensions } from '../database/definitions';
import { askEngine, type Conflict } from '../engine';
import { requirePermission, type SignedIn } from '../session';
import { endTrial, lockDraft } from './draft';
import { readForm } from './open';

const cell = z.object({ address: z.array(z.number().int()).max(40), period: z.number().int() });

/** How the person decided conflicts: their own value stands, or the one that came meanwhile. */
export const decisionsSchema = z.object({
	keepMine: z.array(cell).max(50_000).default([]),
	takeTheirs: z.array(cell).max(50_000).default([])
});
export type Decisions = z.infer<typeof decisionsSchema>;

export type SaveOutcome =
	| { kind: 'saved'; revision: number; cells: number }
	| { kind: 'nothing' }
	| { kind: 'conflicts'; conflicts: Conflict[] }
	| { kind: 'refused'; refused: { words: string; reason: string }[] };

/** Thrown inside the transaction so that it rolls back; carries the outcome out. */
class NotSaved extends Error {
	constructor(readonly outcome: SaveOutcome) {
		super('not saved');
	}
}

/**
 * Posts the person's draft as one change set: all of it or nothing. The model's write lock is held while the cells are
 * compared with what the person had seen, so nothing can come between.
 * @param code the form it is saved from, for the journal
 */
export async function saveDraft(person: SignedIn | undefined, modelId: number, code: string, decisions: Decisions): Promise<SaveOutcome> {
	const writer = requirePermission(person, 'form.enter');
	const form = await readForm(writer, modelId, code);
	const dimensionIds = await addressDimensions(pool(), modelId);
	const rules = await readAccessRules(writer, modelId);
	try {
		const outcome = await transaction(async (client): Promise<SaveOutcome> => {
			const draft = await lockDraft(client, writer.id, modelId);
			const revision = await lockModel(client, modelId);
			const plan = await askEngine(modelId, 'planSave', {
				person: writer.id,
				rules,
				draftVersion: draft.version,
				revision,
				structure: await structureVersion(client, modelId),
				decisions
			});
			if (plan.conflicts.length > 0) throw new NotSaved({ kind: 'conflicts', conflicts: plan.conflicts });
			if (plan.refused.length > 0) throw new NotSaved({ kind: 'refused', refused: plan.refused });
			await client.query('DELETE FROM draft_step WHERE draft_id = $1', [draft.id]);
			await client.query('DELETE FROM draft_cell WHERE draft_id = $1', [draft.id]);
			await endTrial(client, draft.id);
			await client.query('UPDATE draft SET version = version + 1, changed_at = now() WHERE id = $1', [draft.id]);
			if (plan.cells === 0) return { kind: 'nothing' };
			const posted = await postChangeSet(
				client,
				{ modelId, person: writer.id, kind: 'save', through: form.name, cells: plan.cells },
				dimensionIds,
				plan.series,
				plan.entries
			);
			return { kind: 'saved', revision: posted, cells: plan.cells };
		});
		if (outcome.kind === 'saved') await askEngine(modelId, 'ready', { revision: outcome.revision });
		return outcome;
	} catch (error) {
		if (error instanceof NotSaved) return error.outcome;
		throw error;
	}
}

/** Throws the person's whole draft away. */
export async function discardDraft(person: SignedIn | undefined, modelId: number): Promise<void> {
	const writer = requirePermission(person, 'form.enter');
	await transaction(async (client) => {
		const draft = await lockDraft(client, writer.id, modelId);
		await client.query('DELETE FROM draft_step WHERE draft_id = $1', [draft.id]);
		await client.query('DELETE FROM draft_cell WHERE draft_id = $1', [draft.id]);
		await endTrial(client, draft.id);
		await client.query('UPDATE draft SET version = version + 1, changed_at = now() WHERE id = $1', [draft.id]);
	});
}
