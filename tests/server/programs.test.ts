import fc from 'fast-check';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { changeAccess, type GrantState } from '../../src/lib/server/access';
import { closePool, transaction } from '../../src/lib/server/database';
import { countUpStructure } from '../../src/lib/server/database/structure-version';
import { stopEngines } from '../../src/lib/server/engine';
import { formGrid, inspectFigure, openForm } from '../../src/lib/server/form';
import '../../src/lib/server/import';
import { startJobs, stopJobs } from '../../src/lib/server/jobs';
import { answerProgram, openApiDocument, OPERATIONS } from '../../src/lib/server/programs';
import { traceFigure } from '../../src/lib/server/runbook';
import { makeToken, personById, readToken, type Scope, type SignedIn } from '../../src/lib/server/session';
import { listModels } from '../../src/lib/server/database/definitions';
import { freshDatabase } from './demo-database';
import { faultOf } from './fault-of';

/** What programs ask with a token: slices, loads, runs; and that no road tells a restricted reader what is hidden. */
let database: Awaited<ReturnType<typeof freshDatabase>>;
const ids = new Map<string, number>();
let posts: number;
let line: number;

beforeAll(async () => {
	database = await freshDatabase('programs', { demo: true });
	process.env.DATABASE_URL = database.url;
	for (const { id, name } of (await database.pool.query<{ id: number; name: string }>('SELECT id, name FROM person')).rows)
		ids.set(name.split(' ')[0]!, id);
	posts = (await database.pool.query<{ id: number }>("SELECT id FROM model WHERE code = 'crew'")).rows[0]!.id;
	line = (await database.pool.query<{ id: number }>("SELECT id FROM dimension WHERE code = 'line'")).rows[0]!.id;
	// Everybody may make tokens here: what one does with them is another matter.
	await database.pool.query("INSERT INTO role_permission SELECT id, 'access.tokens' FROM role ON CONFLICT DO NOTHING");
	await startJobs();
}, 60_000);
afterAll(async () => {
	await stopJobs();
	await stopEngines();
	await closePool();
	await database.close();
});

const person = (name: string, model = 1): Promise<SignedIn> => personById(ids.get(name)!, model);
async function tokenOf(name: string, scopes: Scope[], here = false): Promise<string> {
	const { token } = await makeToken(await person(name), 1, { name: 'A program', scopes, here, days: 1 });
	return token;
}
/** Asks as a program with a token does. */
async function ask(
	token: string | undefined,
	method: 'GET' | 'POST',
	path: string,
	body?: unknown
): Promise<{ status: number; answer: never }> {
	const holder = token ? await readToken(token) : undefined;
	const models = holder ? (await listModels(database.pool)).filter(({ id }) => holder.known.mayEnter(id)) : [];
	const url = new URL(`http://x/api/v1${path}`);
	const sent = typeof body === 'string' || body === undefined ? body : JSON.stringify(body);
	return (await answerProgram(holder, models, {
		request: new Request(url, { method, ...(sent !== undefined && { body: sent, duplex: 'half' }) } as RequestInit),
		path: decodeURI(url.pathname).slice('/api/v1/'.length),
		search: url.searchParams
	})) as { status: number; answer: never };
}

