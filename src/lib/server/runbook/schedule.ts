import { z } from 'zod';
import type { Answers } from '../../core';
import { pool } from '../database';
import { Fault } from '../fault';
import { doEveryMinute } from '../jobs';
import { claimDue, nextMoments, scheduleSchema, type Schedule } from '../jobs/moments';
import { log } from '../log';
import { personById, requirePermission, type SignedIn } from '../session';
import { readStored } from './read';
import { readRunbookSchedule } from './schedule-read';
import { answersSchema } from './schema';
import { missingAnswer, startRun } from './start';

export const runbookScheduleSchema = z.object({ schedule: scheduleSchema.nullable(), answers: answersSchema });

/** Sets, changes or (with null) removes the schedule of a runbook. It runs in the name of who set it. */
export async function setRunbookSchedule(
	person: SignedIn | undefined,
	modelId: number,
	id: number,
	{ schedule, answers }: z.infer<typeof runbookScheduleSchema>
): Promise<(Schedule & { answers: Answers }) | null> {
	const writer = requirePermission(person, 'rule.write');
	const runbook = await readStored(pool(), modelId, id);
	if (schedule === null) {
		await pool().query('DELETE FROM runbook_schedule WHERE runbook_id = $1', [id]);
		return null;
	}
	const missing = missingAnswer(runbook.parameters, answers);
	if (missing) throw new Fault(422, 'not possible', `Choose ${missing.label}: nobody can be asked when it runs by itself.`);
	nextMoments(schedule.cron, schedule.timeZone);
	await pool().query(
		`INSERT INTO runbook_schedule (runbook_id, cron, time_zone, active, person_id, answers) VALUES ($1, $2, $3, $4, $5, $6)
		ON CONFLICT (runbook_id) DO UPDATE SET cron = $2, time_zone = $3, active = $4, person_id = $5, answers = $6, looked_at = now(), suspended_by = NULL`,
		[id, schedule.cron, schedule.timeZone, schedule.active, writer.id, JSON.stringify(answers)]
	);
	return readRunbookSchedule(id);
}

/** Starts the runbooks whose moment has come, each once; one that may not run is told in the log and does not keep others. */
export async function startDueRunbooks(now = new Date()): Promise<number[]> {
	const schedules = await pool().query<{
		key: number;
		modelId: number;
		person: number;
		answers: Answers;
		cron: string;
		timeZone: string;
		looked: Date;
	}>(
		`SELECT s.runbook_id AS key, b.model_id AS "modelId", s.person_id AS person, s.answers, s.cron, s.time_zone AS "timeZone", s.looked_at AS looked
		FROM runbook_schedule s JOIN runbook b ON b.id = s.runbook_id WHERE s.active`
	);
	const runs: number[] = [];
	for (const { key, modelId, person, answers } of await claimDue({ table: 'runbook_schedule', column: 'runbook_id' }, schedules.rows, now))
		try {
			runs.push((await startRun(await personById(person, modelId), modelId, key, { answers })).run);
		} catch (error) {
			log.warn({ err: error, runbook: key }, 'a scheduled run did not start');
			const words = error instanceof Fault ? error.message : 'It could not be started.';
			await pool().query(
				`INSERT INTO run (model_id, runbook_id, name, person_id, state, answers, definition, words)
				SELECT model_id, id, name, $2, 'failed', $3, '{}', $4 FROM runbook WHERE id = $1`,
				[key, person, JSON.stringify(answers), words]
			);
		}
	return runs;
}
doEveryMinute(async () => {
	await startDueRunbooks();
});
