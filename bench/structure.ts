// Structure at size: looking at 20,000 pasted members, applying them, and opening a dimension of 100,000.
import type pg from 'pg';
import type { SignedIn } from '../src/lib/server/session';
import { applyRows, memberTable, previewRows, undoStructure, type PastedRows } from '../src/lib/server/structure/members';
import { withDemo } from './application';
import { measure, medianOf, type Measure } from './timing';

/** Aims in milliseconds stand in the peer's place: these are times a person waits. */
export const structureAtSize = (): Promise<Measure[]> => withDemo(wait);

async function wait(pool: pg.Pool): Promise<Measure[]> {
	const person = (
		await pool.query<SignedIn>("SELECT id, name, ARRAY['structure.read', 'structure.write'] AS permissions FROM person LIMIT 1")
	).rows[0]!;
	const rows = (from: number, count: number): PastedRows => ({
		grid: [
			['Code', 'Name', 'Parent'],
			...Array.from({ length: count }, (_, index) => [
				`M${from + index}`,
				`Member ${from + index}`,
				index < 100 ? 'ALLROUTES' : `M${from + (index % 100)}`
			])
		],
		absent: 'keep',
		leaveOutFaulty: false,
		handOver: {}
	});
	let from = 0;
	const preview = await medianOf(7, () => previewRows(person, 1, 'route', rows(0, 20_000)));
	// As people do it: looked at first, then applied; taken back to begin again.
	const applying: number[] = [];
	for (let run = 0; run < 7; run++) {
		await previewRows(person, 1, 'route', rows(0, 20_000));
		applying.push(await timed(() => applyRows(person, 1, 'route', rows(0, 20_000))));
		await undoStructure(person, 1, 'route');
	}
	for (; from < 100_000; from += 20_000) await applyRows(person, 1, 'route', rows(from, 20_000));
	const table = await memberTable(person, 1, 'route');
	if (table.ids.length < 100_000) throw new Error(`Only ${table.ids.length} members are there.`);
	// Read from the database each time: a change of the dimension makes what was kept out of date.
	const open = await medianOf(7, async () => {
		await pool.query("UPDATE dimension SET version = version + 1 WHERE code = 'route'");
		return JSON.parse(JSON.stringify(await memberTable(person, 1, 'route')));
	});
	return [
		measure('preview 20,000 pasted members (peer: 2 s)', preview, 2_000, 1),
		measure('apply 20,000 pasted members (peer: 3 s)', middle(applying), 3_000, 1),
		measure(`read and pack a dimension of ${Math.round(table.ids.length / 1_000)},000 members (peer: 1 s)`, open, 1_000, 1)
	];
}

async function timed(work: () => Promise<unknown>): Promise<number> {
	const from = performance.now();
	await work();
	return performance.now() - from;
}

const middle = (times: number[]): number => times.sort((a, b) => a - b)[Math.floor(times.length / 2)]!;