describe('a program', () => {
	test('needs a token that holds, for what it asks, in a model it is for', async () => {
		expect((await faultOf(ask(undefined, 'GET', '/models'))).status).toBe(401);
		const read = await tokenOf('Osric', ['read'], true);
		expect((await ask(read, 'GET', '/models')).answer).toEqual({ models: [{ code: 'group', name: 'Group plan' }] });
		expect((await faultOf(ask(read, 'GET', '/models/crew/dimensions'))).status).toBe(404);
		expect((await faultOf(ask(read, 'GET', '/models/group/imports'))).status).toBe(403);
		expect((await faultOf(ask(read, 'GET', '/models/group/nothing'))).status).toBe(404);
		expect((await faultOf(ask(read, 'POST', '/models'))).status).toBe(404);
	});

	test('is let through to each operation by a token for it alone', async () => {
		const scopes = ['read', 'load', 'run'] as const;
		const tokens = new Map<string, string>();
		for (const scope of scopes) tokens.set(scope, await tokenOf('Maren', [scope], true));
		for (const { method, path, scope } of OPERATIONS) {
			const at = path.replace('{model}', 'group').replace(/\{\w+\}/g, '999999');
			expect((await faultOf(ask(undefined, method, at))).status, path).toBe(401);
			expect((await faultOf(ask('nlat_unknown', method, at))).status, path).toBe(401);
			if (scope === null) continue;
			for (const other of scopes.filter((each) => each !== scope))
				expect((await faultOf(ask(tokens.get(other), method, at))).status, `${path} with a token to ${other}`).toBe(403);
			// In a model it is not for, and in none, it is told the same.
			for (const model of ['crew', 'there-is-none'])
				expect((await faultOf(ask(tokens.get(scope), method, at.replace('group', model)))).message, path).toBe('There is no such model.');
			const own = await ask(tokens.get(scope), method, at).catch((failure: { status: number }) => failure);
			expect([200, 202, 400, 404, 422], path).toContain(own.status);
		}
	});

	test('reads a slice as a form shows it, by codes, in any currency', async () => {
		const token = await tokenOf('Maren', ['read']);
		const { answer } = await ask(token, 'GET', '/models/group/dimensions');
		const dimensions = (answer as { dimensions: { code: string; kind: string; members: number }[] }).dimensions;
		const codeOf = (kind: string) => dimensions.find((each) => each.kind === kind)!.code;
		const { members, more } = (await ask(token, 'GET', `/models/group/dimensions/${codeOf('account')}?most=5`)).answer as {
			members: { code: string }[];
			more: boolean;
		};
		expect([members.length, more]).toEqual([5, true]);
		const next = (await ask(token, 'GET', `/models/group/dimensions/${codeOf('account')}?most=5&after=${members[4]!.code}`)).answer as {
			members: { code: string }[];
		};
		expect(next.members[0]!.code > members[4]!.code).toBe(true);

		// Against a form: figures of it, each asked for by the codes of its members.
		const maren = await person('Maren');
		const all = await database.pool.query<{ id: number; code: string; dimension: string }>(
			'SELECT m.id, m.code, d.code AS dimension FROM member m JOIN dimension d ON d.id = m.dimension_id'
		);
		const memberOf = new Map(all.rows.map((each) => [each.id, each]));
		const forms = await database.pool.query<{ code: string }>('SELECT code FROM form WHERE model_id = 1 ORDER BY id LIMIT 4');
		let compared = 0;
		for (const { code } of forms.rows) {
			const choices = { members: {}, currency: 'EUR' };
			const { form } = await openForm(maren, 1, code, choices);
			const width = form.columns.length;
			for (let place = 0, taken = 0; place < form.values.length && taken < 6; place += 7) {
				if (form.rows[Math.floor(place / width)]!.kind !== 'cells' || form.columns[place % width]!.kind !== 'cells') continue;
				const { figure } = await inspectOf(maren, 1, code, choices, Math.floor(place / width), place % width);
				if (figure.place.length === 0 || figure.currency !== 'EUR') continue;
				const at = Object.fromEntries(figure.place.map((id) => [memberOf.get(id)!.dimension, memberOf.get(id)!.code]));
				const { [codeOf('account')]: account, [codeOf('period')]: period, ...rest } = at;
				const asked = { rows: { [codeOf('account')]: [account] }, columns: { [codeOf('period')]: [period] }, at: rest, currency: 'EUR' };
				const answer = (await ask(token, 'POST', '/models/group/figures', asked)).answer as { values: (number | string | null)[][] };
				const value = answer.values[0]![0]!;
				if (typeof value === 'number' && figure.value !== null) expect(value).toBeCloseTo(figure.value, 6);
				else if (typeof value !== 'string') expect(value).toBe(figure.value);
				taken++;
				compared++;
			}
		}
		expect(compared).toBeGreaterThan(12);
	});

	test('reads an alternate group, a total in local currency, a year cut by the span, and a formula’s result by hand', async () => {
		const token = await tokenOf('Maren', ['read']);
		const read = async (rows: object, at: object = {}, columns: object = { period: ['FY2028'] }, currency = 'EUR') =>
			((
				await ask(token, 'POST', '/models/crew/figures', {
					rows,
					columns,
					at: { 'pay-item': 'PAY', scenario: 'BUD28', version: 'WORK', ...at },
					currency
				})
			).answer as { rows: { lines: string[][] }; values: (number | null)[][] }) ?? {};
		// A group of an alternate hierarchy: two posts that stand apart in the main tree.
		const post = (await database.pool.query<{ id: number }>("SELECT id FROM dimension WHERE code = 'post'")).rows[0]!.id;
		await database.pool.query(
			`WITH h AS (INSERT INTO hierarchy (dimension_id, name, main) VALUES ($1, 'By grade', false) RETURNING id),
			g AS (INSERT INTO member (dimension_id, code, name) VALUES ($1, 'OFFICERS', 'Officers') RETURNING id)
			INSERT INTO hierarchy_node (hierarchy_id, dimension_id, member_id, parent_id, weight, position)
			SELECT h.id, $1, g.id, NULL::integer, 1, 1 FROM h, g
			UNION ALL SELECT h.id, $1, m.id, g.id, 1, 2 FROM h, g, member m WHERE m.dimension_id = $1 AND m.code IN ('DK-1', 'EN-1')`,
			[post]
		);
		const changed = () => transaction((client) => countUpStructure(client, [posts], 'definition'));
		await changed();
		const under = await read({ post: { under: 'OFFICERS' } }, { line: 'SKE' }, undefined, 'NOK');
		expect(under.rows.lines.flat().sort()).toEqual(['DK-1', 'EN-1', 'OFFICERS']);
		expect((await read({ post: { children: 'OFFICERS' } }, { line: 'SKE' })).rows.lines.flat().sort()).toEqual(['DK-1', 'EN-1']);
		// By hand: one chief mate of Skerry at 61,500 a month from April on, twelve months; no second engineer there.
		const of = (code: string) => under.values[under.rows.lines.findIndex(([line]) => line === code)]![0];
		expect([of('DK-1'), of('OFFICERS')]).toEqual([738_000, 738_000]);
		expect([null, 0]).toContain(of('EN-1'));
		// By hand: two second engineers of Northgate at 4,650 from April on, in its own currency: 111,600.
		const local = await read({ line: ['NOR', 'GROUP'] }, { post: 'EN-1' }, undefined, 'local');
		expect(local.values.map(([value]) => value)).toEqual([111_600, 111_600]);
		// Seafarers are paid in two currencies, which are not added up.
		expect((await read({ line: ['GROUP'] }, { post: 'DK-2' }, undefined, 'local')).values).toEqual([[null]]);
		// From September on: one electrician at 3,980, seven months of the year that ends in March.
		expect((await read({ post: ['EN-2'] }, { line: 'NOR' }, { period: ['FY2028', '2027-08', '2027-09'] }, 'GBP')).values).toEqual([
			[27_860, null, 3_980]
		]);
		// A scenario that does not speak about the year says nothing.
		expect((await read({ post: ['DK-1'] }, { line: 'SKE', scenario: 'BUD27' })).values).toEqual([[null]]);
		await database.pool.query("DELETE FROM hierarchy_node WHERE hierarchy_id = (SELECT id FROM hierarchy WHERE name = 'By grade')");
		await database.pool.query("DELETE FROM hierarchy WHERE name = 'By grade'");
		await database.pool.query("DELETE FROM member WHERE code = 'OFFICERS'");
		await changed();
	});

	test('is told in a sentence what is not there, and asks for no more than can be answered', async () => {
		const token = await tokenOf('Maren', ['read']);
		const asked = (change: Record<string, unknown>) =>
			faultOf(ask(token, 'POST', '/models/crew/figures', { rows: { account: ['PAY'] }, columns: { period: ['FY27'] }, at: {}, ...change }));
		for (const change of [{ rows: { weather: ['x'] } }, { rows: { [await dimensionCode('account')]: ['NOTHING'] } }])
			expect([(await asked(change)).status, (await asked(change)).message]).toEqual([
				422,
				expect.stringMatching(/has no (dimension|member)/)
			]);
		expect((await asked({ rows: { account: [] } })).status).toBe(400);
		expect((await asked({ rows: { account: { beside: 'x' } } })).status).toBe(400);
		expect((await faultOf(ask(token, 'POST', '/models/crew/figures', 'no JSON'))).status).toBe(400);
		expect((await faultOf(ask(token, 'GET', '/models/crew/dimensions/line?most=0'))).status).toBe(400);
		expect((await faultOf(ask(await tokenOf('Maren', ['run']), 'GET', '/models/crew/runs/99999999999'))).status).toBe(404);
	});

	test('loads a file, once, and hears what came of it', async () => {
		const token = await tokenOf('Osric', ['load']);
		const { imports } = (await ask(token, 'GET', '/models/group/imports')).answer as { imports: { code: string; name: string }[] };
		const code = imports.find(({ name }) => /ledger/i.test(name))!.code;
		const file = 'Account;Unit;Route;Posting date;Text;Amount\n5700;S-AD;;2027-05-03;By a program;-12.50\n';
		const path = `/models/group/imports/${code}/loads?name=by-a-program.csv&rejects=load%20good%20rows`;
		const begun = await ask(token, 'POST', path, file);
		expect(begun.status).toBe(202);
		const { job } = begun.answer as { job: number };
		await expect
			.poll(async () => ((await ask(token, 'GET', `/models/group/loads/${job}`)).answer as { state: string }).state, { timeout: 30_000 })
			.toMatch(/done|failed/);
		expect((await faultOf(ask(token, 'GET', `/models/crew/loads/${job}`))).status).toBe(404);
		const again = await faultOf(ask(token, 'POST', path, file));
		expect([again.status, again.code]).toEqual([409, 'loaded before']);
		expect((await faultOf(ask(token, 'POST', `/models/group/imports/none/loads?name=x.csv`, file))).status).toBe(404);
	});

	test('starts a runbook and hears what it did', async () => {
		const token = await tokenOf('Osric', ['run']);
		const { runbooks } = (await ask(token, 'GET', '/models/group/runbooks')).answer as { runbooks: { id: number; name: string }[] };
		expect(runbooks.length).toBeGreaterThan(0);
		const outcomes = await Promise.all(
			runbooks.map(async ({ id }) =>
				ask(token, 'POST', `/models/group/runbooks/${id}/runs`, {}).catch((failure: { status: number; message: string }) => failure)
			)
		);
		// Those that ask for something say what; the others run.
		const begun = outcomes.find(({ status }) => status === 202) as { answer: { run: number } } | undefined;
		expect(begun).toBeDefined();
		await expect
			.poll(async () => ((await ask(token, 'GET', `/models/group/runs/${begun!.answer.run}`)).answer as { state: string }).state, {
				timeout: 60_000
			})
			.toMatch(/done|failed/);
	});
});

