/** Taking people and groups over from a directory: picked once, brought up to date as often as one likes, looked at first. */
import type pg from 'pg';
import { z } from 'zod';
import { applyChange, readGroups, readPeople, type GroupState, type PersonState } from '../access';
import { pool, transaction, type Database } from '../database';
import { lockAccess } from '../database/locks';
import { Fault } from '../fault';
import { requirePermissionEverywhere, type SignedIn } from '../session';
import { factsOf } from './scim';
import { directoryGroups, directorySource, directoryUsers, type DirectoryGroup, type DirectoryUser } from './source';

const SETTING = 'directory picks';
const NO_MODEL = 0;
const id = z.string().min(1).max(100);
const picksSchema = z.object({ people: z.array(id).max(5_000), groups: z.array(id).max(500) });
export type DirectoryPicks = z.infer<typeof picksSchema>;

export const findSchema = z.object({ find: z.string().max(100) });
export const synchroniseSchema = z.object({ picks: picksSchema, preview: z.boolean() });

export interface DirectoryView {
	/** What the directory is called; null where there is none. */
	name: string | null;
	groups: { id: string; name: string; members: number }[];
	people: { id: string; name: string; email: string; title: string; active: boolean; known: boolean }[];
	picks: DirectoryPicks;
}

const MOST_FOUND = 50;

/** What the directory has, by a part of a name, and what was picked of it. */
export async function lookInDirectory(person: SignedIn | undefined, find: string, origin: string): Promise<DirectoryView> {
	requirePermissionEverywhere(person, 'access.write');
	const picks = await readPicks(pool());
	const source = await directorySource(origin);
	if (!source) return { name: null, groups: [], people: [], picks };
	const [groups, users] = await Promise.all([directoryGroups(source), directoryUsers(source, find.trim() || undefined)]);
	const known = await pool().query<{ email: string }>('SELECT lower(email) AS email FROM person');
	const addresses = new Set(known.rows.map(({ email }) => email));
	return {
		name: source.name,
		groups: groups.map(({ id: own, displayName, members }) => ({ id: own, name: displayName, members: members?.length ?? 0 })),
		people: users.slice(0, MOST_FOUND).map((user) => {
			const facts = factsOf(user);
			return { id: user.id, ...facts, known: addresses.has(facts.email) };
		}),
		picks
	};
}

async function readPicks(database: Database): Promise<DirectoryPicks> {
	const found = await database.query<{ value: string }>('SELECT value FROM setting WHERE key = $1', [SETTING]);
	const read = picksSchema.safeParse(JSON.parse(found.rows[0]?.value ?? 'null'));
	return read.success ? read.data : { people: [], groups: [] };
}

export interface SynchroniseLine {
	what: 'new' | 'changed' | 'left' | 'group' | 'gone';
	name: string;
	words: string;
}
export interface Synchronised {
	lines: SynchroniseLine[];
	counts: Record<SynchroniseLine['what'], number>;
}

/**
 * Brings what was picked up to date, or says what that would do. Who has left is deactivated, never deleted.
 * @throws Fault 422 as a change of access would, 503 where the directory cannot be reached; nothing is changed then
 */
export async function synchronise(
	person: SignedIn | undefined,
	{ picks, preview }: z.infer<typeof synchroniseSchema>,
	origin: string
): Promise<Synchronised> {
	const writer = requirePermissionEverywhere(person, 'access.write');
	const source = await directorySource(origin);
	if (!source) throw new Fault(422, 'no directory', 'No directory is set for this installation (see docs/operating.md).');
	const [groups, users] = await Promise.all([directoryGroups(source), directoryUsers(source)]);
	if (preview) return told(await plan(pool(), writer, picks, groups, users));
	return transaction(async (client) => {
		await lockAccess(client);
		const steps = await plan(client, writer, picks, groups, users);
		await carryOut(client, writer, steps);
		await client.query('INSERT INTO setting (key, value) VALUES ($1, $2) ON CONFLICT (key) DO UPDATE SET value = excluded.value', [
			SETTING,
			JSON.stringify(picks)
		]);
		return told(steps);
	});
}

interface Known<State> {
	id: number;
	state: State;
	directory: string | null;
}
type Step = SynchroniseLine &
	(
		| { kind: 'person'; id: number | null; directory: string; before: PersonState | null; after: PersonState }
		| { kind: 'group'; id: number | null; directory: string; before: GroupState | null; name: string; memberUsers: string[] }
		| { kind: 'nothing' }
	);

/** Everybody and every group here, with what the directory calls them. */
async function knownHere(database: Database, person: SignedIn): Promise<{ people: Known<PersonState>[]; groups: Known<GroupState>[] }> {
	const called = await database.query<{ id: number; directory: string; person: boolean }>(
		`SELECT id, directory_id AS directory, true AS person FROM person WHERE directory_id IS NOT NULL
		UNION ALL SELECT id, directory_id, false FROM people_group WHERE directory_id IS NOT NULL`
	);
	const directoryOf = new Map(called.rows.map(({ id: own, directory, person: isPerson }) => [`${isPerson} ${own}`, directory]));
	const withDirectory =
		(isPerson: boolean) =>
		<State>({ id: own, state }: { id: number; state: State }): Known<State> => ({
			id: own,
			state,
			directory: directoryOf.get(`${isPerson} ${own}`) ?? null
		});
	return {
		people: (await readPeople(person, database)).map((each) => withDirectory(true)(each)),
		groups: (await readGroups(person, database)).map((each) => withDirectory(false)(each))
	};
}

