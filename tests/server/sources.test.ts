import { mkdirSync, mkdtempSync, readFileSync, rmSync, symlinkSync, utimesSync, writeFileSync } from 'node:fs';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import ExcelJS from 'exceljs';
import JSZip from 'jszip';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { closePool } from '../../src/lib/server/database';
import { stopEngines } from '../../src/lib/server/engine';
import {
	checkImport,
	createImport,
	createMember,
	detectKept,
	editImport,
	exportMap,
	importHistory,
	importMap,
	keepFile,
	listConnections,
	loadFile,
	nextMoments,
	readImport,
	setConnection,
	setSchedule,
	startFetch,
	stopDataThread,
	takeDue,
	tend,
	tryValue,
	waitForLoad
} from '../../src/lib/server/import';
import { removeImport } from '../../src/lib/server/import/edit';
import { cellText } from '../../src/lib/server/import/file/workbook';
import { endSilentJobs } from '../../src/lib/server/jobs';
import { ledgerPage, isLedgerToken, ledgerToken } from '../../src/lib/server/simulated/ledger';
import type { SignedIn } from '../../src/lib/server/session';
import { freshDatabase } from './demo-database';

let database: Awaited<ReturnType<typeof freshDatabase>>;
const permissions = ['data.read', 'data.load', 'data.write', 'structure.read', 'structure.write'];
const maren = { id: 1, name: 'Maren Kvist', permissions } as unknown as SignedIn;
const osric = { id: 2, name: 'Osric Hale', permissions: permissions.slice(0, 4) } as unknown as SignedIn;
const folder = mkdtempSync(join(tmpdir(), 'inbox-'));

beforeAll(async () => {
	database = await freshDatabase('sources', { demo: true });
	process.env.DATABASE_URL = database.url;
	process.env.DROP_FOLDER = folder;
});
afterAll(async () => {
	await stopEngines();
	await stopDataThread();
	await closePool();
	await database.close();
	rmSync(folder, { recursive: true, force: true });
});

async function* bytes(content: string | Uint8Array) {
	yield typeof content === 'string' ? new TextEncoder().encode(content) : content;
}
const keep = (name: string, content: string | Uint8Array, code: string | null = null) => keepFile(maren, 1, code, name, bytes(content));
const routeResult = async () => (await database.pool.query<{ id: number }>("SELECT id FROM model WHERE code = 'route-result'")).rows[0]!.id;
const member = async (dimension: string, code: string) =>
	(
		await database.pool.query<{ id: number; dimension: number }>(
			'SELECT m.id, m.dimension_id AS dimension FROM member m JOIN dimension d ON d.id = m.dimension_id WHERE d.code = $1 AND m.code = $2',
			[dimension, code]
		)
	).rows[0]!;
/** Sets the dimensions a made import has not guessed to one member each. */
async function fix(code: string, members: readonly (readonly [dimension: string, member: string])[]): Promise<void> {
	for (const [dimension, name] of members) {
		const { id, dimension: of } = await member(dimension, name);
		await editImport(maren, 1, code, { act: 'rule', dimension: of, rule: { from: 'fixed', member: id } });
	}
}
const jobOf = async (job: number) =>
	(
		await database.pool.query<{ state: string; words: string; result: { file?: number; batches?: number[] } }>(
			'SELECT state, words, result FROM job WHERE id = $1',
			[job]
		)
	).rows[0]!;

