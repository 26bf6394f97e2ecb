import { z } from 'zod';
import { pool } from '../database';
import { branchVersion } from '../database/branch-series';
import { modelVersions } from '../database/structure-version';
import { askRunner, type TraceBack, type TracedOrigin } from '../engine';
import { requireWholeModel } from '../access';
import { requirePermission, type SignedIn } from '../session';

const id = z.number().int();
export const traceSchema = z.object({
	/** Members (ids) in the order of the model's dimensions. */
	members: z.array(id).min(1).max(60),
	period: id,
	/** Where it comes from, or where it went. */
	way: z.enum(['back', 'forward']).default('back'),
	/** The origin (id) one came by: back, that by which it left; forward, that by which it arrived. */
	by: id.nullable().default(null),
	/** The part that is followed; null for all. */
	amount: z.number().finite().nullable().default(null)
});
export type FigureToTrace = z.input<typeof traceSchema>;

/** Where the amount of a part of the model comes from, one stage back, or went, one stage on. @throws Fault when a member is gone */
export async function traceFigure(person: SignedIn | undefined, modelId: number, asked: FigureToTrace): Promise<TraceBack> {
	const reader = requirePermission(person, 'form.read');
	requireWholeModel(reader);
	const { branch } = reader;
	const { members, period, way, by, amount } = traceSchema.parse(asked);
	return askRunner(modelId, way === 'back' ? 'traceBack' : 'traceForward', {
		...(await modelVersions(pool(), modelId)),
		...(branch && { branch: await branchVersion(pool(), branch.id) }),
		node: { members, period },
		origins: await tracedOrigins(modelId, branch?.id ?? null),
		by,
		amount
	});
}

/** Whether a step is solved together with those next to it: what they bring comes at once. */
const together = (step: string): string => `(${step}.kind = 'allocation' AND coalesce((${step}.definition->>'together')::boolean, false))`;

/**
 * The origins of a model, with the runs that kept how they shared out, and what comes after each in its runbook. In a branch
 * the runs whose results stand there come first: what of the plan’s reads through was shared out by the plan’s.
 */
async function tracedOrigins(modelId: number, branch: number | null): Promise<TracedOrigin[]> {
	const found = await pool().query<TracedOrigin>(
		`SELECT o.id, o.name, o.mode, s.name AS step,
			ARRAY(SELECT t.run_id FROM run_trace t JOIN run r ON r.id = t.run_id
				WHERE t.origin_id = o.id AND r.state = 'done' AND (r.branch_id IS NULL OR r.branch_id = $2
					OR r.id IN (SELECT run_id FROM branch_result WHERE branch_id = $2))
				ORDER BY r.branch_id IS NULL, t.run_id DESC LIMIT 60) AS runs,
			ARRAY(SELECT other.id FROM runbook_step later JOIN origin other ON other.step_id = later.id AND other.model_id = o.model_id
				WHERE later.runbook_id = s.runbook_id AND later.position >= CASE WHEN ${together('s')} THEN
					(SELECT coalesce(max(before.position) + 1, 0) FROM runbook_step before
						WHERE before.runbook_id = s.runbook_id AND before.position < s.position AND before.active AND NOT ${together('before')})
					ELSE s.position END) AS "from"
		FROM origin o LEFT JOIN runbook_step s ON s.id = o.step_id WHERE o.model_id = $1 ORDER BY s.position, o.id`,
		[modelId, branch]
	);
	return found.rows;
}