async function plan(
	database: Database,
	writer: SignedIn,
	picks: DirectoryPicks,
	groups: readonly DirectoryGroup[],
	users: readonly DirectoryUser[]
): Promise<Step[]> {
	const { people, groups: ours } = await knownHere(database, writer);
	const userOf = new Map(users.map((user) => [user.id, user]));
	const picked = groups.filter((group) => picks.groups.includes(group.id));
	const vanished = picks.groups.filter((group) => !groups.some((each) => each.id === group));
	const wanted = new Set([...picks.people, ...picked.flatMap(({ members }) => (members ?? []).map(({ value }) => value))]);
	const byDirectory = new Map(people.flatMap((each) => (each.directory === null ? [] : [[each.directory, each]])));
	const byAddress = new Map(people.map((each) => [each.state.email.toLowerCase(), each]));
	const steps: Step[] = [];
	for (const own of wanted) {
		const user = userOf.get(own);
		if (!user) continue;
		const facts = factsOf(user);
		const known = byDirectory.get(own) ?? byAddress.get(facts.email);
		// Who works there no more is not taken over to begin with.
		if (!known && !facts.active) continue;
		const before = known?.state ?? null;
		const after: PersonState = { ...facts, roles: before?.roles ?? [] };
		const changed = before ? differences(before, after) : [];
		const common = { kind: 'person' as const, id: known?.id ?? null, directory: own, before, after, name: after.name };
		if (!before) steps.push({ ...common, what: 'new', words: after.email });
		else if (before.active && !after.active)
			steps.push({ ...common, what: 'left', words: 'is deactivated: the directory says that they left' });
		else if (changed.length > 0) steps.push({ ...common, what: 'changed', words: changed.join(', ') });
		else if (known!.directory === null) steps.push({ ...common, what: 'changed', words: 'is known here by the same address' });
	}
	for (const known of people) {
		if (known.directory === null || !known.state.active || wanted.has(known.directory)) continue;
		const user = userOf.get(known.directory);
		// Of a group that is not there any more nobody can say who was in it.
		if (vanished.length > 0 && user?.active) continue;
		steps.push({
			kind: 'person',
			id: known.id,
			directory: known.directory,
			before: known.state,
			after: { ...known.state, active: false },
			what: 'left',
			name: known.state.name,
			words: user?.active
				? 'is deactivated: neither they nor a group of theirs is picked any more'
				: 'is deactivated: the directory has them no more'
		});
	}
	for (const group of picked) {
		const known =
			ours.find((each) => each.directory === group.id) ??
			ours.find((each) => each.state.name.toLowerCase() === group.displayName.toLowerCase());
		const memberUsers = (group.members ?? []).map(({ value }) => value).filter((value) => userOf.get(value)?.active);
		const there = memberUsers.map(
			(value) => (byDirectory.get(value) ?? byAddress.get(factsOf(userOf.get(value)!).email))?.id ?? `new ${value}`
		);
		const come = there.filter((each) => typeof each === 'string' || !known?.state.members.includes(each)).length;
		const go = known ? known.state.members.filter((each) => !there.includes(each)).length : 0;
		const renamed = known && known.state.name !== group.displayName;
		if (known && known.directory === group.id && come + go === 0 && !renamed) continue;
		const words = [come > 0 ? `${come} in` : '', go > 0 ? `${go} out` : '', renamed ? `was called ${known.state.name}` : '']
			.filter(Boolean)
			.join(', ');
		steps.push({
			kind: 'group',
			what: 'group',
			name: group.displayName,
			words: known ? words || 'is known here by the same name' : `is made, with ${come} people`,
			id: known?.id ?? null,
			directory: group.id,
			before: known?.state ?? null,
			memberUsers
		});
	}
	for (const group of vanished) {
		const known = ours.find((each) => each.directory === group);
		steps.push({
			kind: 'nothing',
			what: 'gone',
			name: known?.state.name ?? group,
			words: 'is not in the directory any more: it and its people stay as they are'
		});
	}
	return steps;
}

function differences(before: PersonState, after: PersonState): string[] {
	return [
		...(before.name === after.name ? [] : [`was called ${before.name}`]),
		...(before.email === after.email ? [] : [`${after.email} instead of ${before.email}`]),
		...(before.title === after.title ? [] : [`${after.title || 'nothing'} instead of ${before.title || 'nothing'}`]),
		...(!before.active && after.active ? ['may sign in again'] : [])
	];
}

async function carryOut(client: pg.PoolClient, writer: SignedIn, steps: readonly Step[]): Promise<void> {
	for (const step of steps) {
		if (step.kind === 'person') {
			const { id: own } = await applyChange(client, writer, NO_MODEL, {
				kind: 'person',
				id: step.id,
				before: step.before,
				after: step.after
			});
			await client.query('UPDATE person SET directory_id = $2, left_at = CASE WHEN active THEN NULL ELSE left_at END WHERE id = $1', [
				own,
				step.directory
			]);
		}
		if (step.kind === 'group') {
			const members = await client.query<{ id: number }>('SELECT id FROM person WHERE directory_id = ANY ($1) ORDER BY id', [
				step.memberUsers
			]);
			const after: GroupState = {
				name: step.name,
				description: step.before?.description ?? 'From the directory',
				members: members.rows.map((row) => row.id),
				roles: step.before?.roles ?? []
			};
			const { id: own } = await applyChange(client, writer, NO_MODEL, { kind: 'group', id: step.id, before: step.before, after });
			await client.query('UPDATE people_group SET directory_id = $2 WHERE id = $1', [own, step.directory]);
		}
	}
}

const told = (steps: readonly Step[]): Synchronised => {
	const counts = { new: 0, changed: 0, left: 0, group: 0, gone: 0 };
	for (const { what } of steps) counts[what]++;
	return { lines: steps.map(({ what, name, words }) => ({ what, name, words })), counts };
};