describe('a workbook', () => {
	test('and a CSV written by LibreOffice become the same figures', async () => {
		const amounts: unknown[] = [];
		for (const name of ['extract-libreoffice.xlsx', 'extract-libreoffice.csv']) {
			const file = await keep(name, readFileSync(`tests/data/${name}`));
			const detected = await detectKept(maren, 1, file.id);
			expect(detected.settings).toMatchObject({ headerRows: 2 });
			expect(detected.headings).toEqual(['Konto', 'Einheit ü', 'Strecke', 'Datum', 'Betrag']);
			const { code } = await createImport(maren, 1, { name: `From ${name}`, file: file.id });
			const ledger = await readImport(maren, 1, 'ledger');
			for (const rule of ledger.rules.filter(({ rule }) => rule?.from === 'column')) {
				const heading = { Account: 'Konto', Unit: 'Einheit ü', Route: 'Strecke' }[(rule.rule as { columns: string[] }).columns[0]!]!;
				await editImport(maren, 1, code, {
					act: 'rule',
					dimension: rule.dimension,
					rule: { from: 'column', columns: [heading], separator: '', label: null, map: rule.map!.id }
				});
			}
			await fix(code, [
				['scenario', 'ACT'],
				['version', 'FINAL']
			]);
			const check = await checkImport(maren, 1, code, { file: file.id, chosen: {}, allRows: true });
			expect(check.rows).toEqual({ read: 3, loaded: 3, skipped: 0, rejected: 0 });
			amounts.push(check.sample.map(({ words, amount }) => [words, amount]));
		}
		expect(amounts[0]).toEqual(amounts[1]);
		expect((amounts[0] as [string, number][])[1]![1]).toBeCloseTo(1234.567, 9);
	});

	test('has sheets and ranges to choose from', async () => {
		const workbook = new ExcelJS.Workbook();
		workbook.addWorksheet('Notes').addRow(['nothing here']);
		const sheet = workbook.addWorksheet('Data');
		sheet.addRows([
			['', 'Extract'],
			['', 'month', 'count'],
			['', new Date('2026-09-30T00:00:00Z'), 1.234],
			['', '2026-10-01', { formula: 'A1', result: 7 }],
			['', 'total', 8]
		]);
		const file = await keep('two.xlsx', new Uint8Array(await workbook.xlsx.writeBuffer()));
		expect(file).toMatchObject({ format: 'workbook', sheets: ['Notes', 'Data'] });
		const { code } = await createImport(maren, 1, { name: 'Sheets', file: file.id });
		await editImport(maren, 1, code, { act: 'source', source: { sheet: 'Data', range: 'B2:C4', headerRows: 1, amountColumns: ['count'] } });
		const period = (await readImport(maren, 1, code)).rules.find(({ kind }) => kind === 'period')!;
		await editImport(maren, 1, code, {
			act: 'rule',
			dimension: period.dimension,
			rule: { from: 'date', column: 'month', format: 'DD.MM.YYYY' }
		});
		const check = await checkImport(maren, 1, code, { file: file.id, chosen: {}, allRows: false });
		expect(check.headings).toEqual(['month', 'count']);
		expect(check.sample.map(({ line, values }) => [line, ...values])).toEqual([
			[3, '2026-09-30', '1.2340'],
			[4, '2026-10-01', '7']
		]);
		await editImport(maren, 1, code, { act: 'source', source: { sheet: 'Gone' } });
		await expect(checkImport(maren, 1, code, { file: file.id, chosen: {}, allRows: false })).rejects.toThrow(
			'The workbook has no sheet “Gone”.'
		);
	});

	test('that is none, or unpacks to far more than it is, is refused', async () => {
		await expect(keep('broken.xlsx', Uint8Array.of(0x50, 0x4b, 3, 4, 9, 9))).rejects.toThrow('This workbook cannot be read.');
		const bomb = new JSZip();
		bomb.file('xl/worksheets/sheet1.xml', new Uint8Array(450 * 1024 * 1024));
		const packed = await bomb.generateAsync({ type: 'uint8array', compression: 'DEFLATE', streamFiles: true });
		expect(packed.length).toBeLessThan(2_000_000);
		await expect(keep('bomb.xlsx', packed)).rejects.toMatchObject({ code: 'too large' });
		expect((await database.pool.query("SELECT FROM source_file WHERE name IN ('broken.xlsx', 'bomb.xlsx')")).rowCount).toBe(0);
	});

	test.each([
		[1.5, '1.5'],
		[1.234, '1.2340'],
		[0.1 + 0.2, '0.3'],
		[true, 'yes'],
		[{ richText: [{ text: 'a' }, { text: 'b' }] }, 'ab'],
		[{ text: 'link', hyperlink: 'x' }, 'link'],
		[{ error: '#N/A' }, ''],
		[null, '']
	])('says %j as %s', (value, text) => expect(cellText(value as ExcelJS.CellValue)).toBe(text));
});

