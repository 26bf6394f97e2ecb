/** What people reach at the members of a dimension: one person's on a page, everybody's as a file. */
import { group } from 'd3-array';
import { z } from 'zod';
import type { Grant } from '../../core';
import { pool, type Database } from '../database';
import { modelVersions } from '../database/structure-version';
import { askRunner, type AnswerOf } from '../engine';
import { Fault, notFound } from '../fault';
import { requirePermission, type SignedIn } from '../session';
import { readGuarded } from './rules';

export const reachSchema = z.object({ person: z.int(), dimension: z.int() });

export type ReachLevel = 'nothing' | 'read' | 'write';
const LEVELS = ['nothing', 'read', 'write'] as const satisfies ReachLevel[];

/** Somebody with what they are granted in a model, and whether their roles let them use it. */
interface Granted {
	id: number;
	name: string;
	email: string;
	title: string;
	reads: boolean;
	enters: boolean;
	grants: Grant[];
}

const HAS = (
	permission: string
) => `EXISTS (SELECT FROM person_role r JOIN role_permission rp ON rp.role_id = r.role_id AND rp.permission = '${permission}'
	WHERE r.person_id = p.id AND (r.model_id IS NULL OR r.model_id = $1))`;

/** Grants by a key, and who has which: each grant's slice is put together once, however many people have it. */
async function grantsOfModel(
	database: Database,
	modelId: number,
	only: readonly number[] | undefined
): Promise<{ grants: Map<string, Grant>; holders: { person: number; grant: string }[] }> {
	const slices = await database.query<{
		id: number;
		name: string;
		level: Grant['level'];
		dimension: number | null;
		members: number[] | null;
	}>(
		`SELECT g.id, g.name, g.level, m.dimension_id AS dimension, array_agg(m.id ORDER BY m.id) AS members
		FROM access_grant g LEFT JOIN access_grant_member x ON x.grant_id = g.id LEFT JOIN member m ON m.id = x.member_id
		WHERE g.model_id = $1 GROUP BY g.id, m.dimension_id ORDER BY g.id`,
		[modelId]
	);
	const grants = new Map<string, { name: string; level: Grant['level']; slice: Record<number, readonly number[]> }>();
	for (const { id, name, level, dimension, members } of slices.rows) {
		const grant = grants.get(`1 ${id}`) ?? { name, level, slice: {} };
		if (dimension !== null) grant.slice[dimension] = members!;
		grants.set(`1 ${id}`, grant);
	}
	const pairs = await database.query<{ person: number; grant: string }>(
		`SELECT h.person, '1 ' || h.id AS "grant" FROM (
			SELECT g.id, g.person_id AS person FROM access_grant g WHERE g.model_id = $1 AND g.person_id IS NOT NULL
			UNION ALL SELECT g.id, m.person_id FROM access_grant g JOIN people_group_member m ON m.group_id = g.group_id WHERE g.model_id = $1) AS h
		WHERE $2::integer[] IS NULL OR h.person = ANY ($2) ORDER BY h.id`,
		[modelId, only ?? null]
	);
	const named = await database.query<Grant & { person: number; id: number }>(
		`SELECT person_id AS person, grant_id AS id, name, level, slice FROM granted_slice
		WHERE model_id = $1 AND kind = 2 AND ($2::integer[] IS NULL OR person_id = ANY ($2)) ORDER BY grant_id`,
		[modelId, only ?? null]
	);
	for (const { person, id, name, level, slice } of named.rows) grants.set(`2 ${id} ${person}`, { name, level, slice });
	return { grants, holders: [...pairs.rows, ...named.rows.map(({ person, id }) => ({ person, grant: `2 ${id} ${person}` }))] };
}

/** People who are active, with what they are granted in a model. @param only of these (ids); of all without */
export async function grantedPeople(database: Database, modelId: number, only?: readonly number[]): Promise<Granted[]> {
	const people = await database.query<Omit<Granted, 'grants'>>(
		`SELECT p.id, p.name, p.email, p.title, ${HAS('form.read')} AS reads, ${HAS('form.enter')} AS enters
		FROM person p WHERE p.active AND ($2::integer[] IS NULL OR p.id = ANY ($2)) ORDER BY p.name, p.id`,
		[modelId, only ?? null]
	);
	const { grants, holders } = await grantsOfModel(database, modelId, only);
	const byPerson = group(holders, ({ person }) => person);
	return people.rows.map((person) => ({
		...person,
		grants: (byPerson.get(person.id) ?? []).map(({ grant }) => grants.get(grant)!)
	}));
}

