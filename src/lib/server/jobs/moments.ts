import { CronExpressionParser } from 'cron-parser';
import { z } from 'zod';
import { pool, type Database } from '../database';
import { Fault } from '../fault';

/** When something is done by itself, and in whose name. */
export interface Schedule {
	cron: string;
	timeZone: string;
	active: boolean;
	person: string;
	/** Who changed what it does since, so that it waits to be renewed; null where nobody did. */
	suspendedBy: string | null;
	/** The next moments, ISO. */
	next: string[];
}

export const scheduleSchema = z.object({
	cron: z.string().trim().max(100),
	timeZone: z.string().max(60),
	active: z.boolean()
});

/** The next moments of a cron expression. @throws Fault when it is none, or the time zone is not known */
export function nextMoments(cron: string, timeZone: string, count = 4, from = new Date()): Date[] {
	if (cron.trim().split(/\s+/).length !== 5)
		throw new Fault(
			422,
			'not a schedule',
			'A schedule has five parts: minute, hour, day of month, month, day of week; such as “30 6 * * 1-5”.'
		);
	try {
		const moments = CronExpressionParser.parse(cron, { tz: timeZone, currentDate: from });
		return Array.from({ length: count }, () => moments.next().toDate());
	} catch {
		throw new Fault(
			422,
			'not a schedule',
			`“${cron}” in the time zone ${timeZone} is not a schedule that can be read. Try “30 6 * * 1-5” in UTC.`
		);
	}
}

/** A stored schedule with its next moments. */
export const withMoments = (schedule: Omit<Schedule, 'next'>): Schedule => ({
	...schedule,
	next: schedule.active ? nextMoments(schedule.cron, schedule.timeZone).map((moment) => moment.toISOString()) : []
});

/**
 * What an import or a runbook does was changed: schedules that somebody else set wait until they, or whoever may, set them
 * again. Nobody's name stands under what they have not seen.
 */
export async function suspendSchedules(
	client: Database,
	{ table, column }: { table: 'import_schedule'; column: 'import_id' } | { table: 'runbook_schedule'; column: 'runbook_id' },
	id: number,
	changedBy: number
): Promise<void> {
	await client.query(`UPDATE ${table} SET active = false, suspended_by = $2 WHERE ${column} = $1 AND active AND person_id <> $2`, [
		id,
		changedBy
	]);
}

/** Where schedules are kept, and by what they are named. */
type ScheduleTable =
	| { table: 'import_schedule'; column: 'import_id' }
	| { table: 'runbook_schedule'; column: 'runbook_id' }
	| { table: 'board_schedule'; column: 'board_id' };

/** A schedule as it was read, with what is to be done then. */
type Scheduled<Task> = Task & { key: number; cron: string; timeZone: string; looked: Date };

/**
 * Of some schedules those whose moment has come since they were last looked at; noted as looked at, so that each moment
 * counts once, whichever server asks.
 */
export async function claimDue<Task extends object>(
	{ table, column }: ScheduleTable,
	schedules: readonly Scheduled<Task>[],
	now: Date
): Promise<Scheduled<Task>[]> {
	const due: Scheduled<Task>[] = [];
	for (const schedule of schedules) {
		if (nextMoments(schedule.cron, schedule.timeZone, 1, schedule.looked)[0]! > now) continue;
		const taken = await pool().query(
			// Moments of JavaScript have milliseconds, those of the database microseconds.
			`UPDATE ${table} SET looked_at = $2 WHERE ${column} = $1 AND date_trunc('milliseconds', looked_at) = $3`,
			[schedule.key, now, schedule.looked]
		);
		if (taken.rowCount === 1) due.push(schedule);
	}
	return due;
}