describe('an import made from a file', () => {
	test('has its settings detected and its columns proposed', async () => {
		const file = await keep('new.csv', 'Datum;Konto;Linie;Betrag\n01.09.2026;4010;SKE;1.234,56-\n02.09.2026;4020;NOR;7,00\n');
		const { code } = await createImport(osric, 1, { name: 'Neu & schön', file: file.id });
		expect(code).toBe('neu-schon');
		const made = await readImport(osric, 1, code);
		expect(made.source).toMatchObject({ delimiter: ';', decimal: ',', group: '.', amountColumns: ['Betrag'], rejects: 'stop' });
		const words = Object.fromEntries(made.rules.map((rule) => [rule.kind, rule.words]));
		expect(words).toMatchObject({
			account: 'from the column Konto',
			period: 'by the date in Datum, written DD.MM.YYYY',
			entity: 'from the column Linie'
		});
		await expect(createImport(osric, 1, { name: 'Neu & schön', file: null })).rejects.toMatchObject({ code: 'name taken' });
		await expect(loadFile(osric, 1, code, 'x.csv', bytes('Datum;Konto;Linie;Betrag\n01.09.2026;4010;SKE;1\n'))).rejects.toThrow(
			'Say first where the scenario of each row comes from.'
		);
		await removeImport(osric, 1, code);
		await expect(readImport(osric, 1, code)).rejects.toMatchObject({ status: 404 });
	});
	test('one word among its amounts does not hide a column from being proposed; several do', async () => {
		const amountsOf = async (name: string, amounts: string[]) => {
			const file = await keep('words.csv', `Konto;Betrag\n${amounts.map((amount) => `4010;${amount}`).join('\n')}\n`);
			const { code } = await createImport(osric, 1, { name, file: file.id });
			const { source } = await readImport(osric, 1, code);
			await removeImport(osric, 1, code);
			return [source.amountColumns, source.decimal];
		};
		expect(await amountsOf('One word', ['1.234,56', 'abc', '7,00', '8,50'])).toEqual([['Betrag'], ',']);
		expect(await amountsOf('Words', ['1.234,56', 'abc', 'def', '8,50'])).toEqual([[], '.']);
	});
});

