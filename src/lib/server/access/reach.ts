/** What people reach at the members of a dimension: one person's on a page, everybody's as a file. */
import { group } from 'd3-array';
import { z } from 'zod';
import type { Grant } from '../../core';
import { pool, type Database } from '../database';
import { modelVersions } from '../database/structure-version';
import { askRunner, type AnswerOf } from '../engine';
import { notFound } from '../fault';
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

/** People who are active, with what they are granted in a model. @param only of these (ids); of all without */
export async function grantedPeople(database: Database, modelId: number, only?: readonly number[]): Promise<Granted[]> {
	const people = await database.query<Omit<Granted, 'grants'>>(
		`SELECT p.id, p.name, p.email, p.title, ${HAS('form.read')} AS reads, ${HAS('form.enter')} AS enters
		FROM person p WHERE p.active AND ($2::integer[] IS NULL OR p.id = ANY ($2)) ORDER BY p.name, p.id`,
		[modelId, only ?? null]
	);
	const granted = await database.query<Grant & { person: number }>(
		`SELECT person_id AS person, name, level, slice FROM granted_slice
		WHERE model_id = $1 AND ($2::integer[] IS NULL OR person_id = ANY ($2)) ORDER BY kind, grant_id`,
		[modelId, only ?? null]
	);
	const byPerson = group(granted.rows, ({ person }) => person);
	return people.rows.map((person) => ({
		...person,
		grants: (byPerson.get(person.id) ?? []).map(({ name, level, slice }) => ({ name, level, slice }))
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

/** Everybody against the leaves of a dimension, with the date: for those who check. */
export async function reachGrid(
	person: SignedIn | undefined,
	modelId: number,
	dimension: number
): Promise<{ name: string; grid: string[][] }> {
	requirePermission(person, 'access.read');
	const named = await pool().query<{ name: string; model: string }>(
		`SELECT d.name, m.name AS model FROM dimension d JOIN model_dimension o ON o.dimension_id = d.id JOIN model m ON m.id = o.model_id
		WHERE d.id = $2 AND m.id = $1`,
		[modelId, dimension]
	);
	if (!named.rows[0]) throw notFound('dimension');
	const people = await grantedPeople(pool(), modelId);
	const { members, levels } = await reachOf(pool(), modelId, dimension, people, true);
	const LETTERS = ['', 'r', 'w'];
	return {
		name: `Who reaches ${named.rows[0].name}`,
		grid: [
			['Person', 'Address', 'What they do', ...members.map(({ name }) => name)],
			['', '', '', ...members.map(({ code }) => code)],
			...people.map(({ name, email, title }, index) => [name, email, title, ...Array.from(levels[index]!, (level) => LETTERS[level]!)]),
			[],
			[`${named.rows[0].model}, as of ${new Date().toISOString().slice(0, 16).replace('T', ' ')}`],
			['r: may read something there; w: may write something there, locks aside']
		]
	};
}
