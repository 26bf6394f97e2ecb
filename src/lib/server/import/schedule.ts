import { CronExpressionParser } from 'cron-parser';
import { z } from 'zod';
import { pool } from '../database';
import { Fault } from '../fault';
import { requirePermission, type SignedIn } from '../session';
import { readStoredImport } from './recipe';

/** When an import fetches and loads its source by itself. */
export interface Schedule {
	cron: string;
	timeZone: string;
	active: boolean;
	person: string;
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

export async function readSchedule(importId: number): Promise<Schedule | null> {
	const found = await pool().query<Omit<Schedule, 'next'>>(
		`SELECT s.cron, s.time_zone AS "timeZone", s.active, p.name AS person FROM import_schedule s JOIN person p ON p.id = s.person_id WHERE s.import_id = $1`,
		[importId]
	);
	const schedule = found.rows[0];
	if (!schedule) return null;
	return { ...schedule, next: schedule.active ? nextMoments(schedule.cron, schedule.timeZone).map((moment) => moment.toISOString()) : [] };
}

/** Sets, changes or (with null) removes the schedule of an import. Its loads run under the rights of who set it. */
export async function setSchedule(
	person: SignedIn | undefined,
	modelId: number,
	code: string,
	schedule: z.infer<typeof scheduleSchema> | null
): Promise<Schedule | null> {
	const writer = requirePermission(person, 'data.write');
	const stored = await readStoredImport(pool(), modelId, code);
	if (schedule === null) {
		await pool().query('DELETE FROM import_schedule WHERE import_id = $1', [stored.id]);
		return null;
	}
	if (stored.source.place.kind === 'file')
		throw new Fault(
			422,
			'not possible',
			'A file that people choose cannot be fetched by itself. Let the rows come from a folder, a query, a model or the ledger first.'
		);
	nextMoments(schedule.cron, schedule.timeZone);
	await pool().query(
		`INSERT INTO import_schedule (import_id, cron, time_zone, active, person_id) VALUES ($1, $2, $3, $4, $5)
		ON CONFLICT (import_id) DO UPDATE SET cron = $2, time_zone = $3, active = $4, person_id = $5, looked_at = now()`,
		[stored.id, schedule.cron, schedule.timeZone, schedule.active, writer.id]
	);
	return readSchedule(stored.id);
}

/**
 * Imports whose moment has come since they were last looked at; noted as looked at, so that each moment counts once,
 * whichever server asks.
 */
export async function takeDue(now = new Date()): Promise<{ importId: number; modelId: number; code: string; person: number }[]> {
	const schedules = await pool().query<{
		importId: number;
		modelId: number;
		code: string;
		person: number;
		cron: string;
		timeZone: string;
		looked: Date;
	}>(
		`SELECT s.import_id AS "importId", i.model_id AS "modelId", i.code, s.person_id AS person, s.cron, s.time_zone AS "timeZone", s.looked_at AS looked
		FROM import_schedule s JOIN import i ON i.id = s.import_id WHERE s.active`
	);
	const due = [];
	for (const { cron, timeZone, looked, ...schedule } of schedules.rows) {
		const next = nextMoments(cron, timeZone, 1, looked)[0]!;
		if (next > now) continue;
		const taken = await pool().query(
			// Moments of JavaScript have milliseconds, those of the database microseconds.
			"UPDATE import_schedule SET looked_at = $2 WHERE import_id = $1 AND date_trunc('milliseconds', looked_at) = $3",
			[schedule.importId, now, looked]
		);
		if (taken.rowCount === 1) due.push(schedule);
	}
	return due;
}
