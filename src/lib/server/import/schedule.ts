import type { z } from 'zod';
import { pool } from '../database';
import { Fault } from '../fault';
import { claimDue, nextMoments, scheduleSchema, withMoments, type Schedule } from '../jobs/moments';
import { requirePermission, type SignedIn } from '../session';
import { readStoredImport } from './recipe';

export { nextMoments, scheduleSchema, type Schedule };

export async function readSchedule(importId: number): Promise<Schedule | null> {
	const found = await pool().query<Omit<Schedule, 'next'>>(
		`SELECT s.cron, s.time_zone AS "timeZone", s.active, p.name AS person, b.name AS "suspendedBy"
		FROM import_schedule s JOIN person p ON p.id = s.person_id LEFT JOIN person b ON b.id = s.suspended_by WHERE s.import_id = $1`,
		[importId]
	);
	return found.rows[0] ? withMoments(found.rows[0]) : null;
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
		ON CONFLICT (import_id) DO UPDATE SET cron = $2, time_zone = $3, active = $4, person_id = $5, looked_at = now(), suspended_by = NULL`,
		[stored.id, schedule.cron, schedule.timeZone, schedule.active, writer.id]
	);
	return readSchedule(stored.id);
}

/** Imports whose moment has come, each once. */
export async function takeDue(now = new Date()): Promise<{ importId: number; modelId: number; code: string; person: number }[]> {
	const schedules = await pool().query<{
		key: number;
		importId: number;
		modelId: number;
		code: string;
		person: number;
		cron: string;
		timeZone: string;
		looked: Date;
	}>(
		`SELECT s.import_id AS key, s.import_id AS "importId", i.model_id AS "modelId", i.code, s.person_id AS person, s.cron, s.time_zone AS "timeZone",
			s.looked_at AS looked FROM import_schedule s JOIN import i ON i.id = s.import_id WHERE s.active`
	);
	const due = await claimDue({ table: 'import_schedule', column: 'import_id' }, schedules.rows, now);
	return due.map(({ importId, modelId, code, person }) => ({ importId, modelId, code, person }));
}
