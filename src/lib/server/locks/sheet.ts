/** The states of the board as a table: out as a file, in by paste or file, with what it would change shown first. */
import { group } from 'd3-array';
import type pg from 'pg';
import { z } from 'zod';
import { pool, transaction, type Database } from '../database';
import { Fault } from '../fault';
import { requirePermission, type SignedIn } from '../session';
import { driversOf } from './board';
import { changeLocks } from './freeze';
import { keyOf, readRecords, writeLocks, type LockRecord } from './record';
import { boardOf } from './set';

const MOST_ROWS = 20_000;
const HEADINGS = ['State', 'Reason', 'Until', 'Then'] as const;

export const lockSheetSchema = z.object({
	/** Headings first; texts as a spreadsheet has them. */
	grid: z.array(z.array(z.string().max(2_000)).max(20)).max(MOST_ROWS + 1),
	/** False to look at what would change only. */
	bring: z.boolean()
});

export interface LockSheetOutcome {
	set: number;
	cleared: number;
	same: number;
	faults: { row: number; words: string }[];
	change: number | null;
}

interface Driver {
	id: number;
	name: string;
	members: { id: number; code: string; name: string }[];
}

async function readDrivers(database: Database, modelId: number): Promise<Driver[]> {
	const ids = await driversOf(database, modelId);
	const found = await database.query<Driver & { rank: number }>(
		`SELECT d.id, d.name, (SELECT json_agg(json_build_object('id', m.id, 'code', m.code, 'name', m.name)) FROM member m WHERE m.dimension_id = d.id) AS members
		FROM unnest($1::integer[]) WITH ORDINALITY AS x (id, rank) JOIN dimension d ON d.id = x.id ORDER BY x.rank`,
		[ids]
	);
	return found.rows;
}

/** What is set on the board, as a grid in the form that is read again. */
export async function lockGrid(person: SignedIn | undefined, modelId: number): Promise<{ name: string; grid: string[][] }> {
	requirePermission(person, 'access.read');
	const drivers = await readDrivers(pool(), modelId);
	const codes = new Map(drivers.flatMap(({ id: dimension, members }) => members.map(({ id, code }) => [id, { dimension, code }])));
	const locks = (await readRecords(pool(), modelId, 'board')).filter(({ members }) => members.every((id) => codes.has(id)));
	return {
		name: 'Locks',
		grid: [
			[...drivers.map(({ name }) => name), ...HEADINGS],
			...locks.map(({ members, state, reason, turns }) => [
				...drivers.map(({ id }) => members.map((member) => codes.get(member)!).find(({ dimension }) => dimension === id)?.code ?? ''),
				state,
				reason,
				turns?.on ?? '',
				turns?.to ?? ''
			])
		]
	};
}

/**
 * Sets what the rows of a table say: a slice by codes or names, and its state; an empty state clears it. Held by a table
 * keeps the writers it has, and where it has none names who brings it.
 */
export async function bringLocks(
	person: SignedIn | undefined,
	modelId: number,
	{ grid, bring }: z.infer<typeof lockSheetSchema>
): Promise<LockSheetOutcome> {
	const writer = requirePermission(person, 'lock.write');
	return (bring ? changeLocks : lookOnly)(modelId, async (client) => {
		const { comes, goes, ...outcome } = await planOf(client, modelId, writer, grid);
		if (!bring || outcome.faults.length > 0 || outcome.set + outcome.cleared === 0) return { ...outcome, change: null };
		const words = `A table of ${outcome.set + outcome.cleared} states`;
		return { ...outcome, change: await writeLocks(client, modelId, { layer: 'board', person: writer.id, words, reason: '', goes, comes }) };
	});
}

const lookOnly = <Result>(_: number, work: (client: pg.PoolClient) => Promise<Result>): Promise<Result> => transaction(work);

async function planOf(client: pg.PoolClient, modelId: number, writer: SignedIn, grid: readonly string[][]) {
	const drivers = await readDrivers(client, modelId);
	const board = await boardOf(client, modelId);
	const plain = (text: string | undefined) => (text ?? '').trim().toLowerCase();
	const [head = [], ...rows] = grid;
	const columnOf = (name: string) => head.findIndex((each) => plain(each) === plain(name));
	const stateAt = columnOf('State');
	if (stateAt < 0 || drivers.every(({ name }) => columnOf(name) < 0))
		throw new Fault(
			422,
			'no headings',
			`The first row names the columns: ${[...drivers.map(({ name }) => name), ...HEADINGS].join(', ')}.`
		);
	const known = drivers.map(({ name, members }) => ({
		name,
		at: columnOf(name),
		byCode: new Map(members.map(({ id, code }) => [plain(code), id])),
		byName: group(members, (member) => plain(member.name))
	}));
	const standing = new Map((await readRecords(client, modelId, 'board')).map((lock) => [keyOf(lock.members), lock]));
	const outcome = {
		set: 0,
		cleared: 0,
		same: 0,
		faults: [] as LockSheetOutcome['faults'],
		comes: [] as LockRecord[],
		goes: [] as number[]
	};
	const met = new Set<string>();
	rows.forEach((row, index) => {
		if (row.every((text) => text.trim() === '')) return;
		const fault = (words: string) => void outcome.faults.push({ row: index + 2, words });
		const members: number[] = [];
		for (const { name, at, byCode, byName } of known) {
			const text = plain(row[at]);
			if (text === '') continue;
			const named = byName.get(text) ?? [];
			const member = byCode.get(text) ?? (named.length === 1 ? named[0]!.id : undefined);
			if (member === undefined)
				return fault(`${name}: ${row[at]} is ${named.length > 1 ? 'the name of several members; give its code' : 'no member'}.`);
			members.push(member);
		}
		const state = plain(row[stateAt]);
		const [reason, on, to] = [row[columnOf('Reason')] ?? '', (row[columnOf('Until')] ?? '').trim(), plain(row[columnOf('Then')])];
		if (members.length === 0) return fault('It names no member.');
		if (state !== '' && !isState(state)) return fault(`“${row[stateAt]}” is no state: open, held or closed.`);
		if ((on === '') !== (to === '') || (to !== '' && (!isState(to) || !/^\d{4}-\d\d-\d\d$/.test(on))))
			return fault('Until is a day such as 2026-12-14, and Then the state from that day on.');
		members.sort((one, other) => one - other);
		const key = keyOf(members);
		if (met.has(key)) return fault('Another row says something of the same slice.');
		met.add(key);
		const now = standing.get(key);
		if (state === '') {
			if (now) {
				outcome.cleared++;
				outcome.goes.push(now.id);
			} else outcome.same++;
			return;
		}
		const turns = isState(to) ? { on, to } : null;
		if (now && now.state === state && now.reason === reason.trim() && now.turns?.on === turns?.on && now.turns?.to === turns?.to) {
			outcome.same++;
			return;
		}
		outcome.set++;
		if (now) outcome.goes.push(now.id);
		const named = now && now.writers.length > 0 ? now.writers : [{ person: writer.id }];
		outcome.comes.push({
			members,
			state: state as LockRecord['state'],
			name: board.nameOf(members),
			reason: reason.trim().slice(0, 500),
			turns,
			writers: state === 'held' ? named : [],
			setBy: writer.id,
			setAt: new Date().toISOString()
		});
	});
	return outcome;
}

const isState = (text: string): text is LockRecord['state'] => text === 'open' || text === 'held' || text === 'closed';
