/** What makes a figure another one in a branch. */
import { z } from 'zod';
import { pool } from '../database';
import { branchVersion } from '../database/branch-series';
import { askRunner, type ComparedSide, type Contributions } from '../engine';
import { choicesSchema, formAsk, readForm } from '../form';
import { requirePermission, type SignedIn } from '../session';
import { branchFor } from './record';
import { snapshotFor } from './snapshots';

/** As when things are put side by side: the plan, a branch, a snapshot, or the plan in another scenario. */
const side = z.string().regex(/^(plan|[bsm]\d{1,9})$/);
export const contributionsSchema = z.object({
	form: z.string().max(80),
	choices: choicesSchema,
	from: side,
	to: side,
	row: z.int().min(0).max(1_000_000),
	column: z.int().min(0).max(10_000),
	dimension: z.int().nullable().default(null),
	/** Members further down, by dimension. */
	at: z.record(z.string().regex(/^\d{1,9}$/), z.int()).default({})
});

/** What makes the difference of a figure between two things that stand side by side: by member, the largest first. */
export async function readContributions(
	person: SignedIn | undefined,
	modelId: number,
	{ form, choices, from, to, at, ...asked }: z.infer<typeof contributionsSchema>
): Promise<Contributions> {
	const reader = requirePermission(person, 'form.read');
	const { layout } = await readForm(reader, modelId, form);
	const sideOf = async (key: string): Promise<ComparedSide> => {
		const id = Number(key.slice(1));
		if (key.startsWith('s')) return { snapshot: (await snapshotFor(reader, modelId, id)).id };
		if (key.startsWith('m')) return { scenario: id };
		if (key === 'plan') return {};
		await branchFor(reader, modelId, id);
		return { branch: await branchVersion(pool(), id) };
	};
	return askRunner(modelId, 'contributions', {
		...(await formAsk({ ...reader, branch: undefined }, modelId, layout, choices, 0)),
		...asked,
		from: await sideOf(from),
		to: await sideOf(to),
		at: Object.fromEntries(Object.entries(at).map(([dimension, member]) => [Number(dimension), member]))
	});
}
