import { readFileSync } from 'node:fs';
import pg from 'pg';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { Cube, Model } from '../../src/lib/core';
import { closePool, transaction } from '../../src/lib/server/database';
import { readAllSeries } from '../../src/lib/server/database/cells';
import { addressDimensions, readModelDefinition } from '../../src/lib/server/database/definitions';
import { stopEngines } from '../../src/lib/server/engine';
import { isDatabaseAway } from '../../src/lib/server/database';
import { modelVersions } from '../../src/lib/server/database/structure-version';
import { changesOf } from '../../src/lib/server/engine/journal';
import {
	checkImport,
	compareBatches,
	editImport,
	keepFile,
	listImports,
	loadFile,
	previewTakeBack,
	readBatch,
	readImport,
	reloadRejects,
	rowOfBatch,
	rowsOfCell,
	startTakeBack,
	stopDataThread,
	tryValue,
	waitForLoad
} from '../../src/lib/server/import';
import { actSchema } from '../../src/lib/server/import/edit';
import type { SignedIn } from '../../src/lib/server/session';
import { expectJournalHolds, followModel, freshDatabase } from './demo-database';

let database: Awaited<ReturnType<typeof freshDatabase>>;
const maren = {
	id: 1,
	name: 'Maren Kvist',
	permissions: ['data.read', 'data.load', 'data.write', 'structure.write']
} as unknown as SignedIn;
const HEAD = 'Account;Unit;Route;Posting date;Text;Amount\n';
const LEDGER = () => readFileSync('demo/files/ledger-2026-09.csv', 'utf8');

let expectFollowed: () => Promise<void>;

beforeAll(async () => {
	database = await freshDatabase('loading', { demo: true });
	process.env.DATABASE_URL = database.url;
	expectFollowed = await followModel(database.url);
});
afterAll(async () => {
	await stopEngines();
	await stopDataThread();
	await closePool();
	await database.close();
});

async function* bytes(content: string | Uint8Array) {
	yield typeof content === 'string' ? new TextEncoder().encode(content) : content;
}
const keep = (content: string, code = 'ledger', name = 'test.csv') => keepFile(maren, 1, code, name, bytes(content));
type Choices = Parameters<typeof loadFile>[5];
const load = (content: string, choices: Choices = {}, code = 'ledger') =>
	loadFile(maren, 1, code, 'test.csv', bytes(content), { rejects: 'load good rows', again: true, ...choices });
const stored = async (account: string, month = 6) =>
	(
		await database.pool.query<{ total: number | null }>(
			"SELECT sum(amount) AS total FROM report_cells_1 WHERE scenario = 'ACT' AND fiscal_year = 2027 AND period_of_year = $2 AND account = $1",
			[account, month]
		)
	).rows[0]!.total;
const row = (account: string, amount: string, { unit = 'S-BK', route = 'RT-01', date = '02.09.2026', text = 'x' } = {}) =>
	`${account};${unit};${route};${date};${text};${amount}\n`;

