/** Rounds: defined, copied, started, ended. */
import type pg from 'pg';
import { z } from 'zod';
import { lockOfUnit } from '../../core';
import { pool, transaction, type Database } from '../database';
import { lockModel } from '../database/change-set';
import { countUpStructure } from '../database/structure-version';
import { Fault, notFound } from '../fault';
import { insertLocks, type LockRecord, type LockWriter } from '../locks/record';
import { requirePermission, type SignedIn } from '../session';
import { tellOwners } from './messages';
import { planUnits, type PlannedUnit } from './plan';
import { checkedForms, roundSchema, settingsSchema, type RoundDefinition } from './settings';

export interface Round extends RoundDefinition {
	id: number;
	state: 'planned' | 'running' | 'ended';
	version: number;
	startedAt: string | null;
	endedAt: string | null;
}

/** A round as it is stored. @throws Fault 404 */
export async function readRound(database: Database, modelId: number, id: number, lock = false): Promise<Round> {
	const found = await database.query<Omit<Round, 'startedAt' | 'endedAt'> & { startedAt: Date | null; endedAt: Date | null }>(
		`SELECT id, name, state, scenario_id AS scenario, from_id AS "from", to_id AS "to", settings, version, started_at AS "startedAt", ended_at AS "endedAt"
		FROM round WHERE model_id = $1 AND id = $2 ${lock ? 'FOR UPDATE' : ''}`,
		[modelId, id]
	);
	const round = found.rows[0];
	if (!round) throw notFound('round');
	// Rounds of earlier versions say nothing of what came since.
	const settings = settingsSchema.parse(round.settings);
	return { ...round, settings, startedAt: round.startedAt?.toISOString() ?? null, endedAt: round.endedAt?.toISOString() ?? null };
}

export interface RoundLine {
	id: number;
	name: string;
	state: Round['state'];
	scenario: string;
	from: string;
	to: string;
	units: number;
	approved: number;
	due: string | null;
}

/** The rounds of a model, those that run first. */
export async function listRounds(person: SignedIn | undefined, modelId: number): Promise<RoundLine[]> {
	requirePermission(person, 'cycle.read');
	const found = await pool().query<RoundLine>(
		`SELECT r.id, r.name, r.state, s.name AS scenario, f.name AS "from", t.name AS "to",
			count(u.id)::integer AS units, (count(u.id) FILTER (WHERE u.state = 'approved'))::integer AS approved, max(u.due)::text AS due
		FROM round r JOIN member s ON s.id = r.scenario_id JOIN member f ON f.id = r.from_id JOIN member t ON t.id = r.to_id
		LEFT JOIN cycle_unit u ON u.round_id = r.id WHERE r.model_id = $1 GROUP BY r.id, s.name, f.name, t.name
		ORDER BY CASE r.state WHEN 'running' THEN 0 WHEN 'planned' THEN 1 ELSE 2 END, r.id DESC`,
		[modelId]
	);
	return found.rows;
}

export const saveRoundSchema = roundSchema.extend({ id: z.int().nullable(), version: z.int().default(0) });

/** Defines a round anew or changes one that has not started. @throws Fault 409 where somebody else has changed it meanwhile */
export async function saveRound(
	person: SignedIn | undefined,
	modelId: number,
	{ id, version, ...round }: z.infer<typeof saveRoundSchema>
): Promise<{ id: number; version: number }> {
	const writer = requirePermission(person, 'cycle.write');
	return transaction(async (client) => {
		await requireFit(client, modelId, round);
		const same = await client.query('SELECT FROM round WHERE model_id = $1 AND lower(name) = lower($2) AND id IS DISTINCT FROM $3', [
			modelId,
			round.name,
			id
		]);
		if (same.rowCount) throw new Fault(409, 'known', `There is a round called ${round.name} already.`);
		const values = [modelId, round.name, round.scenario, round.from, round.to, JSON.stringify(round.settings)];
		if (id === null) {
			const made = await client.query<{ id: number }>(
				`INSERT INTO round (model_id, name, scenario_id, from_id, to_id, settings, made_by) VALUES ($1, $2, $3, $4, $5, $6, $7) RETURNING id`,
				[...values, writer.id]
			);
			return { id: made.rows[0]!.id, version: 1 };
		}
		const stored = await readRound(client, modelId, id, true);
		if (stored.version !== version)
			throw new Fault(409, 'changed meanwhile', 'Somebody else has changed this round meanwhile. It is shown as it is now.');
		if (stored.state !== 'planned')
			throw new Fault(422, 'started', 'A round that has started stays as it is; its owners, reviewers and days change on its board.');
		await client.query(
			'UPDATE round SET name = $2, scenario_id = $3, from_id = $4, to_id = $5, settings = $6, version = version + 1 WHERE id = $7 AND model_id = $1',
			[...values, id]
		);
		return { id, version: version + 1 };
	});
}