describe('a map', () => {
	const mapOf = async () => (await readImport(maren, 1, 'ledger')).rules.find(({ kind }) => kind === 'account')!;
	test('goes out as CSV and comes back the same, wherever its lines lead', async () => {
		const { map, lines, dimension } = await mapOf();
		const first = lines[0]!;
		await editImport(maren, 1, 'ledger', {
			act: 'add lines',
			map: map!.id,
			before: first.id,
			lines: [
				{
					terms: {
						kind: 'joint',
						conditions: [
							{ column: 'Account', pattern: '4|0*' },
							{ column: 'Unit', pattern: 'N-*' }
						]
					},
					member: null,
					skip: true,
					reverseSign: false
				},
				{ terms: { kind: 'any of', values: ['=1', 'b | c', ''] }, member: first.line.member, skip: false, reverseSign: true }
			]
		});
		const before = (await mapOf()).lines.map(({ line }) => ({ ...line, id: 0 }));
		expect(before.slice(0, 2).map(({ kind }) => kind)).toEqual(['joint', 'any of']);
		const { csv } = await exportMap(maren, 1, map!.id);
		expect(csv).toContain("'=1");
		await importMap(maren, 1, 'ledger', map!.id, csv);
		expect((await mapOf()).lines.map(({ line }) => ({ ...line, id: 0 }))).toEqual(before);
		expect((await importHistory(maren, 1, 'ledger'))[0]).toMatchObject({
			words: 'Ledger, monthly: map Ledger accounts, replace lines',
			person: 'Maren Kvist'
		});
		expect((await tryValue(maren, 1, 'ledger', { dimension, value: '4|01', row: { Unit: 'N-BK', Account: '4|01' } })).lines).toHaveLength(
			1
		);
	});
	test('with lines that cannot be read is left as it was', async () => {
		const { map, lines } = await mapOf();
		await expect(
			importMap(maren, 1, 'ledger', map!.id, 'kind,value,to,member\nsingle,1,,4010\nsingle,2,,nobody\nwild,3,,4010\n')
		).rejects.toThrow('Nothing was changed. line 3: there is no member with the code “nobody”. line 4: “wild” is no kind of line');
		expect((await mapOf()).lines).toHaveLength(lines.length);
	});
	test('leads to leaves only', async () => {
		const { map } = await mapOf();
		const parent = await database.pool.query<{ id: number }>(
			"SELECT m.id FROM member m WHERE m.code = 'REV' OR EXISTS (SELECT FROM hierarchy_node n WHERE n.parent_id = m.id) ORDER BY m.id LIMIT 1"
		);
		await expect(
			editImport(maren, 1, 'ledger', {
				act: 'add lines',
				map: map!.id,
				before: null,
				lines: [{ terms: { kind: 'single', value: 'x' }, member: parent.rows[0]!.id, skip: false, reverseSign: false }]
			})
		).rejects.toThrow(/has others under it|does not have/);
	});
	test('gets a new member and the line to it in one go', async () => {
		const { dimension } = await mapOf();
		const under = await database.pool.query<{ parent: number }>(
			"SELECT n.parent_id AS parent FROM hierarchy_node n JOIN member m ON m.id = n.member_id WHERE m.code = '5010' OR m.code = '6100' LIMIT 1"
		);
		await createMember(maren, 1, 'ledger', { dimension, value: '5305', name: 'Marine diesel', parent: under.rows[0]!.parent });
		expect((await mapOf()).lines.at(-1)).toMatchObject({ terms: '5305', member: 'Marine diesel' });
		await expect(createMember(osric, 1, 'ledger', { dimension, value: '5306', name: 'No', parent: null })).rejects.toMatchObject({
			status: 403
		});
	});
});

