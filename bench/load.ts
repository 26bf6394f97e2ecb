// Loading at size: a file of a million rows with maps on six dimensions, stored with its journal, against psql's \copy of
// the same rows, mapped already, into a table with a row per cell and its index; saves of one cell meanwhile; memory.
import { spawnSync } from 'node:child_process';
import { createReadStream, createWriteStream, mkdtempSync, rmSync } from 'node:fs';
import { once } from 'node:events';
import { join } from 'node:path';
import { tmpdir } from 'node:os';
import type pg from 'pg';
import { ValueMap, type MapLine } from '../src/lib/core';
import { askEngine, stopEngines } from '../src/lib/server/engine';
import { enterFigures, openForm, saveDraft } from '../src/lib/server/form';
import { loadFile, stopDataThread } from '../src/lib/server/import';
import type { SignedIn } from '../src/lib/server/session';
import { withDemo } from './application';
import { measure, medianOf, type Measure } from './timing';

const MAPPED = ['account', 'scenario', 'line', 'department', 'route', 'version'];
const RUNS = 3;

/** What loading at size measures. */
export const loadAtSize = (rows = 1_000_000): Promise<Measure[]> =>
	withDemo(async (pool, url) => {
		const folder = mkdtempSync(join(tmpdir(), 'load-'));
		try {
			await pool.query('DELETE FROM access_lock');
			return [...(await timeLoads(pool, url, folder, rows)), manyValues()];
		} finally {
			await stopDataThread();
			rmSync(folder, { recursive: true, force: true });
		}
	});

interface Leaf {
	id: number;
	code: string;
}

async function timeLoads(pool: pg.Pool, url: string, folder: string, rows: number): Promise<Measure[]> {
	const dimensions = await pool.query<{ id: number; code: string }>(
		"SELECT d.id, d.code FROM model_dimension m JOIN dimension d ON d.id = m.dimension_id WHERE m.model_id = 1 AND d.kind <> 'period' ORDER BY m.position"
	);
	const leaves = new Map<string, Leaf[]>();
	for (const { id, code } of dimensions.rows)
		leaves.set(
			code,
			(
				await pool.query<Leaf>(
					`SELECT m.id, m.code FROM member m WHERE m.dimension_id = $1 AND NOT EXISTS (SELECT FROM hierarchy_node n WHERE n.parent_id = m.id)
						AND NOT EXISTS (SELECT FROM formula f WHERE f.account_id = m.id)
						AND NOT EXISTS (SELECT FROM account a WHERE a.member_id = m.id AND a.value_type NOT IN ('money', 'quantity')) ORDER BY m.id`,
					[id]
				)
			).rows
		);
	const person = (
		await pool.query<SignedIn>(
			`SELECT p.id, p.name, p.locale, array_agg(rp.permission) AS permissions FROM person p JOIN person_role pr ON pr.person_id = p.id
		JOIN role_permission rp ON rp.role_id = pr.role_id WHERE p.email LIKE 'maren%' GROUP BY p.id`
		)
	).rows[0]!;
	await makeImport(pool, dimensions.rows, leaves);
	const file = join(folder, 'rows.csv');
	const mapped = join(folder, 'mapped.csv');
	await writeRows(file, mapped, dimensions.rows, leaves, rows);

	// The peer: rows mapped already, into a table with its index.
	const columns = [...dimensions.rows.map(({ code }) => code), 'period'];
	const copy = async () => {
		await pool.query('DROP TABLE IF EXISTS plain');
		await pool.query(
			`CREATE TABLE plain (${columns.map((column) => `${column} integer`).join(', ')}, amount float8, PRIMARY KEY (${columns.join(', ')}))`
		);
		const done = spawnSync('psql', [url, '-qc', `\\copy plain FROM '${mapped}' WITH (FORMAT csv)`], { encoding: 'utf8' });
		if (done.status !== 0) throw new Error(done.stderr);
	};
	const peer = await medianOf(RUNS, copy);

	const clear = async () => {
		await pool.query("DELETE FROM cells_1 WHERE origin_id = (SELECT origin_id FROM import WHERE code = 'bench')");
		await pool.query('VACUUM cells_1');
	};
	const load = async (path = file) => {
		const outcome = await loadFile(person, 1, 'bench', 'rows.csv', createReadStream(path), { again: true });
		if (outcome.rowsLoaded < rows || outcome.rowsRejected > 0) throw new Error(`Loaded ${JSON.stringify(outcome)}.`);
		return outcome;
	};
	// With an engine at work: a load is over when its figures can be seen.
	await askEngine(1, 'ready', { revision: 0 });
	const times: number[] = [];
	for (let run = 0; run <= RUNS; run++) {
		await clear();
		const from = performance.now();
		const { cells } = await load();
		if (run > 0) times.push(performance.now() - from);
		else console.log(`load: ${rows.toLocaleString('en-GB')} rows into ${cells.toLocaleString('en-GB')} cells`);
	}
	const ours = times.sort((a, b) => a - b)[Math.floor(times.length / 2)]!;
	await stopEngines();
	const saves = await savesMeanwhile(pool, person, clear, load);
	const memory = await memoryAt5M(folder, file, clear, load);
	return [
		measure(
			`load ${rows / 1e6}M rows with maps on 6 dimensions, stored with its journal and visible (peer: \\copy of mapped rows, row per cell, index)`,
			ours,
			peer,
			2
		),
		...saves,
		memory
	];
}

