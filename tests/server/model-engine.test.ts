import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { lockModel, postChangeSet } from '../../src/lib/server/database/change-set';
import { addressDimensions } from '../../src/lib/server/database/definitions';
import { openPool, transaction } from '../../src/lib/server/database/pool';
import { countUpStructure, structureVersion } from '../../src/lib/server/database/structure-version';
import { askEngine, onNews, stopEngines } from '../../src/lib/server/engine';
import { LIMITS } from '../../src/lib/server/engine/limits';
import { ModelEngine } from '../../src/lib/server/engine/model-engine';
import { answerOf } from '../../src/lib/server/engine/requests';
import { layoutSchema } from '../../src/lib/server/definition/layout-schema';
import type { FormAsk } from '../../src/lib/server/engine';
import { freshDatabase } from './demo-database';
import { putLock } from './locked';

let database: Awaited<ReturnType<typeof freshDatabase>>;
let engine: ModelEngine;
let ask: FormAsk;
const revisions: number[] = [];

beforeAll(async () => {
	database = await freshDatabase('engine', { demo: true });
	engine = await ModelEngine.open(openPool(database.url, 3), 1, (news) => {
		if (news.kind === 'revision') revisions.push(news.revision);
	});
	const form = await database.pool.query<{ layout: unknown }>("SELECT layout FROM form WHERE code = 'route-contribution'");
	ask = {
		person: 3,
		rules: { mayEnter: true, grants: [{ name: 'All', level: 'write', slice: {} }] },
		draftVersion: 0,
		layout: layoutSchema.parse(form.rows[0]!.layout),
		choices: {},
		currency: 'EUR',
		revision: 0,
		structure: 0
	};
}, 60_000);
afterAll(async () => {
	await answerOf(engine, 'close', {});
	await database.close();
});