describe('loading', () => {
	test('stops when a row is rejected, and writes nothing', async () => {
		const revision = (await modelVersions(database.pool, 1)).revision;
		const outcome = await load(LEDGER(), { rejects: 'stop' });
		expect(outcome).toMatchObject({ state: 'stopped', rowsRead: 2_215, rowsLoaded: 2_209, rowsRejected: 6, cells: 0 });
		expect((await modelVersions(database.pool, 1)).revision).toBe(revision);
		expect((await readBatch(maren, 1, outcome.batch)).reasons[0]).toMatchObject({ message: 'Account: no member for “5305”.', rows: 3 });
	});

	test('loads the good rows when told to: counts, control totals, reasons with their lines, revenue turned', async () => {
		const outcome = await load(LEDGER());
		expect(outcome).toMatchObject({ state: 'loaded', rowsRead: 2_215, rowsLoaded: 2_209, rowsRejected: 6 });
		const { batch, reasons, rejects } = await readBatch(maren, 1, outcome.batch);
		expect(batch.amountLoaded + batch.amountRejected).toBeCloseTo(batch.amountRead, 4);
		expect(batch.extent).toBe('Actual, Sep 2026');
		expect(reasons[0]).toMatchObject({ message: 'Account: no member for “5305”.', rows: 3, lines: [41, 252, 463] });
		expect(Object.keys(rejects[0]!.values)).toEqual(['Account', 'Unit', 'Route', 'Posting date', 'Text', 'Amount']);
		expect(await stored('4010')).toBeGreaterThan(0);
	});

	test('warns of the same file, and loading it again writes nothing', async () => {
		const revision = (await modelVersions(database.pool, 1)).revision;
		await expect(load(LEDGER(), { again: false })).rejects.toMatchObject({ code: 'loaded before' });
		expect(await load(LEDGER())).toMatchObject({ cells: 0 });
		expect((await modelVersions(database.pool, 1)).revision).toBe(revision);
	});

	test('a corrected file takes back what the first had and it has not; rows of one cell are summed', async () => {
		await load(HEAD + row('7010', '100.50-') + row('7010', '0.25-', { date: '28.09.2026' }));
		expect(await stored('4010')).toBe(100.75);
		expect(await stored('6100')).toBeNull();
	});

	test('adds on top when told to', async () => {
		await load(HEAD + row('7010', '10-'), { way: 'add' });
		expect(await stored('4010')).toBe(110.75);
	});

	test('replaces only what its extent names', async () => {
		const entity = (await readImport(maren, 1, 'ledger')).rules.find(({ kind }) => kind === 'entity')!.dimension;
		await load(HEAD + row('7010', '100-') + row('7010', '50-', { unit: 'N-BK' }));
		await editImport(maren, 1, 'ledger', { act: 'source', source: { extent: [entity] } });
		expect(await load(HEAD + row('7010', '70-', { unit: 'N-BK' }))).toMatchObject({ extent: 'Actual, Sep 2026, Northgate Line' });
		expect(await stored('4010')).toBe(170);
		await editImport(maren, 1, 'ledger', { act: 'source', source: { extent: [] } });
	});

	test('touches no other import, no other month and no entry', async () => {
		const counts = () =>
			database.pool.query(
				"SELECT origin, fiscal_year, count(*)::integer AS n FROM report_cells_1 WHERE NOT (scenario = 'ACT' AND fiscal_year = 2027) OR origin <> 'Ledger, monthly' GROUP BY 1, 2 ORDER BY 1, 2"
			);
		const before = (await counts()).rows;
		const august = await stored('4010', 5);
		await load(LEDGER());
		expect((await counts()).rows).toEqual(before);
		expect(await stored('4010', 5)).toBe(august);
	});

	test('rejects rows of a closed month with the lock’s name', async () => {
		const outcome = await load(HEAD + row('7010', '5', { date: '02.08.2026' }) + row('7010', '5-'));
		expect(outcome).toMatchObject({ rowsLoaded: 1, rowsRejected: 1 });
		expect((await readBatch(maren, 1, outcome.batch)).reasons[0]!.message).toMatch(/^Actual to August 2026 is closed by Osric Hale since/);
	});

	test('rejects rows outside the loader’s grants', async () => {
		const tove = {
			...maren,
			id: (await database.pool.query<{ id: number }>("SELECT id FROM person WHERE email LIKE 'tove%'")).rows[0]!.id
		};
		const outcome = await loadFile(tove, 1, 'ledger', 'own.csv', bytes(HEAD + row('7010', '1-', { unit: 'N-BK' }) + row('7010', '5-')), {
			rejects: 'load good rows'
		});
		expect(outcome).toMatchObject({ rowsLoaded: 1, rowsRejected: 1 });
		expect((await readBatch(maren, 1, outcome.batch)).reasons[0]!.message).toBe('Your grant is for Skerry Line.');
	});

	test('of rows that are all rejected writes no figures and keeps the rejects', async () => {
		const revision = (await modelVersions(database.pool, 1)).revision;
		// Done is what has taken something: nobody is told that all is well, and nothing that stood is emptied.
		await expect(load(`${HEAD}9999;S-BK;RT-01;02.09.2026;tab\tand \\ backslash;1\n`)).rejects.toThrow(
			'Nothing was taken: of one row 0 were left out by the maps, 1 rejected.'
		);
		expect((await modelVersions(database.pool, 1)).revision).toBe(revision);
		const { lastBatch } = (await listImports(maren, 1)).find(({ code }) => code === 'ledger')!;
		expect((await readBatch(maren, 1, lastBatch!.id)).rejects[0]!.values.Text).toBe('tab\tand \\ backslash');
	});

	test.each([
		['without rows', HEAD, 'headings but no rows'],
		['without a column', 'Account;Amount\n1;2\n', 'The file has no column “Posting date”, “Unit”, “Route”.']
	])('%s says so, and writes nothing', async (_, content, message) => {
		const revision = (await modelVersions(database.pool, 1)).revision;
		await expect(load(content)).rejects.toThrow(message);
		expect((await modelVersions(database.pool, 1)).revision).toBe(revision);
		expect((await listImports(maren, 1)).find(({ code }) => code === 'ledger')!.lastBatch).toMatchObject({ state: 'failed' });
	});

	test('is for those who may', async () => {
		const planner = { ...maren, permissions: ['form.read'] } as SignedIn;
		await expect(loadFile(planner, 1, 'ledger', 'x', bytes('a'))).rejects.toMatchObject({ status: 403 });
		await expect(listImports(planner, 1)).rejects.toMatchObject({ status: 403 });
		await expect(load('a', {}, 'no-such-import')).rejects.toMatchObject({ status: 404 });
	});

	test('two loads of the same month at once end as one of them, not as both', async () => {
		await Promise.all([load(HEAD + row('7010', '100-')), load(HEAD + row('7010', '200-'))]);
		expect([100, 200]).toContain(await stored('4010'));
	});

	test('a connection that drops leaves no file and no batch', async () => {
		const batches = await database.pool.query('SELECT count(*) FROM batch');
		async function* dropping() {
			yield new TextEncoder().encode(HEAD);
			throw Object.assign(new Error('aborted'), { code: 'ECONNRESET' });
		}
		await expect(keepFile(maren, 1, 'ledger', 'half.csv', dropping())).rejects.toMatchObject({ code: 'broken off' });
		expect((await database.pool.query('SELECT count(*) FROM batch')).rows).toEqual(batches.rows);
		expect((await database.pool.query("SELECT FROM source_file WHERE name = 'half.csv'")).rowCount).toBe(0);
	});

	test('the database that breaks off while a file comes in is not the sender’s connection', async () => {
		/** Holds back the part that is stored next until its connection waits for that, and ends this connection. */
		async function cutNextPart(holder: pg.PoolClient) {
			let cut = 0;
			while (cut === 0) {
				const ended = await database.pool.query(
					`SELECT pg_terminate_backend(pid) FROM pg_stat_activity
					WHERE datname = current_database() AND wait_event_type = 'Lock' AND query LIKE 'INSERT INTO source_file_part%'`
				);
				cut = ended.rowCount ?? 0;
			}
			await holder.query('COMMIT');
		}
		async function* slow() {
			yield new TextEncoder().encode(HEAD);
			const holder = await database.pool.connect();
			try {
				await holder.query('BEGIN');
				await holder.query('LOCK TABLE source_file_part IN EXCLUSIVE MODE');
				const cut = cutNextPart(holder);
				// Longer than two parts: the second cannot be stored before the first is.
				yield new TextEncoder().encode(row('7010', '1-').repeat(120_000));
				await cut;
			} finally {
				holder.release();
			}
		}
		const failed = await keepFile(maren, 1, 'ledger', 'cut.csv', slow()).then(
			() => undefined,
			(error: unknown) => error
		);
		expect(failed).toBeInstanceOf(Error);
		expect(failed).not.toMatchObject({ code: 'broken off' });
		expect(isDatabaseAway(failed)).toBe(true);
	});
});