test('the document says every operation there is, in the terms of its standard', () => {
	const document = openApiDocument('https://plan.example') as {
		openapi: string;
		servers: unknown;
		paths: Record<string, Record<string, { parameters: { name: string; in: string }[]; responses: Record<string, unknown> }>>;
	};
	expect([document.openapi, document.servers]).toEqual(['3.1.0', [{ url: 'https://plan.example/api/v1' }]]);
	for (const { method, path, status } of OPERATIONS) {
		const operation = document.paths[path]![method.toLowerCase()]!;
		expect(operation.parameters.filter((each) => each.in === 'path').map(({ name }) => `{${name}}`)).toEqual(
			[...path.matchAll(/\{\w+\}/g)].map(String)
		);
		expect(Object.keys(operation.responses)).toContain(String(status));
	}
	// Nothing in it that JSON cannot say.
	expect(JSON.parse(JSON.stringify(document))).toEqual(document);
});

const inspectOf = async (
	reader: SignedIn,
	model: number,
	code: string,
	choices: { members: Record<string, number>; currency?: string },
	row: number,
	column: number
) => {
	const inspected = await inspectFigure(reader, model, code, choices, row, column);
	return { inspected, figure: inspected as unknown as { place: number[]; value: number | null; currency: string } };
};
const dimensionCode = async (kind: string) =>
	(
		await database.pool.query<{ code: string }>(
			'SELECT d.code FROM dimension d JOIN model_dimension o ON o.dimension_id = d.id WHERE o.model_id = $1 AND d.kind = $2',
			[posts, kind]
		)
	).rows[0]!.code;