describe('the demo in the engine', () => {
	test('is all there', async () => {
		const { cells } = await answerOf(engine, 'ready', { revision: 3 });
		const counted = await database.pool.query<{ cells: number }>(
			`SELECT count(*)::integer AS cells FROM (
				SELECT DISTINCT d1, d3, d4, d5, d6, d7, fiscal_year, place FROM (SELECT c.*, a.place FROM cells_1 c, unnest(c.amounts) WITH ORDINALITY AS a (amount, place) WHERE a.amount IS NOT NULL) AS each) AS cells`.replace(
				/d1, d3, d4, d5, d6, d7/,
				(await addressDimensions(database.pool, 1)).map((id) => `d${id}`).join(', ')
			)
		);
		expect(cells).toBe(counted.rows[0]!.cells);
		expect(cells).toBeGreaterThan(190_000);
	});

	test('adds up to what SQL adds up to, in local currency', async () => {
		const form = await answerOf(engine, 'form', { ...ask, currency: 'local' });
		const row = form.rows.findIndex(({ label }) => label === 'Fuel');
		const column = form.columns.findIndex(({ label }) => label === 'FY2028');
		const summed = await database.pool.query<{ total: number }>(
			`SELECT sum(amount) AS total FROM report_cells_1 WHERE account = '6010' AND scenario = 'BUD28' AND line = 'SKE' AND version = 'WORK' AND fiscal_year = 2028`
		);
		expect(form.values[row * form.columns.length + column]).toBeCloseTo(summed.rows[0]!.total, 4);
	});

	test('follows what another server posts', async () => {
		const before = await answerOf(engine, 'form', { ...ask, currency: 'local' });
		const row = before.rows.findIndex(({ label }) => label === 'Fuel');
		const at = row * before.columns.length;
		const ids = await addressDimensions(database.pool, 1);
		const cell = await database.pool.query<{ members: number[]; amounts: number[] }>(
			`SELECT ARRAY[${ids.map((id) => `c.d${id}`).join(', ')}] AS members, c.amounts FROM cells_1 c
			JOIN member a ON a.id = c.d${ids[0]} AND a.code = '6010' JOIN member s ON s.id = c.d${ids[1]} AND s.code = 'BUD28'
			JOIN member l ON l.id = c.d${ids[2]} AND l.code = 'SKE' JOIN member v ON v.id = c.d${ids[5]} AND v.code = 'WORK' WHERE c.fiscal_year = 2028 LIMIT 1`
		);
		const { members, amounts } = cell.rows[0]!;
		const period = (await database.pool.query<{ id: number }>("SELECT id FROM member WHERE code = '2027-04'")).rows[0]!.id;
		const entry = (await database.pool.query<{ id: number }>("SELECT id FROM origin WHERE mode = 'entry'")).rows[0]!.id;
		const own = new Float64Array(12).fill(Number.NaN);
		own[0] = amounts[0]! + 1_000;
		const revision = await transaction(async (client) => {
			await lockModel(client, 1);
			return postChangeSet(
				client,
				{ modelId: 1, person: null, kind: 'save', through: 'Another server', cells: 1 },
				ids,
				[{ origin: entry, members, year: 2028, amounts: own, before: new Float64Array(12).fill(Number.NaN) }],
				[{ origin: entry, address: members, period, before: Number.NaN, after: own[0]!, beneath: amounts[0]! }]
			);
		}, database.pool);
		const after = await answerOf(engine, 'form', { ...ask, currency: 'local', revision });
		expect(after.revision).toBe(revision);
		expect(after.values[at]! - before.values[at]!).toBeCloseTo(1_000, 6);
		expect(revisions).toContain(revision);
	});

	test('a draft changes the totals of its own person only', async () => {
		const { form, changes, faults } = await answerOf(engine, 'enter', {
			...ask,
			seenStructure: engine.structure,
			entries: [{ row: 1, column: 0, text: '3000000' }],
			method: 'in proportion',
			style: { decimal: '.', group: ',' }
		});
		expect(faults).toEqual([]);
		expect(changes.length).toBeGreaterThan(10);
		expect(form.values[form.columns.length]).toBeCloseTo(3_000_000, 4);
		expect(form.draftSize).toBe(changes.length);
		const other = await answerOf(engine, 'form', { ...ask, person: 4 });
		expect(other.values[other.columns.length]).not.toBeCloseTo(3_000_000, 0);
		expect(other.draftSize).toBe(0);
	});

	test('others are answered while one person’s large entry is worked out, and it comes out as if nobody had asked', async () => {
		process.env.DATABASE_URL = database.url;
		const roots = await database.pool.query<{ dimension: number; member: number }>(
			`SELECT h.dimension_id AS dimension, n.member_id AS member FROM hierarchy h JOIN hierarchy_node n ON n.hierarchy_id = h.id
			JOIN dimension d ON d.id = h.dimension_id WHERE h.main AND n.parent_id IS NULL AND d.code IN ('line', 'route') ORDER BY n.position DESC`
		);
		const whole = { ...ask, person: 5, choices: Object.fromEntries(roots.rows.map(({ dimension, member }) => [dimension, member])) };
		const before = await askEngine(1, 'form', whole);
		const column = before.columns.findIndex(({ label }) => label === 'FY2028');
		const order: string[] = [];
		const entering = askEngine(1, 'enter', {
			...whole,
			seenStructure: before.structure,
			entries: [{ row: 0, column, text: String(Math.round(before.values[column]! * 1.1)) }],
			method: 'in proportion',
			style: { decimal: '.', group: ',' }
		}).then((answer) => {
			order.push('entered');
			return answer;
		});
		const other = askEngine(1, 'form', { ...ask, person: 6 }).then(() => order.push('read'));
		const again = askEngine(1, 'form', { ...whole, draftVersion: 1 }).then((form) => {
			order.push('own read');
			return form;
		});
		const [{ changes, form }, , own] = await Promise.all([entering, other, again]);
		expect(changes.length).toBeGreaterThan(5_000);
		expect(form.values[column]! / before.values[column]!).toBeCloseTo(1.1, 4);
		// One's own requests keep their order; somebody else's is not kept waiting.
		expect(order).toEqual(['read', 'entered', 'own read']);
		expect(own.draftSize).toBe(changes.length);
		expect(own.drafted.length + own.draftedBeneath.length).toBe(form.drafted.length + form.draftedBeneath.length);
		await stopEngines();
	});

	test('saving a draft into what was locked meanwhile is refused cell by cell, and elsewhere planned as whole series', async () => {
		const open = await answerOf(engine, 'form', { ...ask, draftVersion: 1 });
		const plan = () =>
			answerOf(engine, 'planSave', {
				person: 3,
				rules: ask.rules,
				draftVersion: 1,
				structure: 0,
				revision: 0,
				decisions: { keepMine: [], takeTheirs: [] }
			});
		const free = await plan();
		expect(free).toMatchObject({ conflicts: [], refused: [], cells: open.draftSize });
		expect(free.series.every(({ amounts }) => amounts.length === 12)).toBe(true);
		const account = (await database.pool.query<{ id: number }>("SELECT id FROM member WHERE code = '4010'")).rows[0]!;
		const unlock = await putLock(1, { name: 'Foot passengers' }, [account.id]);
		await engine.catchUp();
		const locked = await plan();
		await unlock();
		await engine.catchUp();
		expect(locked.refused.length).toBeGreaterThan(0);
		expect(locked.refused.length + locked.cells).toBe(open.draftSize);
		expect(locked.refused[0]).toMatchObject({
			words: expect.stringMatching(/^Foot passengers · Apr 2027/),
			reason: 'Foot passengers is closed.'
		});
	});

	test('a layout that cannot be shown is a sentence', async () => {
		await expect(answerOf(engine, 'form', { ...ask, layout: { ...ask.layout, selectors: [] } })).rejects.toThrow(
			/^This form cannot be shown\. /
		);
	});
});