describe('a batch', () => {
	test('is repaired: the rejects alone are loaded once their value has a member, and once only', async () => {
		const first = await load(
			HEAD + row('7010', '100-') + row('5305', '40') + row('5305', '2', { date: '09.09.2026' }) + row('7010', 'abc')
		);
		expect(first).toMatchObject({ rowsRejected: 3 });
		const account = (await readImport(maren, 1, 'ledger')).rules.find(({ kind }) => kind === 'account')!;
		const fuel = (
			await database.pool.query<{ id: number }>("SELECT m.id FROM member m JOIN account a ON a.member_id = m.id WHERE m.code = '6100'")
		).rows[0]!.id;
		await editImport(maren, 1, 'ledger', {
			act: 'add lines',
			map: account.map!.id,
			before: null,
			lines: [{ terms: { kind: 'single', value: '5305' }, member: fuel, skip: false, reverseSign: false }]
		});
		const again = await reloadRejects(maren, 1, first.batch);
		expect(await waitForLoad(again.job)).toMatchObject({ rowsRead: 3, rowsLoaded: 2, rowsRejected: 1 });
		expect(await stored('6100')).toBe(42);
		expect(await stored('4010')).toBe(100);
		await expect(reloadRejects(maren, 1, first.batch)).rejects.toThrow(`Batch ${again.batch} has loaded these rows already.`);
	});

	test('is put right: amounts and dates for all rows that say the same or for one line, kept with the batch', async () => {
		const first = await load(
			HEAD +
				row('7010', '100-') +
				row('7010', 'abc') +
				row('7010', 'abc') +
				row('7010', '5-', { date: '9th of Sept' }) +
				row('7010', 'n/a') +
				row('7010', 'n/a')
		);
		expect(first).toMatchObject({ rowsRejected: 5 });
		const { rejects } = await readBatch(maren, 1, first.batch);
		const date = rejects.find(({ code }) => code === 'not a date')!;
		const na = rejects.filter(({ value }) => value === 'n/a');
		const amount = na[0]!.column;
		const again = await reloadRejects(maren, 1, first.batch, [
			{ line: null, column: amount, value: 'abc', becomes: '20-' },
			{ line: na[0]!.line, column: amount, value: 'n/a', becomes: '3-' },
			{ line: date.line, column: date.column, value: date.value, becomes: '09.09.2026' }
		]);
		expect(await waitForLoad(again.job)).toMatchObject({ rowsRead: 5, rowsLoaded: 4, rowsRejected: 1 });
		expect(await stored('4010')).toBe(148);
		expect((await readBatch(maren, 1, again.batch)).corrections).toHaveLength(3);
	});
	test('that rejects stopped comes whole with what was put right', async () => {
		const first = await load(HEAD + row('7010', '70-') + row('7010', 'abc'), { rejects: 'stop' });
		expect(first.state).toBe('stopped');
		await expect(reloadRejects(maren, 1, first.batch)).rejects.toThrow('This batch loaded nothing');
		const { rejects } = await readBatch(maren, 1, first.batch);
		const again = await reloadRejects(maren, 1, first.batch, [{ line: null, column: rejects[0]!.column, value: 'abc', becomes: '7-' }]);
		expect(await waitForLoad(again.job)).toMatchObject({ state: 'loaded', rowsLoaded: 2, rowsRejected: 0 });
		expect(await stored('4010')).toBe(77);
	});

	test('whose extent another load has replaced keeps its rejects to itself', async () => {
		const first = await load(HEAD + row('7010', '100-') + row('9998', '40'));
		const second = await load(HEAD + row('7010', '120-'));
		await expect(reloadRejects(maren, 1, first.batch)).rejects.toThrow(`Batch ${second.batch} has replaced what this batch loaded.`);
	});

	test('leads from a row to its cell and from a cell to its rows', async () => {
		const { batch } = await load(
			HEAD +
				row('7010', '100-') +
				row('9999', '1') +
				row('7010', '20-', { date: '28.09.2026', text: '"two\nlines"' }) +
				row('7010', '3-', { unit: 'N-BK' })
		);
		const found = await rowOfBatch(maren, 1, batch, 4);
		expect(found).toMatchObject({ values: ['7010', 'S-BK', 'RT-01', '28.09.2026', 'two\nlines', '20-'], rejected: null });
		expect(found.cells[0]).toMatchObject({ amount: 20 });
		expect(found.cells[0]!.words).toContain('Skerry Line');
		expect(await rowOfBatch(maren, 1, batch, 6)).toMatchObject({ values: ['7010', 'N-BK', 'RT-01', '02.09.2026', 'x', '3-'] });
		expect(await rowOfBatch(maren, 1, batch, 3)).toMatchObject({ cells: [], rejected: 'Account: no member for “9999”.' });
		await expect(rowOfBatch(maren, 1, batch, 5)).rejects.toMatchObject({ status: 404 });
		const { members, period } = found.cells[0]!;
		expect((await rowsOfCell(maren, 1, { members, period }))[0]).toMatchObject({
			batch,
			count: 2,
			total: 120,
			rows: [{ line: 2 }, { line: 4 }]
		});
	});

	test('is taken back alone, as far as it still holds', async () => {
		await load(HEAD + row('7010', '1-'));
		const older = await load(HEAD + row('7010', '100-') + row('7010', '5-', { unit: 'N-BK' }));
		const newer = await load(HEAD + row('7010', '300-') + row('7010', '5-', { unit: 'N-BK' }));
		expect(await previewTakeBack(maren, 1, older.batch)).toEqual({ cells: 2, holds: 1, later: [newer.batch] });
		await startTakeBack(maren, 1, older.batch, false);
		expect(await stored('4010')).toBe(300);
		await expect(startTakeBack(maren, 1, older.batch, false)).rejects.toMatchObject({ code: 'taken back' });
	});

	test('is taken back with the later ones, down to what was before', async () => {
		await load(HEAD + row('7010', '7-'));
		const older = await load(HEAD + row('7010', '100-') + row('7010', '5-', { unit: 'N-BK' }));
		await load(HEAD + row('7010', '300-'), { way: 'add' });
		expect(await stored('4010')).toBe(405);
		await startTakeBack(maren, 1, older.batch, true);
		expect(await stored('4010')).toBe(7);
		expect((await readBatch(maren, 1, older.batch)).batch).toMatchObject({ state: 'taken back', takenBackBy: 'Maren Kvist' });
	});

	test('is compared with another cell by cell', async () => {
		const one = await load(HEAD + row('7010', '100-') + row('7010', '5-', { unit: 'N-BK' }));
		const other = await load(HEAD + row('7010', '130-') + row('7010', '9-', { unit: 'A-BK' }));
		const difference = await compareBatches(maren, 1, one.batch, other.batch);
		expect(difference).toMatchObject({ onlyFirst: 1, onlySecond: 1, different: 1, same: 0, totals: { first: 105, second: 139 } });
		expect(difference.largest[0]).toMatchObject({ first: 100, second: 130 });
	});
});

