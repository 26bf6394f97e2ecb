import type pg from 'pg';
import { z } from 'zod';
import { extendCalendar, generatePeriods, type CalendarDefinition } from '../../core';
import { pool, transaction, type Database } from '../database';
import { lockModel } from '../database/change-set';
import { Fault, notFound } from '../fault';
import { requirePermission, type SignedIn } from '../session';
import { dimensionChanged, refuseBrokenModels } from './act';
import { addMembers, addPeriods } from './new-model';
import { writeJournal } from '../definition/journal';
import { modelsOf } from '../definition/models';

export interface CalendarPage {
	id: number;
	name: string;
	definition: CalendarDefinition;
	periods: { id: number; code: string; name: string; level: string; start: string; end: string; fiscalYear: number; leaf: boolean }[];
	/** Scenarios with the last period they speak about; null where that is the end of the calendar. */
	scenarios: { id: number; code: string; name: string; spanTo: string; closed: string | null }[];
	version: number;
}

interface CalendarRow {
	id: number;
	dimension: number;
	name: string;
	version: number;
	grain: CalendarDefinition['grain'];
	pattern: CalendarDefinition['pattern'];
	start: number;
	week: number | null;
	named: CalendarDefinition['namedBy'];
	first: number;
	years: number;
	levels: CalendarDefinition['levels'];
}

const CALENDAR_OF_MODEL = `SELECT c.id, d.id AS dimension, c.name, d.version, c.grain, c.pattern, c.fiscal_start_month AS start, c.week_start AS week,
		c.named_by AS named, c.first_year AS first, c.years, c.levels
	FROM model_dimension md JOIN dimension d ON d.id = md.dimension_id JOIN calendar c ON c.id = d.calendar_id WHERE md.model_id = $1`;

const toDefinition = (row: CalendarRow): CalendarDefinition => ({
	grain: row.grain,
	pattern: row.pattern,
	fiscalStartMonth: row.start,
	...(row.week !== null && { weekStart: row.week }),
	namedBy: row.named,
	firstYear: row.first,
	years: row.years,
	levels: row.levels
});

/** How the model's periods are made; undefined when there is no such model. */
export async function calendarDefinition(database: Database, modelId: number): Promise<CalendarDefinition | undefined> {
	const row = (await database.query<CalendarRow>(CALENDAR_OF_MODEL, [modelId])).rows[0];
	return row && toDefinition(row);
}

/** The model's calendar with all its periods, and how far each scenario is closed. */
export async function readCalendarPage(person: SignedIn | undefined, modelId: number): Promise<CalendarPage> {
	requirePermission(person, 'structure.read');
	const calendar = (await pool().query<CalendarRow>(CALENDAR_OF_MODEL, [modelId])).rows[0];
	if (!calendar) throw notFound('calendar');
	const periods = await pool().query<CalendarPage['periods'][number]>(
		`SELECT m.id, m.code, m.name, p.level, p.start_date AS start, p.end_date AS end, p.fiscal_year AS "fiscalYear",
			NOT EXISTS (SELECT FROM hierarchy_node c WHERE c.parent_id = m.id) AS leaf
		FROM member m JOIN period p ON p.member_id = m.id WHERE m.dimension_id = $1 ORDER BY p.start_date, p.end_date DESC, m.id`,
		[calendar.dimension]
	);
	const scenarios = await pool().query<CalendarPage['scenarios'][number]>(
		`SELECT m.id, m.code, m.name, t.code AS "spanTo",
			(SELECT max(p.end_date)::text FROM access_lock l JOIN access_lock_member lm ON lm.lock_id = l.id JOIN period p ON p.member_id = lm.member_id
				WHERE l.model_id = $1 AND l.layer = 'period close' AND l.state = 'closed'
					AND EXISTS (SELECT FROM access_lock_member s WHERE s.lock_id = l.id AND s.member_id = m.id)) AS closed
		FROM model_dimension md JOIN member m ON m.dimension_id = md.dimension_id JOIN scenario s ON s.member_id = m.id JOIN member t ON t.id = s.span_to
		WHERE md.model_id = $1 ORDER BY m.id`,
		[modelId]
	);
	return {
		id: calendar.id,
		name: calendar.name,
		definition: toDefinition(calendar),
		periods: periods.rows,
		scenarios: scenarios.rows,
		version: calendar.version
	};
}

export const extendSchema = z.object({ before: z.number().int().min(0).max(20), after: z.number().int().min(0).max(20) });