/** A round speaks about a scenario and periods of its model, and forms of it. @throws Fault 422 */
async function requireFit(client: Database, modelId: number, { scenario, from, to, settings }: RoundDefinition): Promise<void> {
	const found = await client.query<{ kind: string; start: string | null }>(
		`SELECT d.kind, p.start_date::text AS start FROM unnest($2::integer[]) WITH ORDINALITY AS x (id, o) JOIN member m ON m.id = x.id JOIN dimension d ON d.id = m.dimension_id
		JOIN model_dimension md ON md.dimension_id = d.id AND md.model_id = $1 LEFT JOIN period p ON p.member_id = m.id ORDER BY x.o`,
		[modelId, [scenario, from, to]]
	);
	const kinds = found.rows.map(({ kind }) => kind).join();
	if (kinds !== 'scenario,period,period')
		throw new Fault(422, 'not there', 'Choose a scenario and the first and last period of the round.');
	if (found.rows[1]!.start! > found.rows[2]!.start!) throw new Fault(422, 'not possible', 'The last period comes before the first.');
	const forms = await client.query('SELECT FROM form WHERE model_id = $1 AND owner_id IS NULL AND id = ANY ($2)', [
		modelId,
		checkedForms(settings)
	]);
	if (forms.rowCount !== checkedForms(settings).length) throw new Fault(422, 'not there', 'A form of the round is not there any more.');
}

export const roundOnly = z.object({ id: z.int() });

/** A new round as the last one was: a year later by name, with its days to be set. */
export async function copyRound(person: SignedIn | undefined, modelId: number, { id }: z.infer<typeof roundOnly>): Promise<{ id: number }> {
	requirePermission(person, 'cycle.write');
	const round = await readRound(pool(), modelId, id);
	const names = await pool().query<{ name: string }>('SELECT name FROM round WHERE model_id = $1', [modelId]);
	const taken = new Set(names.rows.map(({ name }) => name.toLowerCase()));
	let name = `${round.name}, again`;
	for (let count = 2; taken.has(name.toLowerCase()); count++) name = `${round.name}, again ${count}`;
	const { scenario, from, to, settings } = round;
	return saveRound(person, modelId, { id: null, version: 0, name, scenario, from, to, settings: { ...settings, due: [] } });
}

export async function deleteRound(person: SignedIn | undefined, modelId: number, { id }: z.infer<typeof roundOnly>): Promise<void> {
	requirePermission(person, 'cycle.write');
	await transaction(async (client) => {
		const round = await readRound(client, modelId, id, true);
		if (round.state === 'running') throw new Fault(422, 'running', 'A round that runs is ended first.');
		if (round.state === 'ended')
			throw new Fault(422, 'ended', 'A round that has run stays: its history and the figures as they were submitted are in it.');
		await client.query('DELETE FROM round WHERE id = $1', [id]);
	});
}

/** What starting would come to: the units with their people, and what lacks an owner or a reviewer. */
export async function previewRound(
	person: SignedIn | undefined,
	modelId: number,
	definition: RoundDefinition
): Promise<{ units: PlannedUnit[]; people: { id: number; name: string }[] }> {
	requirePermission(person, 'cycle.write');
	await requireFit(pool(), modelId, definition);
	const units = await planUnits(pool(), modelId, definition);
	const people = await pool().query<{ id: number; name: string }>('SELECT id, name FROM person WHERE id = ANY ($1)', [
		[...new Set(units.flatMap(({ owner, reviewers }) => [...(owner === null ? [] : [owner]), ...reviewers.flat()]))]
	]);
	return { units, people: people.rows };
}

/** The largest periods that make up those of a round. */
async function periodsOf(client: Database, modelId: number, from: number, to: number): Promise<number[]> {
	const found = await client.query<{ id: number; parent: number | null }>(
		`SELECT p.member_id AS id, n.parent_id AS parent FROM period p JOIN member m ON m.id = p.member_id
		JOIN model_dimension o ON o.dimension_id = m.dimension_id AND o.model_id = $1
		JOIN hierarchy h ON h.dimension_id = m.dimension_id AND h.main JOIN hierarchy_node n ON n.hierarchy_id = h.id AND n.member_id = m.id,
			period f, period t WHERE f.member_id = $2 AND t.member_id = $3 AND p.start_date >= f.start_date AND p.end_date <= t.end_date`,
		[modelId, from, to]
	);
	const within = new Set(found.rows.map(({ id }) => id));
	return found.rows.filter(({ parent }) => parent === null || !within.has(parent)).map(({ id }) => id);
}

/** What a unit is called where its tree is not seen: a department with its line. */
export const fullName = (unit: { name: string; members: readonly number[] }, above: string | undefined): string =>
	unit.members.length > 1 && above !== undefined ? `${above}, ${unit.name}` : unit.name;

/** A unit’s lock as its state says; held lets its reviewers write. */
export const recordOfUnit = (
	round: Pick<Round, 'name' | 'scenario'>,
	periods: readonly number[],
	unit: { name: string; members: readonly number[] },
	state: Parameters<typeof lockOfUnit>[0],
	{ by, writers, reason = '' }: { by: number | null; writers: readonly number[]; reason?: string }
): LockRecord => ({
	members: [round.scenario, ...periods, ...unit.members].sort((one, other) => one - other),
	state: lockOfUnit(state),
	name: `${round.name}, ${unit.name}: ${state}`,
	reason,
	turns: null,
	writers: lockOfUnit(state) === 'held' ? [...new Set(writers)].map((person): LockWriter => ({ person })) : [],
	setBy: by,
	setAt: new Date().toISOString()
});

