import { readFileSync } from 'node:fs';
import pg from 'pg';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { Cube, Model } from '../../src/lib/core';
import { closePool, transaction } from '../../src/lib/server/database';
import { readAllSeries } from '../../src/lib/server/database/cells';
import { addressDimensions, readModelDefinition } from '../../src/lib/server/database/definitions';
import { stopEngines } from '../../src/lib/server/engine';
import { changesOf, latestRevision } from '../../src/lib/server/engine/journal';
import { listImports, loadFile, readBatch, readImport } from '../../src/lib/server/import';
import type { SignedIn } from '../../src/lib/server/session';
import { freshDatabase } from './demo-database';

let database: Awaited<ReturnType<typeof freshDatabase>>;
const maren = { id: 1, name: 'Maren Kvist', permissions: ['data.read', 'data.load'] } as unknown as SignedIn;
const HEAD = 'Account;Unit;Route;Posting date;Text;Amount\n';

beforeAll(async () => {
	database = await freshDatabase('loading', { demo: true });
	process.env.DATABASE_URL = database.url;
});
afterAll(async () => {
	await stopEngines();
	await closePool();
	await database.close();
});

const load = (content: string, code = 'ledger') => loadFile(maren, 1, code, 'test.csv', new Blob([content]).stream());
const stored = async (account: string) =>
	(
		await database.pool.query<{ total: number | null }>(
			"SELECT sum(amount) AS total FROM report_cells_1 WHERE scenario = 'ACT' AND fiscal_year = 2027 AND period_of_year = 6 AND account = $1",
			[account]
		)
	).rows[0]!.total;

describe('loading', () => {
	test('the demo’s ledger: counts, control totals, rejects with their lines, revenue turned', async () => {
		const outcome = await load(readFileSync('demo/files/ledger-2026-09.csv', 'utf8'));
		expect(outcome).toMatchObject({ rowsRead: 2_215, rowsLoaded: 2_209, rowsRejected: 6 });
		const { batch, reasons, rejects } = await readBatch(maren, 1, outcome.batch);
		expect(batch.amountLoaded + batch.amountRejected).toBeCloseTo(batch.amountRead, 4);
		expect(batch.extent).toBe('Actual, Sep 2026');
		expect(reasons[0]).toEqual({ message: 'Account: no member for “5305”.', rows: 3, lines: [41, 252, 463] });
		expect(Object.keys(rejects[0]!.values)).toEqual(['Account', 'Unit', 'Route', 'Posting date', 'Text', 'Amount']);
		expect(await stored('4010')).toBeGreaterThan(0);
	});

	test('again writes nothing; a corrected file takes back what the first had and it has not; sums rows of one cell', async () => {
		const revision = await latestRevision(database.pool, 1);
		expect(await load(readFileSync('demo/files/ledger-2026-09.csv', 'utf8'))).toMatchObject({ cells: 0 });
		expect(await latestRevision(database.pool, 1)).toBe(revision);
		await load(`${HEAD}7010;S-BK;RT-01;02.09.2026;a;100.50-\n7010;S-BK;RT-01;28.09.2026;b;0.25-\n`);
		expect(await stored('4010')).toBe(100.75);
		expect(await stored('6100')).toBeNull();
	});

	test('touches no other import, no other month and no entry', async () => {
		const counts = () =>
			database.pool.query(
				"SELECT origin, fiscal_year, count(*)::integer AS n FROM report_cells_1 WHERE NOT (scenario = 'ACT' AND fiscal_year = 2027) OR origin <> 'Ledger, monthly' GROUP BY 1, 2 ORDER BY 1, 2"
			);
		const before = (await counts()).rows;
		const august = await database.pool.query(
			"SELECT sum(amount) AS total FROM report_cells_1 WHERE scenario = 'ACT' AND fiscal_year = 2027 AND period_of_year = 5"
		);
		await load(readFileSync('demo/files/ledger-2026-09.csv', 'utf8'));
		expect((await counts()).rows).toEqual(before);
		expect(
			(
				await database.pool.query(
					"SELECT sum(amount) AS total FROM report_cells_1 WHERE scenario = 'ACT' AND fiscal_year = 2027 AND period_of_year = 5"
				)
			).rows
		).toEqual(august.rows);
	});

	test('of rows that are all rejected writes no figures and keeps the rejects', async () => {
		const revision = await latestRevision(database.pool, 1);
		const outcome = await load(`${HEAD}9999;S-BK;RT-01;02.09.2026;tab\tand \\ backslash;1\n`);
		expect(outcome).toMatchObject({ rowsLoaded: 0, rowsRejected: 1 });
		expect(await latestRevision(database.pool, 1)).toBe(revision);
		expect((await readBatch(maren, 1, outcome.batch)).rejects[0]!.values.Text).toBe('tab\tand \\ backslash');
	});

	test.each([
		['into a closed month', `${HEAD}7010;S-BK;RT-01;02.08.2026;late;5\n`, 'Actual to August 2026 is closed'],
		['without rows', HEAD, 'headings but no rows'],
		['without a column', 'Account;Amount\n1;2\n', 'The file has no column “Posting date”, “Unit”, “Route”.']
	])('%s is refused and leaves no batch', async (_, content, message) => {
		const batches = await database.pool.query('SELECT count(*) FROM batch');
		await expect(load(content)).rejects.toThrow(message);
		expect((await database.pool.query('SELECT count(*) FROM batch')).rows).toEqual(batches.rows);
	});

	test('is for those who may', async () => {
		const planner = { ...maren, permissions: ['form.read'] } as SignedIn;
		await expect(loadFile(planner, 1, 'ledger', 'x', new Blob(['']).stream())).rejects.toMatchObject({ status: 403 });
		await expect(listImports(planner, 1)).rejects.toMatchObject({ status: 403 });
		await expect(load('', 'no-such-import')).rejects.toMatchObject({ status: 404 });
	});
});

test('an import tells in words how rows become figures', async () => {
	const { rules } = await readImport(maren, 1, 'ledger');
	expect(rules.find(({ dimension }) => dimension === 'Period')).toMatchObject({ words: 'by the date in Posting date, written DD.MM.YYYY' });
	expect(rules.find(({ dimension }) => dimension === 'Account')!.lines).toContainEqual({
		kind: 'span',
		terms: '5100 … 5109',
		member: 'Basic pay',
		reverseSign: false
	});
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
	const latest = await latestRevision(database.pool, 1);
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