async function makeImport(
	pool: pg.Pool,
	dimensions: readonly { id: number; code: string }[],
	leaves: ReadonlyMap<string, Leaf[]>
): Promise<void> {
	const one = async (text: string, values: unknown[]) => (await pool.query<{ id: number }>(text, values)).rows[0]!.id;
	const origin = await one("INSERT INTO origin (model_id, mode, name) VALUES (1, 'loads', 'Bench') RETURNING id", []);
	const source = { delimiter: ';', encoding: 'utf-8', amountColumns: ['amount'], decimal: '.', group: '' };
	const id = await one("INSERT INTO import (model_id, origin_id, code, name, source) VALUES (1, $1, 'bench', 'Bench', $2) RETURNING id", [
		origin,
		JSON.stringify(source)
	]);
	for (const dimension of dimensions) {
		const map = await one('INSERT INTO map (dimension_id, name) VALUES ($1, $2) RETURNING id', [dimension.id, `bench ${dimension.code}`]);
		for (const [index, leaf] of leaves.get(dimension.code)!.entries()) {
			// Half of the lines single, half patterns.
			const [kind, terms] = index % 2 === 0 ? ['single', { value: `x-${leaf.code}` }] : ['pattern', { pattern: `x-${leaf.code}*` }];
			await pool.query('INSERT INTO map_line (map_id, position, member_id, kind, terms) VALUES ($1, $2, $3, $4, $5)', [
				map,
				index,
				leaf.id,
				kind,
				JSON.stringify(terms)
			]);
		}
		await pool.query('INSERT INTO import_rule (import_id, dimension_id, come_from, source_columns, map_id) VALUES ($1, $2, $3, $4, $5)', [
			id,
			dimension.id,
			'column',
			[dimension.code],
			map
		]);
	}
	const period = await one(
		"SELECT d.id FROM model_dimension m JOIN dimension d ON d.id = m.dimension_id WHERE m.model_id = 1 AND d.kind = 'period'",
		[]
	);
	await pool.query(
		"INSERT INTO import_rule (import_id, dimension_id, come_from, source_columns, date_format) VALUES ($1, $2, 'date', ARRAY['date'], 'DD.MM.YYYY')",
		[id, period]
	);
	if (MAPPED.some((code) => !leaves.has(code))) throw new Error(`The demo has other dimensions than ${MAPPED.join(', ')}.`);
}

/** The same rows as a source writes them and mapped: every combination once, months next to each other. */
async function writeRows(
	file: string,
	mapped: string,
	dimensions: readonly { id: number; code: string }[],
	leaves: ReadonlyMap<string, Leaf[]>,
	rows: number
) {
	const [out, plain] = [createWriteStream(file), createWriteStream(mapped)];
	out.write(`${[...dimensions.map(({ code }) => code), 'date', 'text', 'amount'].join(';')}\n`);
	const lists = dimensions.map(({ code }) => leaves.get(code)!);
	const at = lists.map(() => 0);
	for (let row = 0; row < rows;) {
		for (let month = 0; month < 12 && row < rows; month++, row++) {
			const chosen = lists.map((list, axis) => list[at[axis]!]!);
			const amount = ((row * 7919) % 1_000_000) / 100;
			const year = month < 9 ? 2025 : 2026;
			const number = String(((month + 3) % 12) + 1).padStart(2, '0');
			const written = out.write(`${chosen.map(({ code }) => `x-${code}`).join(';')};15.${number}.${year};Posting ${row % 100};${amount}\n`);
			plain.write(`${chosen.map(({ id }) => id).join(',')},${month},${amount}\n`);
			if (!written) await once(out, 'drain');
		}
		for (let axis = 0; axis < at.length && ++at[axis]! === lists[axis]!.length; axis++) at[axis] = 0;
	}
	await Promise.all([out, plain].map((stream) => once(stream.end(), 'finish')));
}

