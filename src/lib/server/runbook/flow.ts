import { z } from 'zod';
import { unitsOf } from '../../core';
import { pool } from '../database';
import { modelVersions } from '../database/structure-version';
import { askRunner, type FlowPicture } from '../engine';
import { requirePermission, type SignedIn } from '../session';
import { readStored } from './read';

const id = z.number().int();
export const flowSchema = z.object({
	period: id.nullable().default(null),
	/** By dimension (id) on which nothing changes: the member (id) that is looked at. */
	slice: z.record(z.coerce.number().int(), id).default({})
});

/** How what a runbook's steps share out flows, as it stands now. @throws Fault 404; 422 where nothing has been shared out */
export async function flowOfRunbook(
	person: SignedIn | undefined,
	modelId: number,
	runbook: number,
	asked: z.input<typeof flowSchema>
): Promise<{ name: string; picture: FlowPicture }> {
	requirePermission(person, 'rule.read');
	const { period, slice } = flowSchema.parse(asked);
	const { name, steps } = await readStored(pool(), modelId, runbook);
	const kept = await pool().query<{ id: number; step: number; runs: number[] }>(
		`SELECT o.id, o.step_id AS step,
			ARRAY(SELECT t.run_id FROM run_trace t JOIN run r ON r.id = t.run_id WHERE t.origin_id = o.id AND r.state = 'done' AND r.branch_id IS NULL ORDER BY t.run_id DESC LIMIT 60) AS runs
		FROM origin o WHERE o.model_id = $1 AND o.runbook_id = $2 AND o.step_id IS NOT NULL ORDER BY o.id`,
		[modelId, runbook]
	);
	const picture = await askRunner(modelId, 'flow', {
		...(await modelVersions(pool(), modelId)),
		steps: unitsOf(steps).map((unit) => ({
			name: unit.map((step) => step.name).join(' and '),
			origins: kept.rows.flatMap(({ id, step, runs }) => (unit.some((each) => each.id === step) ? [{ id, runs }] : []))
		})),
		period,
		slice
	});
	return { name, picture };
}
