import { z } from 'zod';
import { transaction } from '../database';
import { lockModel, postChangeSet } from '../database/change-set';
import { addressDimensions } from '../database/definitions';
import { askEngine } from '../engine';
import { Fault } from '../fault';
import { requirePermission, type SignedIn } from '../session';
import { lastEntry } from './beside';
import { lockDraft } from './draft';
import { formAsk, readForm, type FormChoices } from './open';

export const linesSchema = z.object({
	row: z.number().int().min(0),
	column: z.number().int().min(0),
	structure: z.number().int(),
	/** The lines of the form that the page shows. */
	frame: z.string().max(100).optional(),
	/** The revision of the last entry the page knows of at this cell; 0 where it knows of none. */
	seen: z.number().int().min(0).optional(),
	lines: z.array(z.object({ label: z.string().trim().max(200), amount: z.number().finite(), factor: z.number().finite() })).max(200)
});

/**
 * Keeps the small sum behind a leaf cell; the cell becomes its total at once, as a change set of its own. Without lines
 * the cell keeps its figure.
 * @throws Fault when the person may not write the cell, or another one typed there since the lines were read
 */
export async function saveDetailLines(
	person: SignedIn | undefined,
	modelId: number,
	code: string,
	choices: FormChoices,
	{ row, column, structure, frame, seen, lines }: z.infer<typeof linesSchema>
): Promise<{ revision: number | null }> {
	const writer = requirePermission(person, 'form.enter');
	const form = await readForm(writer, modelId, code);
	const total = lines.reduce((sum, { amount, factor }) => sum + amount * factor, 0);
	if (!Number.isFinite(total)) throw new Fault(422, 'not possible', 'These lines add up to more than a number can hold.');
	const asked = await formAsk(writer, modelId, form.layout, choices, 0);
	const revision = await transaction(async (client) => {
		const draft = await lockDraft(client, writer, modelId);
		// Nothing can come between: what the cell holds is read at the revision that is the last one here.
		const ask = { ...asked, draftVersion: draft.version, revision: await lockModel(client, modelId) };
		const dimensionIds = await addressDimensions(client, modelId);
		if (frame === undefined && ask.structure !== structure)
			throw new Fault(409, 'conflict', 'The structure of the model has changed meanwhile. Look at the cell again, then save its lines.');
		const { place, ...plan } = await askEngine(modelId, 'planCell', { ...ask, seenFrame: frame, row, column, value: total });
		const typed = seen === undefined ? undefined : await lastEntry(client, modelId, place);
		if (typed && typed.revision > seen!)
			throw new Fault(
				409,
				'typed meanwhile',
				`${typed.person ?? 'Someone'} has ${typed.value === null ? 'taken the figure away' : `typed ${typed.value}`} here since these lines were read. Nothing was saved yet.`,
				{ seen: typed.revision }
			);
		await client.query('DELETE FROM detail_line WHERE model_id = $1 AND place = $2', [modelId, place]);
		if (lines.length === 0) return null;
		await client.query(
			`INSERT INTO detail_line (model_id, place, position, label, amount, factor)
			SELECT $1, $2, x.position, x.label, x.amount, x.factor
			FROM unnest($3::integer[], $4::text[], $5::float8[], $6::float8[]) AS x (position, label, amount, factor)`,
			[
				modelId,
				place,
				lines.map((_, index) => index),
				lines.map(({ label }) => label),
				lines.map(({ amount }) => amount),
				lines.map(({ factor }) => factor)
			]
		);
		// What the person had typed there and not saved is settled by the lines.
		const dropped = await client.query('DELETE FROM draft_cell WHERE draft_id = $1 AND address = $2 AND period_id = $3', [
			draft.id,
			place.slice(0, -1),
			place.at(-1)
		]);
		if (dropped.rowCount) await client.query('UPDATE draft SET version = version + 1, changed_at = now() WHERE id = $1', [draft.id]);
		if (plan.refused.length > 0) throw new Fault(403, 'not allowed', plan.refused[0]!.reason);
		if (plan.cells === 0) return null;
		return postChangeSet(
			client,
			{ modelId, person: writer.id, kind: 'save', through: `${form.name}, detail lines`, cells: plan.cells },
			dimensionIds,
			plan.series,
			plan.entries
		);
	});
	if (revision !== null) await askEngine(modelId, 'ready', { revision });
	return { revision };
}