describe('amounts run up to date', () => {
	test('become each month’s own, and a balance that leaves the file is taken out', async () => {
		await editImport(maren, 1, 'ticketing', { act: 'source', source: { amounts: 'to date' } });
		const file = (...rows: string[]) => `month,line,route,measure,count\n${rows.join('\n')}\n`;
		const account = (
			await database.pool.query<{ code: string }>(
				"SELECT m.code FROM map_line l JOIN member m ON m.id = l.member_id WHERE l.terms ->> 'value' = 'departures'"
			)
		).rows[0]!.code;
		const august = await stored(account, 5);
		const before = await database.pool.query<{ total: number }>(
			"SELECT sum(amount) AS total FROM report_cells_1 WHERE scenario = 'ACT' AND fiscal_year = 2027 AND account = $1 AND route = 'R01' AND line = 'SKE' AND period_of_year < 6",
			[account]
		);
		const toDate = (before.rows[0]!.total ?? 0) + 33;
		await load(file(`202609,SKE,R01,departures,${toDate}`), {}, 'ticketing');
		const own = await database.pool.query<{ total: number }>(
			"SELECT sum(amount) AS total FROM report_cells_1 WHERE scenario = 'ACT' AND fiscal_year = 2027 AND account = $1 AND route = 'R01' AND line = 'SKE' AND period_of_year = 6",
			[account]
		);
		expect(own.rows[0]!.total).toBeCloseTo(33, 6);
		expect(await stored(account, 5)).toBe(august);
		await expect(load(file(`202609,SKE,R01,departures,1`), { way: 'add' }, 'ticketing')).rejects.toThrow('cannot be added');
		await editImport(maren, 1, 'ticketing', { act: 'source', source: { amounts: 'movement' } });
	});
});

