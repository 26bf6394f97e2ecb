import { z } from 'zod';
import { pool } from '../database';
import { modelVersions } from '../database/structure-version';
import { askRunner, type TraceBack, type TracedOrigin } from '../engine';
import { requirePermission, type SignedIn } from '../session';

const id = z.number().int();
export const traceSchema = z.object({
	/** Members (ids) in the order of the model's dimensions. */
	members: z.array(id).min(1).max(60),
	period: id,
	/** The origin (id) by which an amount left it: what the same runbook brought there later does not count. */
	leftBy: id.nullable().default(null),
	/** The part that is followed; null for all. */
	amount: z.number().finite().nullable().default(null)
});

/** Where the amount of a part of the model comes from, one stage back. @throws Fault when a member is gone */
export async function traceFigure(
	person: SignedIn | undefined,
	modelId: number,
	{ members, period, leftBy, amount }: z.infer<typeof traceSchema>
): Promise<TraceBack> {
	requirePermission(person, 'form.read');
	const origins = await tracedOrigins(modelId);
	return askRunner(modelId, 'traceBack', {
		...(await modelVersions(pool(), modelId)),
		node: { members, period },
		origins,
		later: leftBy === null ? [] : await originsFrom(modelId, leftBy),
		amount
	});
}

async function tracedOrigins(modelId: number): Promise<TracedOrigin[]> {
	const found = await pool().query<TracedOrigin>(
		`SELECT o.id, o.name, o.mode, s.name AS step,
			ARRAY(SELECT t.run_id FROM run_trace t JOIN run r ON r.id = t.run_id WHERE t.origin_id = o.id AND r.state = 'done' ORDER BY t.run_id DESC LIMIT 60) AS runs
		FROM origin o LEFT JOIN runbook_step s ON s.id = o.step_id WHERE o.model_id = $1`,
		[modelId]
	);
	return found.rows;
}

/** The origin and those of the steps beneath it in its runbook: what they wrote came after it. */
async function originsFrom(modelId: number, origin: number): Promise<number[]> {
	const found = await pool().query<{ id: number }>(
		`SELECT other.id FROM origin o JOIN runbook_step s ON s.id = o.step_id
		JOIN runbook_step later ON later.runbook_id = s.runbook_id AND later.position >= s.position
		JOIN origin other ON other.step_id = later.id AND other.model_id = o.model_id
		WHERE o.model_id = $1 AND o.id = $2`,
		[modelId, origin]
	);
	return found.rows.length > 0 ? found.rows.map((row) => row.id) : [origin];
}
