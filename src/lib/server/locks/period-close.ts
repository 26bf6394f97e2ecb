/** Closing the periods of a scenario, month by month, with what should be looked at first. */
import type pg from 'pg';
import { z } from 'zod';
import { pool } from '../database';
import { countUpStructureOf } from '../database/structure-version';
import { writeJournal } from '../definition/journal';
import { Fault, notFound } from '../fault';
import { requirePermission, type SignedIn } from '../session';
import { changeLocks } from './freeze';
import { readRecords, writeLocks, type LockRecord } from './record';

export interface PeriodCloseScenario {
	id: number;
	name: string;
	/** Up to which day it is closed, and what the last closed period is called. */
	closedTo: { id: number; name: string } | null;
	/** The periods it speaks about or could, in order. */
	periods: { id: number; name: string; end: string }[];
}

export interface PeriodClose {
	scenarios: PeriodCloseScenario[];
}

interface LeafPeriod {
	id: number;
	name: string;
	end: string;
	leaf: boolean;
	parent: number | null;
}

const PERIODS = `SELECT m.id, m.name, p.end_date::text AS end, n.parent_id AS parent, NOT EXISTS (SELECT FROM hierarchy_node c WHERE c.parent_id = m.id) AS leaf
	FROM model_dimension md JOIN member m ON m.dimension_id = md.dimension_id JOIN period p ON p.member_id = m.id
	JOIN hierarchy_node n ON n.member_id = m.id WHERE md.model_id = $1 ORDER BY p.start_date, p.end_date DESC`;

/** How far each scenario is closed, and what should be looked at before the next month is. */
export async function readPeriodClose(person: SignedIn | undefined, modelId: number): Promise<PeriodClose> {
	requirePermission(person, 'access.read');
	const periods = (await pool().query<LeafPeriod>(PERIODS, [modelId])).rows.filter(({ leaf }) => leaf);
	const scenarios = await pool().query<{ id: number; name: string; from: string; closed: string | null }>(
		`SELECT m.id, m.name, f.start_date::text AS from,
			(SELECT max(p.end_date)::text FROM access_lock l JOIN access_lock_member lm ON lm.lock_id = l.id JOIN period p ON p.member_id = lm.member_id
				WHERE l.model_id = $1 AND l.layer = 'period close' AND l.state = 'closed'
					AND EXISTS (SELECT FROM access_lock_member s WHERE s.lock_id = l.id AND s.member_id = m.id)) AS closed
		FROM model_dimension md JOIN member m ON m.dimension_id = md.dimension_id JOIN scenario s ON s.member_id = m.id JOIN period f ON f.member_id = s.span_from
		WHERE md.model_id = $1 ORDER BY m.id`,
		[modelId]
	);
	return {
		scenarios: scenarios.rows.map(({ id, name, from, closed }) => {
			const own = periods.filter(({ end }) => end >= from);
			const last = closed === null ? undefined : own.findLast(({ end }) => end <= closed);
			return {
				id,
				name,
				closedTo: last ? { id: last.id, name: last.name } : null,
				periods: own.map((period) => ({ id: period.id, name: period.name, end: period.end }))
			};
		})
	};
}

export const closeSchema = z.object({
	scenario: z.number().int(),
	/** The last period that is closed; null opens all of them. */
	to: z.number().int().nullable(),
	/** Asked for where something is opened again. */
	reason: z.string().trim().max(500).default('')
});

/**
 * Closes a scenario's periods up to one: it speaks about them and nobody writes there any more. Null opens all again.
 * Total and lock stay two things: the span says what counts, the lock who may write; so a month that is closed counts,
 * and one that is opened again goes on counting.
 * @throws Fault 422 where something would be opened again without a reason
 */
export async function closePeriods(
	person: SignedIn | undefined,
	modelId: number,
	{ scenario, to, reason }: z.infer<typeof closeSchema>
): Promise<void> {
	const writer = requirePermission(person, 'lock.write');
	await changeLocks(modelId, async (client) => {
		const found = await client.query<{ name: string; dimension: number; spanFrom: string; spanTo: string }>(
			`SELECT m.name, m.dimension_id AS dimension, p.start_date::text AS "spanFrom", t.end_date::text AS "spanTo"
			FROM member m JOIN model_dimension md ON md.dimension_id = m.dimension_id JOIN scenario s ON s.member_id = m.id
			JOIN period p ON p.member_id = s.span_from JOIN period t ON t.member_id = s.span_to
			WHERE md.model_id = $1 AND m.id = $2`,
			[modelId, scenario]
		);
		const named = found.rows[0];
		if (!named) throw notFound('scenario');
		const periods = (await client.query<LeafPeriod>(PERIODS, [modelId])).rows;
		const locks = await locksOfScenario(client, modelId, scenario, periods);
		const wasTo = locks
			.flatMap(({ members }) => periods.filter(({ id }) => members.includes(id)).map(({ end }) => end))
			.sort()
			.at(-1);
		const last = to === null ? undefined : periods.find(({ id, leaf }) => id === to && leaf);
		if (to !== null && !last) throw notFound('period');
		if (last && last.end < named.spanFrom) throw new Fault(422, 'not possible', `${named.name} speaks about later periods only.`);
		const opens = wasTo !== undefined && (!last || last.end < wasTo);
		if (opens && reason === '') throw new Fault(422, 'no reason', 'Say why it is opened again: it stands in the history.');
		// The largest periods that end by then: a closed year is one member, not twelve.
		const closed = new Set(last ? periods.filter(({ end }) => end <= last.end).map(({ id }) => id) : []);
		const top = periods.filter(({ id, parent }) => closed.has(id) && (parent === null || !closed.has(parent)));
		const comes: LockRecord[] = last
			? [
					{
						members: [scenario, ...top.map(({ id }) => id)].sort((one, other) => one - other),
						state: 'closed',
						name: `${named.name} to ${last.name}`,
						reason,
						turns: null,
						writers: [],
						setBy: writer.id,
						setAt: new Date().toISOString()
					}
				]
			: [];
		const words = last
			? opens
				? `Opened ${named.name} again after ${last.name}`
				: `Closed ${named.name} up to ${last.name}`
			: `Opened all periods of ${named.name}`;
		await writeLocks(client, modelId, { layer: 'period close', person: writer.id, words, reason, goes: locks.map(({ id }) => id), comes });
		if (last && last.end > named.spanTo) await client.query('UPDATE scenario SET span_to = $2 WHERE member_id = $1', [scenario, to]);
		await writeJournal(client, {
			person: writer.id,
			modelId,
			dimensionId: named.dimension,
			words,
			objects: [{ kind: 'calendar', id: scenario, name: named.name, before: { locks: locks.map(({ name }) => name) }, after: { to } }]
		});
		await countUpStructureOf(client, named.dimension);
	});
}

/** Locks that only close periods of one scenario: they are replaced by one. */
async function locksOfScenario(client: pg.PoolClient, modelId: number, scenario: number, periods: readonly LeafPeriod[]) {
	const known = new Set(periods.map(({ id }) => id));
	const locks = await readRecords(client, modelId, 'period close');
	return locks.filter(({ members }) => members.includes(scenario) && members.every((id) => id === scenario || known.has(id)));
}