test('a check writes nothing and tells what each row becomes, what has no member, and what looks like it', async () => {
	const file = await keep(HEAD + row('7010', '100-') + row('5112', '1') + row('5112', '2') + row('7010', '1', { date: '31.09.2026' }));
	const revision = (await modelVersions(database.pool, 1)).revision;
	const check = await checkImport(maren, 1, 'ledger', { file: file.id, chosen: {}, allRows: false });
	expect(check.rows).toEqual({ read: 4, loaded: 1, skipped: 0, rejected: 3 });
	expect(check.sample[0]).toMatchObject({ outcome: 'loaded', amount: 100 });
	const account = check.dimensions.find(({ unmappedRows }) => unmappedRows > 0)!;
	expect(account.unmapped).toMatchObject([{ value: '5112', rows: 2, amount: 3 }]);
	expect(account.unmapped[0]!.suggestions.length).toBeGreaterThan(0);
	expect(check.reasons).toMatchObject([{ message: expect.stringContaining('is not a date written DD.MM.YYYY'), rows: 1 }]);
	expect(check.extent.words).toBe('Actual, Sep 2026');
	expect((await modelVersions(database.pool, 1)).revision).toBe(revision);
});

test('what an import does not say yet is said by its check; a changed setting leaves the others as they are', async () => {
	// As a request is understood: settings that are not named say nothing.
	expect(actSchema.parse({ act: 'source', source: { way: 'add' } })).toEqual({ act: 'source', source: { way: 'add' } });
	const { source } = await readImport(maren, 1, 'ledger');
	const edit = (changes: object) => editImport(maren, 1, 'ledger', actSchema.parse({ act: 'source', source: changes }));
	await edit({ amountColumns: [] });
	const file = await keep(HEAD + row('7010', '100-'));
	expect((await checkImport(maren, 1, 'ledger', { file: file.id, chosen: {}, allRows: false })).missing).toEqual([
		'Say first which column holds the amounts.'
	]);
	await edit({ amountColumns: source.amountColumns });
	expect((await readImport(maren, 1, 'ledger')).source).toEqual(source);
	expect((await checkImport(maren, 1, 'ledger', { file: file.id, chosen: {}, allRows: false })).missing).toEqual([]);
});