describe('rows the server fetches', () => {
	const made = async (name: string) => (await createImport(maren, 1, { name, file: null })).code;
	const past = new Date(Date.now() - 60_000);
	const put = (path: string, content: string) => {
		writeFileSync(join(folder, path), content);
		utimesSync(join(folder, path), past, past);
	};

	test('come from a watched folder, each new file once', async () => {
		mkdirSync(join(folder, 'counts'), { recursive: true });
		const code = 'ticketing';
		await editImport(maren, 1, code, { act: 'place', place: { kind: 'folder', folder: 'counts', pattern: '*.csv' } });
		await setSchedule(maren, 1, code, { cron: '* * * * *', timeZone: 'UTC', active: true });
		put('counts/one.csv', 'month,line,route,measure,count\n202609,SKE,R01,departures,161\n');
		put('counts/other.txt', 'x');
		await tend(new Date(Date.now() + 61_000));
		const batches = async () => (await readImport(maren, 1, code)).batches.map(({ fileName, state }) => `${fileName} ${state}`);
		expect(await batches()).toEqual(['one.csv loaded']);
		await tend(new Date(Date.now() + 121_000));
		expect(await batches()).toEqual(['one.csv loaded']);
		put('counts/two.csv', 'month,line,route,measure,count\n202609,SKE,R01,departures,170\n');
		await tend(new Date(Date.now() + 181_000));
		expect(await batches()).toEqual(['two.csv loaded', 'one.csv loaded']);
		await setSchedule(maren, 1, code, null);
		await editImport(maren, 1, code, { act: 'place', place: { kind: 'file' } });
	});
	test('do not come from outside the drop folder', async () => {
		const code = await made('Elsewhere');
		symlinkSync('/etc', join(folder, 'link'));
		for (const path of ['../..', '/etc', 'link', 'no-such']) {
			await editImport(maren, 1, code, { act: 'place', place: { kind: 'folder', folder: path, pattern: '*' } });
			const { job } = await startFetch(maren, 1, code);
			expect(await jobOf(job)).toMatchObject({ state: 'failed', words: expect.stringContaining('There is no folder') });
		}
	});

	test('come from a query that can only read', async () => {
		const other = await freshDatabase('elsewhere', { demo: false });
		await other.pool.query(
			"CREATE TABLE posting (account text, amount numeric); INSERT INTO posting VALUES ('4010', 12.50), ('4020', NULL)"
		);
		const code = await made('Query');
		// The installation lists what queries may reach; this machine is not among it by itself.
		await expect(setConnection(maren, { name: 'Elsewhere', address: other.url })).rejects.toMatchObject({ code: 'not allowed' });
		process.env.QUERY_HOSTS = '127.0.0.1';
		process.env.SECRET_KEY = 'a key for tests only';
		await expect(setConnection(osric, { name: 'Elsewhere', address: other.url })).rejects.toMatchObject({ status: 403 });
		await expect(setConnection(maren, { name: 'Own', address: database.url })).rejects.toMatchObject({ code: 'own database' });
		const [connection] = await setConnection(maren, { name: 'Elsewhere', address: other.url });
		expect(JSON.stringify(await listConnections(osric))).not.toContain(new URL(other.url).password);
		const kept = await database.pool.query<{ address: string }>('SELECT address FROM connection');
		expect(kept.rows[0]!.address).toMatch(/^sealed:1:/);
		const fetched = async (text: string) => {
			await editImport(maren, 1, code, { act: 'place', place: { kind: 'query', connection: connection!.id, text } });
			return jobOf((await startFetch(maren, 1, code)).job);
		};
		const { result } = await fetched('SELECT account, amount FROM posting ORDER BY 1;');
		const detected = await detectKept(maren, 1, result.file!);
		expect(detected.headings).toEqual(['account', 'amount']);
		expect(detected.rows).toEqual([
			['4010', '12.50'],
			['4020', '']
		]);
		for (const text of [
			'DELETE FROM posting RETURNING 1',
			'COPY posting TO STDOUT',
			"COPY posting TO PROGRAM 'id'",
			'WITH x AS (DELETE FROM posting RETURNING 1) SELECT * FROM x'
		])
			expect(await fetched(text), text).toMatchObject({ state: 'failed' });
		// The process is still there, and reads on.
		expect((await fetched('SELECT account FROM posting WHERE false')).state).toBe('done');
		// A cancelled one ends there too.
		await editImport(maren, 1, code, { act: 'place', place: { kind: 'query', connection: connection!.id, text: 'SELECT pg_sleep(60)' } });
		const going = startFetch(maren, 1, code);
		const active = async (state: string) =>
			(await other.pool.query("SELECT FROM pg_stat_activity WHERE query LIKE 'FETCH%' AND state = $1", [state])).rowCount ?? 0;
		await expect.poll(() => active('active'), { timeout: 20_000 }).toBe(1);
		await database.pool.query("UPDATE job SET cancel_asked = true WHERE state = 'running'");
		const { job: cancelled } = await going;
		expect(await jobOf(cancelled)).toMatchObject({ state: 'cancelled' });
		await expect.poll(() => active('active')).toBe(0);
		expect((await fetched('SELECT 1; DROP TABLE posting')).words).toContain('multiple commands');
		expect((await fetched('SELECT nothing')).words).toContain('Elsewhere says: column "nothing" does not exist');
		expect((await other.pool.query('SELECT FROM posting')).rowCount).toBe(2);
		await other.close();
	});

	test('come from another model’s slice', async () => {
		const code = await made('Slice');
		const line = await member('line', 'SKE');
		const account = await member('account', '4010');
		await editImport(maren, 1, code, {
			act: 'place',
			place: { kind: 'model', model: 1, slice: { [line.dimension]: [line.id], [account.dimension]: [account.id] } }
		});
		const { result } = await jobOf((await startFetch(maren, 1, code)).job);
		const detected = await detectKept(maren, 1, result.file!);
		expect(detected.headings.slice(-2)).toEqual(['Amount', 'Currency']);
		expect(detected.rows.length).toBeGreaterThan(20);
		expect(new Set(detected.rows.map((row) => row[detected.headings.indexOf('Account')]))).toEqual(new Set(['4010']));
	});

	test('amounts of another model say what currency they are in, and are translated into the receiver’s', async () => {
		const model = await routeResult();
		const came = await database.pool.query<{ amount: number }>(
			`SELECT sum(amount) AS amount FROM report_cells_${model} WHERE scenario = 'BUD28' AND "cost-object" = 'B-HB' AND period_of_year = 1`
		);
		const planned = await database.pool.query<{ line: string; amount: number }>(
			`SELECT line, sum(amount) AS amount FROM report_cells_1 WHERE scenario = 'BUD28' AND version = 'WORK' AND period_of_year = 1
				AND fiscal_year = 2028 AND account IN ('6020', '6310', '6320', '6330') GROUP BY line`
		);
		const of = new Map(planned.rows.map(({ line, amount }) => [line, amount]));
		const rate = async (currency: string) =>
			(
				await database.pool.query<{ value: number }>(
					`SELECT r.value FROM rate r JOIN rate_set s ON s.id = r.rate_set_id JOIN scenario c ON c.rate_set_id = s.id JOIN member m ON m.id = c.member_id
					WHERE m.code = 'BUD28' AND r.currency = $1 AND r.kind = 'average' AND '2027-04-15' BETWEEN r.valid_from AND coalesce(r.valid_to, 'infinity')`,
					[currency]
				)
			).rows[0]!.value;
		const [gbp, nok] = [await rate('GBP'), await rate('NOK')];
		expect(came.rows[0]!.amount).toBeCloseTo(of.get('AMB')! + of.get('NOR')! / gbp + of.get('SKE')! / nok, 2);
		// Fetched once more it is what was loaded: nothing has moved.
		expect((await jobOf((await startFetch(maren, model, 'group-plan')).job)).words).toBe('Nothing new: the source is as it was.');
	});

	describe('come from the ledger service', () => {
		let service: Server;
		let drops = 0;
		beforeAll(async () => {
			service = createServer((request, response) => {
				const url = new URL(request.url!, 'http://x');
				if (!isLedgerToken((request.headers.authorization ?? '').replace('Bearer ', ''))) return void response.writeHead(401).end();
				if (drops-- > 0) return void request.socket.destroy();
				response.setHeader('content-type', 'application/json');
				response.end(
					JSON.stringify(
						ledgerPage(
							url.searchParams.get('company')!,
							url.searchParams.get('from')!,
							url.searchParams.get('to')!,
							Number(url.searchParams.get('page') ?? 0)
						)
					)
				);
			});
			await new Promise<void>((done) => service.listen(0, '127.0.0.1', done));
			process.env.LEDGER_URL = `http://127.0.0.1:${(service.address() as AddressInfo).port}/postings`;
			process.env.LEDGER_TOKEN = ledgerToken();
		});
		afterAll(() => void service.close());

		test('page by page, also when the line breaks once, and not at all when it stays broken', async () => {
			const code = await made('Service');
			await editImport(maren, 1, code, { act: 'place', place: { kind: 'ledger', company: '', from: '2026-10', to: '2026-12' } });
			drops = 1;
			const { state, result } = await jobOf((await startFetch(maren, 1, code)).job);
			expect(state).toBe('done');
			const detected = await detectKept(maren, 1, result.file!);
			expect(detected.headings).toEqual(['Account', 'Unit', 'Route', 'Posting date', 'Text', 'Amount', 'Currency']);
			drops = 99;
			expect((await jobOf((await startFetch(maren, 1, code)).job)).words).toContain('The ledger cannot be reached');
			drops = 0;
		}, 20_000);
		test('its costs were fetched for route results; nothing has been booked since', async () => {
			expect((await jobOf((await startFetch(maren, await routeResult(), 'ledger-costs')).job)).words).toBe(
				'Nothing new: the source is as it was.'
			);
		});
		test('and is the same each time it is asked', () => {
			const all = (page: number): unknown[] => {
				const { postings, next } = ledgerPage('', '2026-10', '2026-12', page);
				return next === null ? postings : [...postings, ...all(page + 1)];
			};
			expect(all(0)).toEqual(all(0));
			expect(all(0).length).toBeGreaterThan(500);
			expect(isLedgerToken('x')).toBe(false);
		});
	});
});