/** Starts a round: its units are made, their slices opened for their owners, who are told. */
export async function startRound(
	person: SignedIn | undefined,
	modelId: number,
	{ id }: z.infer<typeof roundOnly>
): Promise<{ units: number }> {
	const writer = requirePermission(person, 'cycle.write');
	return transaction(async (client) => {
		await lockModel(client, modelId);
		const round = await readRound(client, modelId, id, true);
		if (round.state !== 'planned') throw new Fault(409, 'started', 'This round has started already.');
		const other = await client.query<{ name: string }>(
			`SELECT r.name FROM round r JOIN period f ON f.member_id = r.from_id JOIN period t ON t.member_id = r.to_id, period a, period b
			WHERE r.model_id = $1 AND r.state = 'running' AND r.scenario_id = $2 AND a.member_id = $3 AND b.member_id = $4 AND f.start_date <= b.end_date AND t.end_date >= a.start_date`,
			[modelId, round.scenario, round.from, round.to]
		);
		if (other.rows[0]) throw new Fault(422, 'runs already', `${other.rows[0].name} runs over the same figures. End it first.`);
		const units = await planUnits(client, modelId, round);
		const lacking = units.filter(({ owner }) => owner === null);
		if (lacking.length > 0)
			throw new Fault(
				422,
				'no owner',
				`${lacking.length === 1 ? 'One unit has' : `${lacking.length} units have`} no owner: ${lacking
					.slice(0, 5)
					.map(({ name }) => name)
					.join(', ')}.`
			);
		await insertUnits(client, modelId, round, units, writer.id);
		await client.query("UPDATE round SET state = 'running', started_at = now(), version = version + 1 WHERE id = $1", [id]);
		await tellOwners(client, modelId, id);
		await countUpStructure(client, [modelId], 'locks');
		return { units: units.length };
	});
}

async function insertUnits(client: pg.PoolClient, modelId: number, round: Round, units: readonly PlannedUnit[], by: number): Promise<void> {
	const periods = await periodsOf(client, modelId, round.from, round.to);
	const nameOfKey = new Map(units.map(({ key, name }) => [key, name]));
	const locks = await insertLocks(
		client,
		modelId,
		'cycle',
		units.map((unit) =>
			recordOfUnit(round, periods, { ...unit, name: fullName(unit, nameOfKey.get(unit.parent ?? '')) }, 'not started', { by, writers: [] })
		)
	);
	const made = await client.query<{ id: number; place: number }>(
		`WITH asked AS (SELECT * FROM jsonb_to_recordset($2::jsonb) AS x (place integer, depth integer, members jsonb, name text, owner integer, due date, lock integer)),
			numbered AS (SELECT a.*, nextval(pg_get_serial_sequence('cycle_unit', 'id'))::integer AS id FROM asked a),
			made AS (INSERT INTO cycle_unit (id, round_id, position, depth, members, name, owner_id, due, lock_id) OVERRIDING SYSTEM VALUE
				SELECT id, $1, place, depth, ARRAY(SELECT jsonb_array_elements_text(members)::integer), name, owner, due, lock FROM numbered)
		SELECT id, place FROM numbered ORDER BY place`,
		[
			round.id,
			JSON.stringify(
				units.map(({ depth, members, name, owner, due }, place) => ({ place, depth, members, name, owner, due, lock: locks[place] }))
			)
		]
	);
	const idOf = new Map(units.map(({ key }, place) => [key, made.rows[place]!.id]));
	const children = units.filter(({ parent }) => parent !== null);
	await client.query(
		'UPDATE cycle_unit u SET parent_id = x.parent FROM unnest($1::integer[], $2::integer[]) AS x (id, parent) WHERE u.id = x.id',
		[children.map(({ key }) => idOf.get(key)), children.map(({ parent }) => idOf.get(parent!))]
	);
	const reviewers = units.flatMap(({ key, reviewers: of }) =>
		of.flatMap((people, review) => people.map((person) => ({ unit: idOf.get(key)!, review, person })))
	);
	await client.query(
		'INSERT INTO unit_reviewer (unit_id, review, person_id) SELECT * FROM unnest($1::integer[], $2::integer[], $3::integer[]) ON CONFLICT DO NOTHING',
		[reviewers.map(({ unit }) => unit), reviewers.map(({ review }) => review), reviewers.map(({ person }) => person)]
	);
	await client.query(
		`INSERT INTO unit_move (unit_id, person_id, move, state) SELECT u.id, $2, 'start', 'not started' FROM cycle_unit u WHERE u.round_id = $1`,
		[round.id, by]
	);
}

/** A round as it is defined, for who may. */
export async function roundToDefine(person: SignedIn | undefined, modelId: number, id: number): Promise<Round> {
	requirePermission(person, 'cycle.write');
	return readRound(pool(), modelId, id);
}