/** What each of some people reaches; many have the same grants, and are asked about once. */
export async function reachOf(
	database: Database,
	modelId: number,
	dimension: number,
	people: readonly Pick<Granted, 'reads' | 'enters' | 'grants'>[],
	leaves: boolean
): Promise<{ members: AnswerOf<'reach'>['members']; levels: Uint8Array[] }> {
	const keys = people.map(({ grants }) => JSON.stringify(grants));
	const sets = new Map(people.map(({ grants }, index) => [keys[index]!, grants]));
	const [guarded, { structure }] = await Promise.all([readGuarded(modelId, database), modelVersions(database, modelId)]);
	const { members, levels } = await askRunner(modelId, 'reach', { structure, guarded, dimension, leaves, sets: [...sets.values()] });
	const placeOf = new Map([...sets.keys()].map((key, place) => [key, place]));
	return {
		members,
		levels: people.map(({ reads, enters }, index) => {
			const reached = levels[placeOf.get(keys[index]!)!]!;
			return !reads ? new Uint8Array(reached.length) : enters ? reached : reached.map((level) => Math.min(level, 1));
		})
	};
}

/** What one person reaches, member by member. @throws Fault 404 */
export async function whatOneReaches(
	person: SignedIn | undefined,
	modelId: number,
	{ person: of, dimension }: z.infer<typeof reachSchema>
): Promise<{ name: string; members: { name: string; depth: number; level: ReachLevel }[] }> {
	requirePermission(person, 'access.read');
	const [asked] = await grantedPeople(pool(), modelId, [of]);
	if (!asked) throw notFound('person who is active');
	const { members, levels } = await reachOf(pool(), modelId, dimension, [asked], false);
	return { name: asked.name, members: members.map(({ name, depth }, place) => ({ name, depth, level: LEVELS[levels[0]![place]!]! })) };
}

const LETTERS = ['', 'r', 'w'] as const;
/** People whose lines are written before others get their turn on the thread. */
const PEOPLE_AT_ONCE = 40;

/** Everybody against the leaves of a dimension, with the date, in parts: for those who check. @throws Fault 403, 404 */
export async function reachRows(
	person: SignedIn | undefined,
	modelId: number,
	dimension: number
): Promise<{ name: string; cells: number; rows: () => AsyncGenerator<string[][]> }> {
	requirePermission(person, 'access.read');
	const named = await pool().query<{ name: string; model: string }>(
		`SELECT d.name, m.name AS model FROM dimension d JOIN model_dimension o ON o.dimension_id = d.id JOIN model m ON m.id = o.model_id
		WHERE d.id = $2 AND m.id = $1`,
		[modelId, dimension]
	);
	if (!named.rows[0]) throw notFound('dimension');
	const { name, model } = named.rows[0];
	const people = await grantedPeople(pool(), modelId);
	const { members, levels } = await reachOf(pool(), modelId, dimension, people, true);
	async function* rows(): AsyncGenerator<string[][]> {
		yield [
			['Person', 'Address', 'What they do', ...members.map((member) => member.name)],
			['', '', '', ...members.map(({ code }) => code)]
		];
		for (let from = 0; from < people.length; from += PEOPLE_AT_ONCE) {
			yield people
				.slice(from, from + PEOPLE_AT_ONCE)
				.map((each, index) => [each.name, each.email, each.title, ...Array.from(levels[from + index]!, (level) => LETTERS[level]!)]);
			await new Promise((turn) => setImmediate(turn));
		}
		yield [
			[],
			[`${model}, as of ${new Date().toISOString().slice(0, 16).replace('T', ' ')}`],
			['r: may read something there; w: may write something there, locks aside']
		];
	}
	return { name: `Who reaches ${name}`, cells: people.length * members.length, rows };
}

/** A workbook of more would take too long to put together while others wait. */
const MOST_WORKBOOK_CELLS = 60_000;

/** The same in one piece, for a workbook. @throws Fault 413 where it would be too large for one */
export async function reachGrid(
	person: SignedIn | undefined,
	modelId: number,
	dimension: number
): Promise<{ name: string; grid: string[][] }> {
	const { name, cells, rows } = await reachRows(person, modelId, dimension);
	if (cells > MOST_WORKBOOK_CELLS)
		throw new Fault(413, 'too large', 'So many people and members are too much for a workbook. Take the CSV: it has all of them.');
	const grid: string[][] = [];
	for await (const part of rows()) grid.push(...part);
	return { name, grid };
}
