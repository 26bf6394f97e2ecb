import type { Answers } from '../../core';
import { pool } from '../database';
import { withMoments, type Schedule } from '../jobs/moments';

/** The schedule of a runbook, with the answers it runs with. */
export async function readRunbookSchedule(runbook: number): Promise<(Schedule & { answers: Answers }) | null> {
	const found = await pool().query<Omit<Schedule, 'next'> & { answers: Answers }>(
		`SELECT s.cron, s.time_zone AS "timeZone", s.active, p.name AS person, s.answers, b.name AS "suspendedBy"
		FROM runbook_schedule s JOIN person p ON p.id = s.person_id LEFT JOIN person b ON b.id = s.suspended_by WHERE s.runbook_id = $1`,
		[runbook]
	);
	const schedule = found.rows[0];
	return schedule ? { ...withMoments(schedule), answers: schedule.answers } : null;
}