describe('a schedule', () => {
	test('tells its next moments in its time zone', () => {
		const moments = nextMoments('30 6 * * 1-5', 'Europe/Oslo', 2, new Date('2026-11-20T12:00:00Z'));
		expect(moments.map((moment) => moment.toISOString())).toEqual(['2026-11-23T05:30:00.000Z', '2026-11-24T05:30:00.000Z']);
	});
	test.each([
		['* * * *', 'UTC'],
		['61 * * * *', 'UTC'],
		['* * * * * *', 'UTC'],
		['* * * * *', 'Nowhere/City']
	])('%s in %s is refused with a sentence', (cron, zone) => expect(() => nextMoments(cron, zone)).toThrow(/schedule/));
	test('is for sources the server can fetch, and each moment counts once', async () => {
		await expect(setSchedule(maren, 1, 'ledger', { cron: '* * * * *', timeZone: 'UTC', active: true })).rejects.toThrow(
			'A file that people choose'
		);
		const { code } = await createImport(maren, 1, { name: 'Nightly', file: null });
		await editImport(maren, 1, code, { act: 'place', place: { kind: 'ledger', company: 'S', from: '2026-10', to: '2026-10' } });
		await setSchedule(maren, 1, code, { cron: '0 3 * * *', timeZone: 'UTC', active: true });
		expect(await takeDue(new Date(Date.now() + 1_000))).toEqual([]);
		const later = new Date(Date.now() + 25 * 3_600_000);
		const due = await Promise.all([takeDue(later), takeDue(later)]);
		expect(due.flat()).toMatchObject([{ code }]);
		await setSchedule(maren, 1, code, null);
	});
});

test('a job whose server died is ended, and its batch with it', async () => {
	const { job } = await startFetch(maren, 1, (await createImport(maren, 1, { name: 'Dead', file: null })).code).catch(() => ({ job: 0 }));
	expect(job).toBe(0);
	const made = await database.pool.query<{ id: number }>(
		"INSERT INTO job (model_id, person_id, kind, title, payload, state, seen_at) VALUES (1, 1, 'load', 'x', '{}', 'running', now() - interval '2 minutes') RETURNING id"
	);
	await endSilentJobs();
	await tend();
	expect(await jobOf(made.rows[0]!.id)).toMatchObject({ state: 'failed', words: expect.stringContaining('Nothing was written') });
	await expect(waitForLoad(made.rows[0]!.id)).rejects.toThrow('The server ended');
});