test('a line whose condition is half filled in is not saved', async () => {
	const { rules } = await readImport(maren, 1, 'ledger');
	const { map, lines } = rules.find(({ name }) => name === 'Account')!;
	const before = lines.length;
	await expect(
		editImport(maren, 1, 'ledger', {
			act: 'add lines',
			map: map!.id,
			before: null,
			lines: [
				{
					terms: {
						kind: 'joint',
						conditions: [
							{ column: 'Account', pattern: '7*' },
							{ column: 'Text', pattern: ' ' }
						]
					},
					member: null,
					skip: true,
					reverseSign: false
				}
			]
		})
	).rejects.toThrow('A condition of this line has no value yet.');
	expect((await readImport(maren, 1, 'ledger')).rules.find(({ name }) => name === 'Account')!.lines).toHaveLength(before);
});

test('a pattern passes on the part of a code that its * stands for', async () => {
	const accountOf = async () => (await readImport(maren, 1, 'ledger')).rules.find(({ name }) => name === 'Account')!;
	const { map, lines, dimension } = await accountOf();
	const file = await keep(HEAD + row('SHOP-4010', '100-') + row('SHOP-9999', '100-'));
	const check = () => checkImport(maren, 1, 'ledger', { file: file.id, chosen: {}, allRows: false });
	expect((await check()).rows).toMatchObject({ loaded: 0, rejected: 2 });
	await editImport(maren, 1, 'ledger', {
		act: 'add lines',
		map: map!.id,
		before: lines[0]!.id,
		lines: [{ terms: { kind: 'pattern', pattern: 'SHOP-*' }, member: null, skip: false, reverseSign: false }]
	});
	expect((await check()).rows).toMatchObject({ loaded: 1, rejected: 1 });
	const line = (await accountOf()).lines[0]!;
	expect(line.member).toBe('the member of that code, or of what * stands for');
	expect((await tryValue(maren, 1, 'ledger', { dimension, value: 'SHOP-4010', row: {} })).lines[0]).toBe(line.id);
	await editImport(maren, 1, 'ledger', { act: 'remove lines', lines: [line.id] });
});

