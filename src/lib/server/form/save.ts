import { z } from 'zod';
import { isEmpty, TAKEN_AWAY } from '../../core';
import { readAccessRules } from '../access';
import { actingNow } from '../acting';
import { transaction } from '../database';
import { lockBranch, writeBranch, type BranchCell } from '../database/branch-series';
import { lockModel, postChangeSet } from '../database/change-set';
import { noteBegun } from '../definition/units-begun';
import { addressDimensions } from '../database/definitions';
import { askEngine, type Conflict, type PlannedEntry } from '../engine';
import { Fault } from '../fault';
import { requireBranchOpen, requirePermission, type SignedIn } from '../session';
import { endDraft, lockDraft } from './draft';
import { readForm } from './open';
import { structureVersion } from '../database/structure-version';

const cell = z.object({ address: z.array(z.number().int()).max(40), period: z.number().int() });

/** How the person decided conflicts: their own value stands, or the one that came meanwhile. */
export const decisionsSchema = z.object({
	keepMine: z.array(cell).max(50_000).default([]),
	takeTheirs: z.array(cell).max(50_000).default([])
});
export type Decisions = z.infer<typeof decisionsSchema>;

export type SaveOutcome =
	/** In a branch the revision is that of the plan beneath it. */
	| { kind: 'saved'; revision: number; cells: number; branch?: number }
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
 * @param code the form it is saved from: what was typed in it, or with `all` everything in the draft
 */
export async function saveDraft(
	person: SignedIn | undefined,
	modelId: number,
	code: string,
	decisions: Decisions,
	all = false
): Promise<SaveOutcome> {
	const writer = requireBranchOpen(requirePermission(person, 'form.enter'));
	const form = await readForm(writer, modelId, code);
	const rules = await readAccessRules(writer, modelId);
	try {
		const outcome = await transaction(async (client): Promise<SaveOutcome> => {
			const draft = await lockDraft(client, writer, modelId);
			const revision = await lockModel(client, modelId);
			const branch = writer.branch && (await lockBranch(client, writer.branch.id));
			if (branch && branch.state !== 'open') throw new Fault(409, 'branch closed', 'This branch has been frozen or merged meanwhile.');
			const plan = await askEngine(modelId, 'planSave', {
				person: writer.id,
				rules,
				draftVersion: draft.version,
				branch,
				revision,
				structure: await structureVersion(client, modelId),
				decisions,
				...(!all && { form: form.id })
			});
			if (plan.conflicts.length > 0) throw new NotSaved({ kind: 'conflicts', conflicts: plan.conflicts });
			if (plan.refused.length > 0) throw new NotSaved({ kind: 'refused', refused: plan.refused });
			await endDraft(client, draft.id, all ? undefined : form.id);
			await client.query("DELETE FROM entry_taken WHERE person_id = $1 AND at < now() - interval '180 days'", [writer.id]);
			if (plan.cells === 0) return { kind: 'nothing' };
			if (branch) {
				await writeBranch(
					client,
					branch.id,
					{ person: writer.id, acting: actingNow(), words: form.name },
					plan.entries.map(inBranch),
					plan.width
				);
				return { kind: 'saved', revision, cells: plan.cells, branch: branch.id };
			}
			const posted = await postChangeSet(
				client,
				{ modelId, person: writer.id, kind: 'save', through: form.name, cells: plan.cells },
				await addressDimensions(client, modelId),
				plan.series,
				plan.entries
			);
			await noteBegun(
				client,
				modelId,
				writer.id,
				plan.entries.map(({ address }) => address)
			);
			return { kind: 'saved', revision: posted, cells: plan.cells };
		});
		if (outcome.kind === 'saved' && outcome.branch === undefined) await askEngine(modelId, 'ready', { revision: outcome.revision });
		return outcome;
	} catch (error) {
		if (error instanceof NotSaved) return error.outcome;
		throw error;
	}
}

/** A typed cell as a branch keeps it: an entry that goes is taken away there. */
const inBranch = ({ origin, address, year, position, after, shows }: PlannedEntry): BranchCell => ({
	origin,
	address,
	year,
	position,
	value: isEmpty(after) ? TAKEN_AWAY : after,
	seen: shows
});

/** A cell of a draft that was discarded. */
interface DiscardedCell {
	address: number[];
	period: number;
	value: number | null;
	seen: number | null;
}

/** Discards what was typed in a form and not saved; it can be brought back until something is discarded there again. */
export async function discardDraft(person: SignedIn | undefined, modelId: number, code: string): Promise<{ cells: number }> {
	const writer = requirePermission(person, 'form.enter');
	const form = await readForm(writer, modelId, code);
	return transaction(async (client) => {
		const draft = await lockDraft(client, writer, modelId);
		const found = await client.query<DiscardedCell>(
			`SELECT address, period_id AS period, value, seen FROM draft_cell
			WHERE draft_id = $1 AND (form_id IS NULL OR form_id = $2)`,
			[draft.id, form.id]
		);
		if (found.rows.length > 0)
			await client.query(
				`INSERT INTO draft_discarded (draft_id, form_id, cells) VALUES ($1, $2, $3)
				ON CONFLICT (draft_id, form_id) DO UPDATE SET cells = excluded.cells, at = now()`,
				[draft.id, form.id, JSON.stringify(found.rows)]
			);
		await endDraft(client, draft.id, form.id);
		return { cells: found.rows.length };
	});
}

/** Brings back what was discarded in a form last. Cells that were typed into since stay as they are. */
export async function bringBackDraft(
	person: SignedIn | undefined,
	modelId: number,
	code: string
): Promise<{ cells: number; stay: number }> {
	const writer = requirePermission(person, 'form.enter');
	const form = await readForm(writer, modelId, code);
	return transaction(async (client) => {
		const draft = await lockDraft(client, writer, modelId);
		const found = await client.query<{ cells: DiscardedCell[] }>(
			'DELETE FROM draft_discarded WHERE draft_id = $1 AND form_id = $2 RETURNING cells',
			[draft.id, form.id]
		);
		const cells = found.rows[0]?.cells;
		if (!cells) throw new Fault(422, 'not possible', 'There is nothing left to bring back.');
		const back = await client.query(
			`INSERT INTO draft_cell (draft_id, address, period_id, value, seen, form_id)
			SELECT $1, ARRAY(SELECT jsonb_array_elements_text(x.address)::integer), x.period, x.value, x.seen, $3
			FROM jsonb_to_recordset($2::jsonb) AS x (address jsonb, period integer, value double precision, seen double precision)
			JOIN period p ON p.member_id = x.period
			ON CONFLICT DO NOTHING`,
			[draft.id, JSON.stringify(cells), form.id]
		);
		await client.query('UPDATE draft SET version = version + 1, changed_at = now() WHERE id = $1', [draft.id]);
		return { cells: back.rowCount ?? 0, stay: cells.length - (back.rowCount ?? 0) };
	});
}