describe('who reads a part', () => {
	test('is told by every road what the leaves they may read come to, and nothing else', async () => {
		const maren = await person('Maren', posts);
		const post = (await database.pool.query<{ id: number; code: string }>("SELECT id, code FROM dimension WHERE code = 'post'")).rows[0]!;
		const before = await database.pool.query<{ dimension: number }>(
			'SELECT dimension_id AS dimension FROM guarded_dimension WHERE model_id = $1',
			[posts]
		);
		await changeAccess(maren, posts, {
			kind: 'guarded',
			id: posts,
			before: { dimensions: before.rows.map(({ dimension }) => dimension) },
			after: { dimensions: [line, post.id].sort((one, other) => one - other) }
		});
		const members = (
			await database.pool.query<{ id: number; code: string; dimension: number; parent: string | null }>(
				`SELECT m.id, m.code, m.dimension_id AS dimension, p.code AS parent FROM member m JOIN hierarchy h ON h.dimension_id = m.dimension_id AND h.main
				JOIN hierarchy_node n ON n.hierarchy_id = h.id AND n.member_id = m.id LEFT JOIN member p ON p.id = n.parent_id WHERE m.dimension_id = ANY ($1)`,
				[[line, post.id]]
			)
		).rows;
		const of = (dimension: number) => members.filter((each) => each.dimension === dimension);
		const isLeaf = (code: string, dimension: number) => !of(dimension).some(({ parent }) => parent === code);
		const under = (code: string, above: string, dimension: number): boolean => {
			for (let at: string | null = code; at !== null; at = of(dimension).find((each) => each.code === at)?.parent ?? null)
				if (at === above) return true;
			return false;
		};
		const leaves = (dimension: number) =>
			of(dimension)
				.map(({ code }) => code)
				.filter((code) => isLeaf(code, dimension));
		const [accounts, periods, scenarios] = await Promise.all(['account', 'period', 'scenario'].map(dimensionCode));
		const lineCode = (await database.pool.query<{ code: string }>('SELECT code FROM dimension WHERE id = $1', [line])).rows[0]!.code;
		const ACCOUNTS = ['COST', 'PAY', 'BON', 'CHG', 'NUM'];
		const PERIODS = (
			await database.pool.query<{ code: string }>(
				"SELECT m.code FROM member m JOIN period p ON p.member_id = m.id JOIN dimension d ON d.id = m.dimension_id WHERE d.code = $1 AND m.code ~ '2028|^2027-0[4-9]$' ORDER BY p.start_date LIMIT 14",
				[periods]
			)
		).rows.map(({ code }) => code);
		const all = await tokenOf('Maren', ['read']);
		const scenario = ((await ask(all, 'GET', `/models/crew/dimensions/${scenarios}`)).answer as { members: { code: string }[] }).members;
		type Answer = { rows: { lines: string[][] }; columns: { lines: string[][] }; values: (number | null)[][]; restricted: boolean };
		const read = async (token: string, at: Record<string, string>, lines: unknown, posted: unknown) =>
			(
				await ask(token, 'POST', '/models/crew/figures', {
					rows: { [lineCode]: lines, [post.code]: posted, [accounts!]: ACCOUNTS },
					columns: { [periods!]: PERIODS },
					at,
					currency: 'EUR'
				})
			).answer as Answer;
		/** Every leaf, as who reads everything has it. */
		const oracle = new Map<string, number>();
		const places = scenario.flatMap(({ code }) => ['WORK', 'FINAL'].map((version) => ({ [scenarios!]: code, version })));
		const keyOf = (at: Record<string, string>, ...rest: string[]) => [at[scenarios!], at.version, ...rest].join(' ');
		for (const at of places) {
			const found = await read(all, at, leaves(line), leaves(post.id));
			expect(found.restricted).toBe(false);
			found.rows.lines.forEach((row, index) =>
				found.columns.lines.forEach(([period], column) => {
					const value = found.values[index]![column];
					if (value !== null && value !== undefined) oracle.set(keyOf(at, ...row, period!), value);
				})
			);
		}
		expect(oracle.size).toBeGreaterThan(100);
		const allowed = (grants: readonly GrantState[], at: string, posted: string): boolean => {
			const covers = ({ members: named }: GrantState) =>
				(
					[
						[line, at],
						[post.id, posted]
					] as const
				).every(([dimension, code]) => {
					const here = named.filter((id) => of(dimension).some((each) => each.id === id));
					return here.length === 0 || here.some((id) => under(code, of(dimension).find((each) => each.id === id)!.code, dimension));
				});
			const covering = grants.filter(covers);
			return covering.some(({ level }) => level !== 'none') && !covering.some(({ level }) => level === 'none');
		};
		const expectedAt = (
			grants: readonly GrantState[],
			at: Record<string, string>,
			lineAt: string,
			postAt: string,
			account: string,
			period: string
		): number | null => {
			let sum: number | null = null;
			for (const one of leaves(line).filter((code) => under(code, lineAt, line)))
				for (const two of leaves(post.id).filter((code) => under(code, postAt, post.id))) {
					const value = oracle.get(keyOf(at, one, two, account, period));
					if (value !== undefined && allowed(grants, one, two)) sum = (sum ?? 0) + value;
				}
			return sum;
		};
		/** Facts are not added up: of parents only what is blank says nothing. */
		const isSummed = (account: string, lineAt: string, postAt: string) =>
			account !== 'NUM' || (isLeaf(lineAt, line) && isLeaf(postAt, post.id));
		const near = (value: number | null, expected: number | null, where: string) => {
			if (expected === null || value === null) expect(value ?? 0, where).toBe(expected ?? 0);
			else expect(Math.abs(value - expected), where).toBeLessThan(0.01);
		};

		const slices = fc.record({
			level: fc.constantFrom('read' as const, 'write' as const, 'read' as const, 'none' as const),
			lines: fc.option(
				fc.subarray(
					of(line).map(({ id }) => id),
					{ minLength: 1, maxLength: 2 }
				),
				{ nil: [] }
			),
			posts: fc.option(
				fc.subarray(
					of(post.id).map(({ id }) => id),
					{ minLength: 1, maxLength: 3 }
				),
				{ nil: [] }
			)
		});
		const tove = await tokenOf('Tove', ['read']);
		// Where there is something to hide.
		const filled = places.filter((at) => [...oracle.keys()].some((key) => key.startsWith(keyOf(at))));
		let figures = 0;
		let told = 0;
		await fc.assert(
			fc.asyncProperty(fc.array(slices, { minLength: 1, maxLength: 5 }), fc.constantFrom(...filled), fc.nat(), async (asked, at, pick) => {
				await database.pool.query('DELETE FROM access_grant WHERE model_id = $1 AND person_id = $2', [posts, ids.get('Tove')]);
				const grants = asked.map(({ level, lines, posts: named }, index): GrantState => ({
					holder: { person: ids.get('Tove')! },
					name: `g${index}`,
					level,
					members: [...lines, ...named].sort((one, other) => one - other)
				}));
				for (const after of grants) await changeAccess(maren, posts, { kind: 'grant', id: null, before: null, after });
				const reader = await person('Tove', posts);
				const reached = (dimension: number, codes: readonly string[]) =>
					codes.filter((code) =>
						leaves(line).some((one) =>
							leaves(post.id).some((two) => under(dimension === line ? one : two, code, dimension) && allowed(grants, one, two))
						)
					);
				const [lineCodes, postCodes] = [
					reached(
						line,
						of(line).map(({ code }) => code)
					),
					reached(
						post.id,
						of(post.id).map(({ code }) => code)
					)
				];
				// Members there is nothing for are not there.
				const listed = async (dimension: string) =>
					((await ask(tove, 'GET', `/models/crew/dimensions/${dimension}`)).answer as { members: { code: string }[] }).members
						.map(({ code }) => code)
						.sort();
				expect(await listed(lineCode)).toEqual([...lineCodes].sort());
				expect(await listed(post.code)).toEqual([...postCodes].sort());
				if (lineCodes.length === 0) return;
				const found = await read(tove, at, lineCodes, postCodes);
				found.rows.lines.forEach(([lineAt, postAt, account], row) =>
					found.columns.lines.forEach(([period], column) => {
						if (!isSummed(account!, lineAt!, postAt!)) return;
						near(
							found.values[row]![column]!,
							expectedAt(grants, at, lineAt!, postAt!, account!, period!),
							`${lineAt} ${postAt} ${account} ${period}`
						);
						if (found.values[row]![column] !== null) figures++;
					})
				);
				// A form, its figures one by one, and its export.
				const chosen = of(line).find(({ code }) => code === lineCodes[pick % lineCodes.length])!;
				const choices = { members: { [line]: chosen.id }, currency: 'EUR' };
				const open = await openForm(reader, posts, 'crew-posts', choices).catch((failure: { status: number }) => failure.status);
				// Of lines the form does not offer there is nothing to show.
				if (typeof open === 'number') {
					expect(open).toBe(422);
					return;
				}
				const byId = new Map(
					(
						await database.pool.query<{ id: number; code: string; dimension: string }>(
							'SELECT m.id, m.code, d.code AS dimension FROM member m JOIN dimension d ON d.id = m.dimension_id'
						)
					).rows.map((each) => [each.id, each])
				);
				const width = open.form.columns.length;
				for (let place = 0; place < open.form.values.length; place++) {
					if (open.form.rows[Math.floor(place / width)]!.kind !== 'cells' || open.form.columns[place % width]!.kind !== 'cells') continue;
					const { figure } = await inspectOf(reader, posts, 'crew-posts', choices, Math.floor(place / width), place % width);
					const where = Object.fromEntries(figure.place.map((id) => [byId.get(id)!.dimension, byId.get(id)!.code]));
					if (!ACCOUNTS.includes(where[accounts!]!) || !PERIODS.includes(where[periods!]!)) continue;
					if (!isSummed(where[accounts!]!, where[lineCode]!, where[post.code]!)) continue;
					const expected = expectedAt(grants, where, where[lineCode]!, where[post.code]!, where[accounts!]!, where[periods!]!);
					near(open.form.values[place]!, expected, `form ${JSON.stringify(where)}`);
					near(figure.value, expected, `inspector ${JSON.stringify(where)}`);
					told++;
				}
				if (reader.readsPart) {
					expect((await formGrid(reader, posts, 'crew-posts', choices)).name).toContain('of what may be read');
					const traced = await faultOf(traceFigure(reader, posts, { members: [1], period: 1, direction: 'back' } as never));
					expect([403, 404, 422]).toContain(traced.status);
				}
			}),
			{ numRuns: 25, interruptAfterTimeLimit: 60_000 }
		);
		expect(figures).toBeGreaterThan(500);
		expect(told).toBeGreaterThan(10);
	}, 120_000);
});