describe('what an engine keeps and tells', () => {
	test('drafts and forms beyond what an engine keeps are read again, as they were', async () => {
		const kept = { ...LIMITS };
		Object.assign(LIMITS, { drafts: 1, forms: 1 });
		try {
			const draft = await database.pool.query<{ id: number }>(
				'INSERT INTO draft (person_id, model_id, version) VALUES (8, 1, 1) RETURNING id'
			);
			const form = await answerOf(engine, 'form', { ...ask, person: 8 });
			const row = form.rows.findIndex(({ label }) => label === 'Foot passengers');
			const { changes } = await answerOf(engine, 'enter', {
				...ask,
				person: 8,
				draftVersion: 1,
				seenStructure: form.structure,
				entries: [{ row, column: 0, text: '4321' }],
				method: 'in proportion',
				style: { decimal: '.', group: ',' }
			});
			for (const { address, period, after, seen } of changes)
				await database.pool.query('INSERT INTO draft_cell (draft_id, address, period_id, value, seen) VALUES ($1, $2, $3, $4, $5)', [
					draft.rows[0]!.id,
					address,
					period,
					after,
					seen
				]);
			for (const person of [6, 8, 7, 8]) {
				const read = await answerOf(engine, 'form', { ...ask, person, draftVersion: person === 8 ? 2 : 0 });
				expect(read.draftSize).toBe(person === 8 ? changes.length : 0);
				expect(read.values[row * read.columns.length] === 4321).toBe(person === 8);
				if (person === 8) await database.pool.query('UPDATE draft SET version = 2 WHERE person_id = 8');
			}
		} finally {
			Object.assign(LIMITS, kept);
		}
	});

	test('texts are found and made after every connection was closed, also after the structure has changed', async () => {
		const cut = () =>
			database.pool.query(
				'SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = current_database() AND pid <> pg_backend_pid()'
			);
		for (const words of ['Rudder bearings', 'Bow thruster']) {
			await cut();
			await expect
				.poll(() =>
					engine.words.placesOf([words]).then(
						(places) => places.size,
						() => 0
					)
				)
				.toBe(1);
			await countUpStructure(database.pool, [1], 'definition');
			await engine.catchUp();
		}
	});

	test('who hears the news hears the latest, or that nothing more will be heard, however often connections are cut', async () => {
		process.env.DATABASE_URL = database.url;
		for (let times = 0; times < 5; times++) {
			const heard = { structure: 0, lost: false };
			const stop = onNews(
				1,
				(news) => {
					if (news.kind === 'structure') heard.structure = news.structure;
				},
				() => (heard.lost = true)
			);
			await askEngine(1, 'ready', { revision: 0 });
			await countUpStructure(database.pool, [1], 'definition');
			// In the middle of reading the model, as likely as not.
			for (let cut = 0; cut < 6; cut++)
				await database.pool.query(
					'SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = current_database() AND pid <> pg_backend_pid()'
				);
			const latest = await structureVersion(database.pool, 1);
			await expect.poll(() => heard.lost || heard.structure === latest, { timeout: 30_000 }).toBe(true);
			stop();
			// And it can be asked.
			await expect
				.poll(
					() =>
						askEngine(1, 'ready', { revision: 0 }).then(
							() => true,
							() => false
						),
					{ timeout: 30_000 }
				)
				.toBe(true);
		}
		await stopEngines();
	}, 120_000);
});
