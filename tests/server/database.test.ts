import { mkdtempSync, writeFileSync, copyFileSync, readdirSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import fc from 'fast-check';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { createCellTable, readAllSeries } from '../../src/lib/server/database/cells';
import { lockModel, postChangeSet } from '../../src/lib/server/database/change-set';
import { migrate } from '../../src/lib/server/database/migrate';
import { transaction } from '../../src/lib/server/database/pool';
import { packSeries, unpackSeries, type SeriesChange, type ReadSeries } from '../../src/lib/server/database/series';
import { freshDatabase } from './demo-database';

const MIGRATIONS = 'src/lib/server/database/migrations';
let database: Awaited<ReturnType<typeof freshDatabase>>;
beforeAll(async () => (database = await freshDatabase('statements', { demo: false })));
afterAll(() => database.close());

const amounts = fc
	.array(fc.oneof(fc.double({ noNaN: true, noDefaultInfinity: true }), fc.constant(Number.NaN)), { minLength: 12, maxLength: 12 })
	.map((values) => Float64Array.from(values));
const change: fc.Arbitrary<SeriesChange> = fc.record({
	origin: fc.nat(50),
	members: fc.array(fc.integer({ min: 1, max: 2_000_000_000 }), { minLength: 3, maxLength: 3 }),
	year: fc.integer({ min: 2000, max: 2100 }),
	amounts,
	before: amounts
});

describe('packed blocks of the journal', () => {
	test('come back as they went in', async () => {
		await fc.assert(
			fc.asyncProperty(fc.array(change, { minLength: 1, maxLength: 30 }), async (changes) => {
				const back = unpackSeries(await packSeries(changes));
				const stamped = changes.map((each) => ({
					...each,
					stampsBefore: each.before.map(() => 7),
					stamps: each.amounts.map((_, place) => place)
				}));
				for (const [index, { stampsBefore, stamps }] of unpackSeries(await packSeries(stamped)).entries())
					expect({ stampsBefore, stamps }).toEqual({ stampsBefore: stamped[index]!.stampsBefore, stamps: stamped[index]!.stamps });
				expect(back.map(({ members, ...rest }) => ({ ...rest, members: [...Array.from(members)] }))).toEqual(changes);
			}),
			{ numRuns: 50 }
		);
	});
});

describe('migrations', () => {
	test('run once', async () => expect(await migrate(database.pool, MIGRATIONS)).toEqual([]));

	test('a failing one leaves nothing behind, and the next start can go on', async () => {
		const folder = mkdtempSync(join(tmpdir(), 'migrations-'));
		for (const file of readdirSync(MIGRATIONS)) copyFileSync(join(MIGRATIONS, file), join(folder, file));
		writeFileSync(join(folder, '9001_half.sql'), 'CREATE TABLE half (id integer); SELECT no_such_function();');
		await expect(migrate(database.pool, folder)).rejects.toMatchObject({ code: '42883' });
		expect((await database.pool.query("SELECT to_regclass('half') AS half")).rows).toEqual([{ half: null }]);
		writeFileSync(join(folder, '9001_half.sql'), 'CREATE TABLE whole (id integer);');
		expect(await migrate(database.pool, folder)).toEqual([9001]);
		await expect(migrate(database.pool, MIGRATIONS)).rejects.toThrow('The database is at version 9001');
		await database.pool.query('DROP TABLE whole; DELETE FROM schema_version WHERE version = 9001');
	});
});

describe('series in the database', () => {
	let modelId: number;
	const dimensionIds = [901, 902];
	const series = (members: number[], values: number[], origin = 1): SeriesChange => ({
		origin,
		members,
		year: 2027,
		amounts: Float64Array.from(values),
		before: new Float64Array(values.length).fill(Number.NaN)
	});
	const stored = async (): Promise<ReadSeries[]> => {
		const found: ReadSeries[] = [];
		await transaction(
			(client) =>
				readAllSeries(client, modelId, dimensionIds, (each) =>
					found.push({ ...each, members: [...Array.from(each.members)], amounts: each.amounts.slice() })
				),
			database.pool
		);
		return found.sort((a, b) => a.members[0]! - b.members[0]!);
	};
	const post = (changes: SeriesChange[]) =>
		transaction(async (client) => {
			await lockModel(client, modelId);
			return postChangeSet(client, { modelId, person: null, kind: 'load', through: 'Test', cells: 1 }, dimensionIds, changes);
		}, database.pool);

	beforeAll(async () => {
		await database.pool.query("INSERT INTO currency (code) VALUES ('EUR')");
		modelId = (
			await database.pool.query<{ id: number }>("INSERT INTO model (code, name, reporting_currency) VALUES ('t', 'T', 'EUR') RETURNING id")
		).rows[0]!.id;
		await createCellTable(database.pool, modelId, [
			{ id: 901, code: 'one' },
			{ id: 902, code: 'two' }
		]);
	});

	test('are written, replaced, read back through a binary COPY, and gone when emptied', async () => {
		expect(await post([series([1, 7], [1.5, Number.NaN, -0.25]), series([2, 7], [9, 9, 9])])).toBe(1);
		expect(await stored()).toEqual([
			{ origin: 1, members: [1, 7], year: 2027, amounts: Float64Array.of(1.5, Number.NaN, -0.25), stamps: 1 },
			{ origin: 1, members: [2, 7], year: 2027, amounts: Float64Array.of(9, 9, 9), stamps: 1 }
		]);
		expect(await post([series([1, 7], [2, 3, Number.NaN]), series([2, 7], [Number.NaN, Number.NaN, Number.NaN])])).toBe(2);
		expect((await stored()).map(({ amounts }) => [...amounts])).toEqual([[2, 3, Number.NaN]]);
	});

	test('keep with which revision each value was written, where they differ', async () => {
		await post([series([8, 8], [1, 2, 3], 3)]);
		const first = (await stored()).find(({ origin }) => origin === 3)!.stamps as number;
		await post([
			{ ...series([8, 8], [1, 5, 3], 3), stampsBefore: new Float64Array(3).fill(first), stamps: Float64Array.of(first, 0, first) }
		]);
		const second = await stored();
		expect([...(second.find(({ origin }) => origin === 3)!.stamps as Float64Array)]).toEqual([first, first + 1, first]);
		await post([series([8, 8], [Number.NaN, Number.NaN, Number.NaN], 3)]);
	});

	test('a change set that fails leaves neither cells nor a revision', async () => {
		const before = await stored();
		const failing = transaction(async (client) => {
			await lockModel(client, modelId);
			await postChangeSet(client, { modelId, person: null, kind: 'load', through: 'Test', cells: 1 }, dimensionIds, [
				series([5, 5], [1, 1, 1])
			]);
			throw new Error('the lights went out');
		}, database.pool);
		await expect(failing).rejects.toThrow('the lights went out');
		expect(await stored()).toEqual(before);
		expect((await database.pool.query<{ revision: number }>('SELECT revision FROM model WHERE id = $1', [modelId])).rows[0]!.revision).toBe(
			5
		);
	});

	test('many pass back-pressure and chunk borders', async () => {
		const many = Array.from({ length: 30_000 }, (_, index) => series([100 + index, index % 50], [index, Number.NaN, index / 3], 2));
		await post(many);
		const found = (await stored()).filter(({ origin }) => origin === 2);
		expect(found).toHaveLength(30_000);
		expect([...found[29_999]!.amounts]).toEqual([29_999, Number.NaN, 29_999 / 3]);
	});
});