test('an import tells in words how rows become figures', async () => {
	const { rules } = await readImport(maren, 1, 'ledger');
	expect(rules.find(({ name }) => name === 'Period')).toMatchObject({ words: 'by the date in Posting date, written DD.MM.YYYY' });
	expect(rules.find(({ name }) => name === 'Account')!.lines).toContainEqual(
		expect.objectContaining({ kind: 'span', terms: '5100 … 5109', member: 'Basic pay' })
	);
});

test('the journal, replayed from nothing, gives the same cube as the stored cells', async () => {
	const definition = (await readModelDefinition(database.pool, 1))!;
	const model = new Model(definition);
	const ids = await addressDimensions(database.pool, 1);
	const ordinals = (members: ArrayLike<number>) =>
		Int32Array.from(model.dimensions, (dimension, axis) => dimension.ordinal(members[axis]!)!);
	const opened = new Cube(model);
	await transaction(
		(client) =>
			readAllSeries(client, 1, ids, ({ members, year, origin, amounts }) => opened.writeSeries(origin, ordinals(members), year, amounts)),
		database.pool as pg.Pool
	);
	const replayed = new Cube(model);
	const latest = (await modelVersions(database.pool, 1)).revision;
	for (let revision = 1; revision <= latest; revision++)
		for (const change of await changesOf(database.pool, 1, revision)) {
			if (change.kind === 'series') replayed.writeSeries(change.origin, ordinals(change.address), change.year, change.amounts);
			else {
				const period = model.periods.leaf(model.periods.range(model.periods.dimension.ordinal(change.period)!).from);
				replayed.writeCell(change.origin, ordinals(change.address), period.fiscalYear, period.position, change.value);
			}
		}
	expect(replayed.cells).toBe(opened.cells);
	const address = new Int32Array(ids.length);
	let different = 0;
	for (const { year, block } of opened.store.blocks())
		for (let series = 0; series < block.count; series++)
			for (let position = 0; position < block.width; position++) {
				const value = block.values[series * block.width + position]!;
				if (!Object.is(value, replayed.read(block.readAddress(series, address), year, position))) different++;
			}
	expect(different).toBe(0);
});

test('what is stored at the end of all this is what the journal says', async () => {
	await expectJournalHolds(database.pool);
});

describe('after all of it', () => {
	test('an engine that followed holds what one opened now reads', async () => {
		await expectFollowed();
	});
});