/** Saves of one cell while a million rows load: how long the slowest of twenty takes, and whether all are kept. */
async function savesMeanwhile(
	pool: pg.Pool,
	person: SignedIn,
	clear: () => Promise<void>,
	load: () => Promise<unknown>
): Promise<Measure[]> {
	await clear();
	const members = await pool.query<{ id: number; dimension: number }>(
		"SELECT id, dimension_id AS dimension FROM member WHERE code IN ('R01', 'BK')"
	);
	const choices = { members: Object.fromEntries(members.rows.map(({ id, dimension }) => [dimension, id])), currency: 'local' };
	await askEngine(1, 'ready', { revision: 0 });
	const save = async (value: number): Promise<number> => {
		const { form } = await openForm(person, 1, 'route-contribution', choices);
		const row = form.rows.findIndex(({ label }) => label === 'Coaches');
		const column = form.columns.findIndex(({ label }) => label === 'Apr 2027');
		await enterFigures(person, 1, 'route-contribution', choices, {
			entries: [{ row, column, text: String(value) }],
			structure: form.structure,
			method: 'in proportion'
		});
		const from = performance.now();
		const outcome = await saveDraft(person, 1, 'route-contribution', { keepMine: [], takeTheirs: [] });
		if (outcome.kind !== 'saved') throw new Error(`A save ended as ${outcome.kind}.`);
		return performance.now() - from;
	};
	const alone: number[] = [];
	for (let value = 1; value <= 20; value++) alone.push(await save(value));
	const during: number[] = [];
	let loading = true;
	const loaded = load().finally(() => (loading = false));
	for (let value = 100; loading; value++) during.push(await save(value));
	await loaded;
	const at95 = (times: number[]) => times.sort((a, b) => a - b)[Math.ceil(times.length * 0.95) - 1]!;
	const kept = await pool.query<{ n: number }>(
		"SELECT count(*)::integer AS n FROM change_set WHERE kind = 'save' AND through = 'Route contribution'"
	);
	console.log(
		`saves: ${during.length} during a load, slowest ${Math.max(...during).toFixed(0)} ms, alone at p95 ${at95(alone).toFixed(0)} ms; ${kept.rows[0]!.n} saves in the journal`
	);
	await stopEngines();
	return [measure('save of one cell during that load, p95 (peer: 500 ms)', at95(during), 500, 1)];
}

/** How far memory rises above idle while five times the rows load onto the same cells. */
async function memoryAt5M(
	folder: string,
	file: string,
	clear: () => Promise<void>,
	load: (path: string) => Promise<unknown>
): Promise<Measure> {
	const five = join(folder, 'five.csv');
	const done = spawnSync('sh', ['-c', `head -n 1 '${file}' > '${five}'; for i in 1 2 3 4 5; do tail -n +2 '${file}' >> '${five}'; done`]);
	if (done.status !== 0) throw new Error('The file of five million rows could not be written.');
	await clear();
	globalThis.gc?.();
	const idle = process.memoryUsage().rss;
	let peak = idle;
	const watch = setInterval(() => (peak = Math.max(peak, process.memoryUsage().rss)), 50);
	const from = performance.now();
	await load(five);
	clearInterval(watch);
	console.log(`load of five times the rows: ${((performance.now() - from) / 1000).toFixed(1)} s`);
	return measure('memory above idle while 5× the rows load, MB (peer: 300 MB)', (peak - idle) / 1024 ** 2, 300, 1);
}

/** 100,000 distinct values through a map of 5,000 lines of all kinds. */
function manyValues(): Measure {
	const lines = Array.from({ length: 5_000 }, (_, index): MapLine => {
		const base = { id: index, member: index, skip: false, reverseSign: false };
		switch (index % 5) {
			case 0:
				return { ...base, kind: 'single', value: String(100_000 + index) };
			case 1:
				return { ...base, kind: 'any of', values: [String(200_000 + index), String(300_000 + index)] };
			case 2:
				return { ...base, kind: 'span', from: String(400_000 + index * 20), to: String(400_000 + index * 20 + 19) };
			case 3:
				return { ...base, kind: 'pattern', pattern: `A${index}*` };
			default:
				return {
					...base,
					kind: 'joint',
					conditions: [
						{ column: 'unit', pattern: `U${index}` },
						{ column: 'account', pattern: '9*' }
					]
				};
		}
	});
	const values = Array.from({ length: 100_000 }, (_, index) =>
		index % 3 === 0 ? `A${index % 5_000}${index}` : String(100_000 + index * 4)
	);
	const times = Array.from({ length: 5 }, () => {
		const from = performance.now();
		const map = new ValueMap(lines);
		let found = 0;
		for (const [index, value] of values.entries())
			if (map.match(value, (column) => (column === 'unit' ? `U${index % 7_000}` : value)).kind !== 'none') found++;
		if (found === 0) throw new Error('No value found its member.');
		return performance.now() - from;
	});
	return measure('100,000 distinct values through 5,000 map lines, ms (peer: 1,000 ms)', times.sort((a, b) => a - b)[2]!, 1_000, 1);
}