/** Adds years at either end. What is there keeps its periods, so no number moves. */
export async function extendHorizon(
	person: SignedIn | undefined,
	modelId: number,
	{ before, after }: z.infer<typeof extendSchema>
): Promise<void> {
	const writer = requirePermission(person, 'structure.write');
	if (before + after === 0) return;
	await transaction((client) => addYears(client, writer.id, modelId, { before, after }));
}

/**
 * Adds years within the caller's transaction.
 * @param holds false only to look at what would come of it: nothing is waited for, and the caller rolls back
 */
export async function addYears(
	client: pg.PoolClient,
	person: number,
	modelId: number,
	{ before, after }: z.infer<typeof extendSchema>,
	holds = true
): Promise<void> {
	const calendar = (await client.query<CalendarRow>(`${CALENDAR_OF_MODEL} FOR UPDATE OF c`, [modelId])).rows[0];
	if (!calendar) throw notFound('calendar');
	const definition = extendCalendar(toDefinition(calendar), { before, after });
	if (definition.years > 40) throw new Fault(422, 'not possible', 'A calendar has at most 40 years.');
	if (holds) for (const { id } of await modelsOf(client, calendar.dimension)) await lockModel(client, id);
	const periods = generatePeriods(definition);
	const known = new Map(
		(
			await client.query<{ id: number; code: string }>('SELECT id, code FROM member WHERE dimension_id = $1', [calendar.dimension])
		).rows.map(({ id, code }) => [code, id])
	);
	const fresh = periods.filter(({ code }) => !known.has(code));
	const ids = new Map([...known, ...(await addMembers(client, calendar.dimension, fresh))]);
	await addPeriods(client, ids, fresh);
	await client.query(
		`INSERT INTO hierarchy_node (hierarchy_id, dimension_id, member_id, parent_id, weight, position)
		SELECT h.id, $1, m, p, 1, o FROM hierarchy h, unnest($2::integer[], $3::integer[], $4::double precision[]) AS n (m, p, o)
		WHERE h.dimension_id = $1 AND h.main
		ON CONFLICT (hierarchy_id, member_id) DO UPDATE SET position = excluded.position`,
		[
			calendar.dimension,
			periods.map(({ code }) => ids.get(code)),
			periods.map(({ parent }) => (parent === undefined ? null : ids.get(parent))),
			periods.map((_, index) => index + 1)
		]
	);
	await client.query('UPDATE calendar SET first_year = $2, years = $3 WHERE id = $1', [
		calendar.id,
		definition.firstYear,
		definition.years
	]);
	const years = (count: number, end: string) => (count === 0 ? [] : [`${count} ${count === 1 ? 'year' : 'years'} ${end}`]);
	await writeJournal(client, {
		person,
		modelId,
		dimensionId: calendar.dimension,
		words: `Extended the calendar by ${[...years(before, 'before'), ...years(after, 'after')].join(' and ')}`,
		objects: [{ kind: 'calendar', id: calendar.id, name: calendar.name, before: toDefinition(calendar), after: definition }]
	});
	await dimensionChanged(client, calendar.dimension);
	await refuseBrokenModels(client, calendar.dimension);
}

export const renamePeriodSchema = z.object({ period: z.number().int(), name: z.string().trim().min(1).max(80), was: z.string().max(200) });

/** Gives a period another name; its code and days stay. */
export async function renamePeriod(
	person: SignedIn | undefined,
	modelId: number,
	{ period, name, was }: z.infer<typeof renamePeriodSchema>
): Promise<void> {
	const writer = requirePermission(person, 'structure.write');
	await transaction(async (client) => {
		const found = await client.query<{ dimension: number; name: string }>(
			`SELECT m.dimension_id AS dimension, m.name FROM member m JOIN model_dimension md ON md.dimension_id = m.dimension_id
			JOIN period p ON p.member_id = m.id WHERE md.model_id = $1 AND m.id = $2 FOR UPDATE OF m`,
			[modelId, period]
		);
		const member = found.rows[0];
		if (!member) throw notFound('period');
		if (member.name !== was) throw new Fault(409, 'conflict', `“${was}” was renamed meanwhile: it is “${member.name}” now.`);
		await client.query('UPDATE member SET name = $2 WHERE id = $1', [period, name]);
		await writeJournal(client, {
			person: writer.id,
			modelId,
			dimensionId: member.dimension,
			words: `Renamed “${was}” to “${name}”`,
			objects: [{ kind: 'calendar', id: period, name, before: { name: was }, after: { name } }]
		});
		await dimensionChanged(client, member.dimension);
	});
}
