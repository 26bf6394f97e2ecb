import ExcelJS from 'exceljs';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { chainOf, isTied, proofsOf, runbookDifferences, type ProofRow } from '../../src/lib/core';
import { closePool } from '../../src/lib/server/database';
import { stopEngines, type TraceBack } from '../../src/lib/server/engine';
import { enterFigures, inspectFigure, openForm, saveDraft } from '../../src/lib/server/form';
import {
	cellsOfProof,
	checkBeforeRun,
	checkFreshness,
	createRunbook,
	flowOfRunbook,
	previewRun,
	readRun,
	readRunbook,
	runbookOfRun,
	runRunbook,
	saveRunbook,
	startRun,
	takeBackRun,
	tieOutGrid,
	tieOutWorkbook,
	traceFigure,
	type StepDraft
} from '../../src/lib/server/runbook';
import type { SignedIn } from '../../src/lib/server/session';
import { expectJournalHolds, followModel, freshDatabase, peopleOf } from './demo-database';
import { putLock } from './locked';
import { faultOf } from './fault-of';
import { branchHere, makeBranch, runInBranch } from '../../src/lib/server/branch';
import { openView, startView } from '../../src/lib/server/insight';

/** The model of route results of the demo, shared out and proven. */
let database: Awaited<ReturnType<typeof freshDatabase>>;
let people = new Map<string, SignedIn>();
let model: number;
let runbook: number;
let expectFollowed: () => Promise<void>;
const maren = () => people.get('Maren')!;

beforeAll(async () => {
	database = await freshDatabase('allocations', { demo: true });
	process.env.DATABASE_URL = database.url;
	people = await peopleOf(database.pool);
	const found = await database.pool.query<{ model: number; runbook: number }>(
		"SELECT m.id AS model, r.id AS runbook FROM model m JOIN runbook r ON r.model_id = m.id WHERE m.code = 'route-result'"
	);
	({ model, runbook } = found.rows[0]!);
	expectFollowed = await followModel(database.url, model);
}, 60_000);
afterAll(async () => {
	await stopEngines();
	await closePool();
	await database.close();
});

const run = async (person = maren(), part: { only?: number[]; clears?: boolean } = {}) =>
	readRun(person, model, (await startRun(person, model, runbook, { answers: {}, ...part })).run);
/** Costs of the budget where objects, routes, channels and customers are what is asked for. */
const costs = async (where: string): Promise<number> =>
	(
		await database.pool.query<{ sum: number }>(
			`SELECT coalesce(sum(amount), 0) AS sum FROM report_cells_${model} WHERE scenario = 'BUD28' AND "result-item" IN ('PAY', 'SVC', 'NRG') AND ${where}`
		)
	).rows[0]!.sum;
const at = (object: string) => `"cost-object" = '${object}'`;
/** Where a figure of another object went. */
async function flowedFrom(object: string, figure: { members: number[]; period: number }): Promise<TraceBack> {
	const found = await database.pool.query<{ id: number; axis: number }>(
		`SELECT m.id, (SELECT count(*)::integer FROM model_dimension b JOIN dimension k ON k.id = b.dimension_id
			WHERE b.model_id = $1 AND b.position < o.position AND k.kind <> 'period') AS axis
		FROM member m JOIN dimension d ON d.id = m.dimension_id JOIN model_dimension o ON o.dimension_id = d.id AND o.model_id = $1
		WHERE d.code = 'cost-object' AND m.code = $2`,
		[model, object]
	);
	const { id, axis } = found.rows[0]!;
	return traceFigure(maren(), model, { ...figure, members: figure.members.with(axis, id), way: 'forward' });
}
const rounded = (value: number) => Math.round(value * 100) / 100;
const summed = (rows: readonly ProofRow[], of: 'in' | 'out' | 'stranded') => rounded(rows.reduce((sum, row) => sum + row[of], 0));

describe('costs of the demo', () => {
	test('are checked, shared out in six steps, two of them together, and what nobody surveyed is stranded and named', async () => {
		const draft = await readRunbook(maren(), model, runbook);
		expect(draft.findings).toEqual([]);
		// One list before anything is written: what nobody surveyed, and what was broken on the page.
		expect((await checkBeforeRun(maren(), model, runbook, { answers: {}, draft, only: null })).findings).toEqual([
			{ step: 3, severity: 'hint', message: 'Crew hours: Nothing weighs the receivers. Stranded in Jun 2027.' }
		]);
		const broken = draft.steps.map((step, place) => {
			if (step.kind !== 'allocation') return step;
			if (place === 2) return { ...step, lines: step.lines.map((line) => ({ ...line, receivers: {} })) };
			return place === 3 ? { ...step, noDriver: 'stop' as const, preset: undefined } : step;
		});
		const found = (await checkBeforeRun(maren(), model, runbook, { answers: {}, draft: { ...draft, steps: broken }, only: null })).findings;
		expect(found.map(({ step, severity }) => [step, severity])).toEqual(expect.arrayContaining([[2, 'error']]));
		expect(
			(await checkBeforeRun(maren(), model, runbook, { answers: {}, draft: { ...draft, steps: broken }, only: [4] })).findings
		).toEqual([{ step: 4, severity: 'hint', message: 'The pool is empty: there was nothing to share out.' }]);
		const stops = {
			...draft,
			steps: draft.steps.map((step) => (step.kind === 'allocation' ? { ...step, noDriver: 'stop' as const, preset: undefined } : step))
		};
		expect((await checkBeforeRun(maren(), model, runbook, { answers: {}, draft: stops, only: null })).findings).toEqual(
			expect.arrayContaining([{ step: 3, severity: 'error', message: expect.stringMatching(/^there is no driver in Jun 2027/) as string }])
		);
		expect(await costs("customer <> 'NOCUSTOMER'")).toBe(0);
		const booked = await costs('true');
		const [machines, office] = [await costs(`${at('B-DC')} AND period_of_year = 1`), await costs(`${at('B-FO')} AND period_of_year = 1`)];
		const done = await run();
		const proofs = proofsOf(done.log);
		expect(proofs.map(({ step }) => step)).toEqual([
			'Data centre',
			'Fleet office',
			'Bookings to resources',
			'Resources to activities',
			'Activities to routes',
			'Routes to channels and customers'
		]);
		for (const { sums } of proofs) for (const { difference } of sums) expect(difference).toBe(0);
		// Those that serve one another share out what they have, and what they get from one another: x = a + 0.1 y, y = b + 0.15 x.
		const [gross] = proofs[0]!.rows.filter(({ period }) => period === 'Apr 2027');
		expect(gross!.in).toBeCloseTo((machines + 0.1 * office) / (1 - 0.015), 2);
		expect(gross!.out).toBe(gross!.in);
		expect(proofs.map(({ sums }) => isTied(sums[0]!))).toEqual([true, true, true, false, true, true]);
		// Of the berths only what was used went out: what was not stays there, and a unit of them costs what they all cost.
		expect(proofs[4]!.sums[0]!.kept).toBeGreaterThan(0);
		const unit = async (item: string) => {
			const found = await database.pool.query<{ amount: number }>(
				`SELECT amount FROM report_cells_${model} WHERE "result-item" = $1 AND ${at('A-BERTH')} AND route = 'NOROUTE' AND period_of_year = 1`,
				[item]
			);
			return found.rows[0]!.amount;
		};
		expect((await unit('USE')) + (await unit('NOT'))).toBe(1_500);
		const berthing = proofs[4]!.rows.find(({ line, period }) => line === 'Berthing' && period === 'Apr 2027')!;
		expect((await unit('UCO')) * 1_500).toBeCloseTo(berthing.in, 2);
		expect(berthing.kept).toBeCloseTo((await unit('UCO')) * (await unit('NOT')), 1);
		const stranded = done.log[3]!.proof!.stranded;
		expect(stranded.length).toBeGreaterThan(0);
		expect(new Set(stranded.map(({ line, period, why }) => `${line}, ${period}: ${why}`))).toEqual(
			new Set(['Crew hours, Jun 2027: Nothing weighs the receivers.'])
		);
		expect(summed(proofs[3]!.rows, 'stranded')).toBe(rounded(await costs('"cost-object" = \'R-CREW\'')));
		const [chain] = chainOf(proofs);
		expect(chain!.firstIn).toBeCloseTo(booked, 2);
		expect(chain!.finalOut + chain!.stranded + chain!.kept).toBeCloseTo(booked, 2);
		// Nothing is lost on the way, and what is shared has come to the customers.
		expect(rounded(await costs('true'))).toBe(rounded(booked));
		expect(rounded(await costs("customer <> 'NOCUSTOMER'"))).toBe(rounded(summed(proofs[5]!.rows, 'out')));
		expect(await costs("\"cost-object\" LIKE 'B-%' AND customer = 'NOCUSTOMER'")).toBeCloseTo(0, 4);
		const form = await openForm(maren(), model, 'route-by-channel', { members: {}, currency: 'EUR' });
		expect(form.form.values.some((value) => value !== null && value > 0)).toBe(true);
	}, 60_000);

	test('run again they change nothing; with the survey filled in they tie out', async () => {
		const again = await run();
		expect([again.cells, again.revision]).toEqual([0, null]);
		expect(await checkFreshness(maren(), model, runbook)).toMatchObject({ through: null, runs: [{ outOfDate: false }, {}] });
		// Hours of June are typed into the survey; those of a scenario that is not shared out are nobody's driver.
		const choices = { members: {}, currency: 'EUR' };
		const scenario = await database.pool.query<{ of: number; id: number }>(
			"SELECT m.dimension_id AS of, m.id FROM member m JOIN dimension d ON d.id = m.dimension_id WHERE d.kind = 'scenario' AND m.code = 'STR'"
		);
		const other = { members: { [scenario.rows[0]!.of]: scenario.rows[0]!.id }, currency: 'EUR' };
		const { form: elsewhere } = await openForm(maren(), model, 'hours-survey', other);
		await enterFigures(maren(), model, 'hours-survey', other, {
			entries: [{ row: 0, column: 11, text: '7' }],
			structure: elsewhere.structure
		});
		await saveDraft(maren(), model, 'hours-survey', { keepMine: [], takeTheirs: [] });
		expect((await checkFreshness(maren(), model, runbook)).through).toBeNull();
		const { form } = await openForm(maren(), model, 'hours-survey', choices);
		const row = form.rows.findIndex(({ label }) => label === 'Sailing');
		const column = form.columns.findIndex(({ label }) => label.startsWith('Jun'));
		await enterFigures(maren(), model, 'hours-survey', choices, { entries: [{ row, column, text: '5800' }], structure: form.structure });
		await saveDraft(maren(), model, 'hours-survey', { keepMine: [], takeTheirs: [] });
		const stale = await checkFreshness(maren(), model, runbook);
		expect(stale).toMatchObject({ through: 'Survey of hours', runs: [{ outOfDate: true }, {}] });
		expect((await faultOf(checkFreshness(people.get('Tove'), model, runbook))).status).toBe(403);
		// Of another group alone run anew, the steps that read it are behind all the same.
		await database.pool.query('UPDATE run SET out_of_date = false');
		const pair = (await readRunbook(maren(), model, runbook)).steps.filter(({ group }) => group === 'Services to one another');
		const behind = (await run(maren(), { only: pair.map(({ id }) => id!) })).id;
		const partly = await checkFreshness(maren(), model, runbook);
		expect([partly.through, partly.runs[0]!.id, partly.runs[0]!.outOfDate, partly.runs[1]!.outOfDate]).toEqual([
			'Survey of hours',
			behind,
			false,
			true
		]);
		const done = await run();
		expect((await checkFreshness(maren(), model, runbook)).runs[0]).toMatchObject({ id: done.id, outOfDate: false });
		expect(proofsOf(done.log).every(({ sums }) => sums.every(isTied))).toBe(true);
		expect(await costs('"cost-object" = \'R-CREW\'')).toBeCloseTo(0, 4);
	}, 60_000);

	test('a customer’s figure is followed back, stage by stage, to what was loaded', async () => {
		const dimensions = await database.pool.query<{ id: number; code: string; kind: string }>(
			'SELECT d.id, d.code, d.kind FROM model_dimension md JOIN dimension d ON d.id = md.dimension_id WHERE md.model_id = $1 ORDER BY md.position',
			[model]
		);
		const idOf = async (dimension: string, code: string) =>
			(
				await database.pool.query<{ id: number }>(
					'SELECT m.id FROM member m JOIN dimension d ON d.id = m.dimension_id WHERE d.code = $1 AND m.code = $2',
					[dimension, code]
				)
			).rows[0]!.id;
		const named: Record<string, string> = {
			'result-item': 'COST',
			scenario: 'BUD28',
			'cost-object': 'ACTIVITIES',
			route: 'R05',
			'sales-channel': 'WEB',
			customer: 'VISITORS'
		};
		const members: number[] = [];
		for (const { code, kind } of dimensions.rows) if (kind !== 'period') members.push(await idOf(code, named[code]!));
		const node = { members, period: await idOf('period', '2027-05') };
		const first = await traceFigure(maren(), model, node);
		expect(first.total).toBeCloseTo(
			await costs(
				"route = 'R05' AND \"sales-channel\" = 'WEB' AND customer = 'VISITORS' AND \"cost-object\" LIKE 'A-%' AND period_of_year = 2"
			),
			2
		);
		expect(first.total).toBeGreaterThan(0);
		expect(new Set(first.sources.map(({ kind, name }) => `${kind}: ${name}`))).toEqual(new Set(['pool: Routes to channels and customers']));
		// Each hop adds up to the part one came from, until only what was loaded is left.
		const stages = new Set<string>();
		const follow = async (at: TraceBack, depth: number): Promise<number> => {
			const sum = at.sources.reduce((all, { part }) => all + part, 0);
			expect(sum).toBeCloseTo(at.amount, 2);
			let loaded = 0;
			for (const source of at.sources.slice(0, 4)) {
				stages.add(`${depth} ${source.kind} ${source.name}`);
				if (source.kind === 'load') loaded++;
				if (source.node)
					loaded += await follow(await traceFigure(maren(), model, { ...source.node, by: source.origin, amount: source.part }), depth + 1);
			}
			return loaded;
		};
		expect(await follow(first, 1)).toBeGreaterThan(0);
		expect([...stages].sort()).toEqual([
			'1 pool Routes to channels and customers',
			'2 pool Activities to routes',
			'3 pool Resources to activities',
			'4 pool Bookings to resources',
			'4 pool Data centre',
			'4 pool Fleet office',
			'5 load Costs of the group plan'
		]);
		// By hand: a part of sailing by its sailings.
		const sailing = await idOf('cost-object', 'A-SAIL');
		const route = first.sources.find(({ node }) => node?.members.includes(sailing))!;
		const second = await traceFigure(maren(), model, { ...route.node!, by: route.origin, amount: route.part });
		const pool = second.sources[0]!;
		expect(pool.by).toMatch(/^by /);
		expect(pool.amount).toBeCloseTo((pool.of! * pool.weight!) / pool.weights!, 1);
		expect((await faultOf(traceFigure(maren(), model, { members: members.with(0, 999_999), period: node.period }))).status).toBe(422);
	}, 60_000);

	test('in a branch a figure is followed through what ran there, in the plan through what ran in the plan', async () => {
		const rounds = async (person: SignedIn, at: TraceBack, depth = 0): Promise<TraceBack[]> => {
			const next = at.sources.find(({ node }) => node !== null);
			if (!next?.node || depth > 6) return [at];
			const asked = { ...next.node, by: next.origin, amount: next.part };
			return [at, ...(await rounds(person, await traceFigure(person, model, asked), depth + 1))];
		};
		const [web] = (await flowOfRunbook(maren(), model, runbook, {})).picture.nodes.filter(({ name }) => name === 'Web, Visitors');
		const plan = await rounds(maren(), await traceFigure(maren(), model, web!.figure!));
		const { id } = await makeBranch(maren(), model, { name: 'Twice booked', purpose: '', due: null, everybody: 'nothing', people: [] });
		const within: SignedIn = { ...maren(), branch: await branchHere(maren(), model, id) };
		// Nothing ran there yet: what the plan's runs shared out reads through.
		expect(await rounds(within, await traceFigure(within, model, web!.figure!))).toEqual(plan);
		// A thousand more is booked there where the figure began: what stays of a booking is nothing.
		const last = plan.at(-2)!.sources.find(({ node }) => node !== null)!.node!;
		const { code } = await startView(within, model, { place: [...last.members, last.period], choices: {}, name: '' });
		const { opened } = await openView(within, model, code, { members: {}, currency: 'EUR' });
		const entries = [{ row: 0, column: 0, text: '1000' }];
		const choices = { members: {}, currency: 'EUR' };
		expect((await enterFigures(within, model, code, choices, { entries, structure: opened.form.structure })).faults).toEqual([]);
		expect(await saveDraft(within, model, code, { keepMine: [], takeTheirs: [] })).toMatchObject({ kind: 'saved' });
		await runInBranch(maren(), model, { id, runbook, answers: {} });
		const there = await rounds(within, await traceFigure(within, model, web!.figure!));
		expect(there[0]!.total).toBeGreaterThan(plan[0]!.total);
		for (const at of there) expect(at.sources.reduce((all, { part }) => all + part, 0)).toBeCloseTo(at.amount, 2);
		expect(there.map(({ sources }) => sources[0]!.kind)).toEqual([...there.slice(1).map(() => 'pool'), 'entry']);
		// All of it is told by what ran there: nothing is left over that only the plan's runs could explain.
		const kinds = new Set(there.slice(0, -1).flatMap(({ sources }) => sources.map(({ kind }) => kind)));
		expect([...kinds]).toEqual(['pool']);
		// The plan stands as it did, and so does what is told of it.
		expect(await rounds(maren(), await traceFigure(maren(), model, web!.figure!))).toEqual(plan);
	}, 60_000);

	test('the flow picture shows every stage, ties with the proof, and its places are figures that can be traced', async () => {
		const { picture } = await flowOfRunbook(maren(), model, runbook, {});
		expect(picture.stages).toEqual([
			'Data centre and Fleet office',
			'Bookings to resources',
			'Resources to activities',
			'Activities to routes',
			'Routes to channels and customers'
		]);
		expect([picture.currency, picture.incomplete]).toEqual(['EUR', false]);
		expect(picture.periods[0]!.name).toMatch(/2028/);
		const sum = (of: (node: (typeof picture.nodes)[number]) => number) => picture.nodes.reduce((all, node) => all + of(node), 0);
		// What began is what was booked, and all of it is where it ended.
		expect(sum(({ stage, out }) => (stage === 0 ? out : 0))).toBeCloseTo(await costs('true'), 1);
		expect(sum(({ stage, in: came, out }) => (stage === 0 ? 0 : came - out))).toBeCloseTo(await costs('true'), 1);
		for (const { from, to } of picture.links) expect(picture.nodes[from]!.stage).toBeLessThan(picture.nodes[to]!.stage);
		const sailing = picture.nodes.find(({ name }) => name === 'Sailing')!;
		expect(sailing.in).toBeCloseTo(sailing.out, 2);
		const web = picture.nodes.find(({ name }) => name === 'Web, Visitors')!;
		const traced = await traceFigure(maren(), model, web.figure!);
		expect(traced.total).toBeCloseTo(web.in, 2);
		// A month, and a part of the costs: no more than that.
		const [item] = picture.slice.filter(({ members }) => members.some(({ name }) => name === 'Pay and people'));
		const pay = item!.members.find(({ name }) => name === 'Pay and people')!.id;
		const may = picture.periods.find(({ name }) => name === 'May 2027')!.id;
		const part = (await flowOfRunbook(maren(), model, runbook, { period: may, slice: { [item!.dimension]: pay } })).picture;
		const began = part.nodes.filter(({ stage }) => stage === 0).reduce((all, { out }) => all + out, 0);
		const booked = await database.pool.query<{ sum: number }>(
			`SELECT sum(amount) AS sum FROM report_cells_${model} WHERE "result-item" = 'PAY' AND period_of_year = 2`
		);
		expect(began).toBeCloseTo(booked.rows[0]!.sum, 2);
		expect((await faultOf(flowOfRunbook(people.get('Tove'), model, runbook, {}))).status).toBe(403);
		expect((await faultOf(flowOfRunbook(maren(), 1, runbook, {}))).status).toBe(404);
	}, 60_000);

	test('every figure of the proof has its cells: what came in, and who got it', async () => {
		const runs = await database.pool.query<{ id: number }>("SELECT id FROM run WHERE runbook_id = $1 AND state = 'done' ORDER BY id DESC", [
			runbook
		]);
		const { log } = await readRun(maren(), model, runs.rows[0]!.id);
		let compared = 0;
		for (const { of, step, rows } of proofsOf(log))
			for (const row of rows.filter(({ line, period }) => line !== '' && ['Apr 2027', 'Jun 2027'].includes(period)))
				for (const side of ['in', 'out'] as const) {
					const { cells, count } = await cellsOfProof(maren(), model, runs.rows[0]!.id, {
						step: of,
						line: row.line,
						period: row.period,
						scenario: row.scenario,
						side
					});
					if (count > cells.length) continue;
					const sum = cells.reduce((all, { amount }) => all + amount, 0);
					// Pools that serve one another: what went round is left out, on both sides alike.
					if (['Data centre', 'Fleet office'].includes(step)) expect(sum).toBeLessThan(row.in);
					else if (side === 'in' || row.line !== 'Berthing') expect(sum, `${step}, ${row.line}, ${side}`).toBeCloseTo(row[side], 2);
					compared++;
				}
		expect(compared).toBeGreaterThan(40);
		const [first] = proofsOf(log);
		const one = {
			step: first!.of,
			line: first!.rows[0]!.line,
			period: 'Apr 2027',
			scenario: first!.rows[0]!.scenario,
			side: 'in' as const
		};
		const found = await cellsOfProof(maren(), model, runs.rows[0]!.id, one);
		expect(found.cells[0]).toMatchObject({ currency: 'EUR', where: expect.stringContaining('Data centre') as string });
		expect((await faultOf(cellsOfProof(people.get('Tove'), model, runs.rows[0]!.id, one))).status).toBe(403);
		expect((await faultOf(cellsOfProof(maren(), model, runs.rows[0]!.id, { ...one, step: 999_999 }))).status).toBe(422);
		expect((await faultOf(cellsOfProof(maren(), 1, runs.rows[0]!.id, one))).status).toBe(404);
	}, 60_000);

	test('the proof comes as a file whose lines add up to their step', async () => {
		const runs = await database.pool.query<{ id: number }>("SELECT id FROM run WHERE runbook_id = $1 AND state = 'done' ORDER BY id", [
			runbook
		]);
		const first = runs.rows[0]!.id;
		const { grid } = await tieOutGrid(maren(), model, first);
		const amountOf = (row: (string | number)[], column: string) => row[grid[0]!.indexOf(column)] as number;
		for (const step of new Set(grid.slice(1).map(([name]) => name))) {
			const [sum, ...rows] = grid.filter(([name]) => name === step);
			for (const column of ['In', 'Out', 'Kept', 'Stranded'])
				expect(rows.reduce((all, row) => all + amountOf(row, column), 0)).toBeCloseTo(amountOf(sum!, column), 4);
		}
		const workbook = new ExcelJS.Workbook();
		await workbook.xlsx.load((await tieOutWorkbook(maren(), model, first)).bytes as unknown as ArrayBuffer);
		const sheet = workbook.getWorksheet('Tie-out')!;
		expect(sheet.rowCount).toBe(grid.length);
		expect(typeof sheet.getRow(2).getCell(6).value).toBe('number');
		// Who looks at no rules sees no proof; nor does anybody find that of another model's run.
		const planner = people.get('Tove')!;
		const reads = planner.permissions.includes('rule.read');
		if (!reads) expect((await faultOf(tieOutGrid(planner, model, first))).status).toBe(403);
		expect((await faultOf(tieOutGrid(maren(), 1, first))).status).toBe(404);
	});

	test('a receiver that is closed: nothing is written, and it is said where', async () => {
		const before = await costs("customer <> 'NOCUSTOMER'");
		const web = await database.pool.query<{ id: number }>(
			"SELECT m.id FROM member m JOIN dimension d ON d.id = m.dimension_id WHERE d.code = 'sales-channel' AND m.code = 'WEB'"
		);
		const unlock = await putLock(model, { name: 'Web is closed' }, [web.rows[0]!.id]);
		// Something to share out anew.
		const { steps, version, findings: _, runs: __, ...rest } = await readRunbook(maren(), model, runbook);
		const changed = steps.map((step, at) =>
			step.kind === 'allocation' && at === 0 ? { ...step, lines: step.lines.map((line) => ({ ...line, share: 50 })) } : step
		);
		const head = {
			name: rest.name,
			description: rest.description,
			parameters: rest.parameters,
			onRefused: rest.onRefused,
			whenBusy: rest.whenBusy,
			runsAs: rest.runsAs
		};
		await saveRunbook(maren(), model, runbook, { ...head, steps: changed, version });
		const ended = await run();
		expect(ended.state).toBe('failed');
		expect(ended.words).toContain('cannot be written');
		expect(ended.words).toContain('Web is closed');
		expect(await costs("customer <> 'NOCUSTOMER'")).toBeCloseTo(before, 4);
		await unlock();
		await saveRunbook(maren(), model, runbook, { ...head, steps, version: version + 1 });
	}, 60_000);

	test('a group, or one step, is cleared and run alone; what is solved together stays together; what is not there is refused', async () => {
		const { steps } = await readRunbook(maren(), model, runbook);
		const stages = steps.filter(({ group }) => group === 'Down to customers').map(({ id }) => id!);
		const before = await costs("customer <> 'NOCUSTOMER'");
		const cleared = await run(maren(), { only: stages, clears: true });
		expect(cleared.words).toMatch(/^4 of 6 steps: Cleared\. .* cells changed\.$/);
		expect(await costs("customer <> 'NOCUSTOMER'")).toBe(0);
		// The pair has still served one another.
		expect(await costs("\"cost-object\" IN ('B-DC', 'B-FO')")).toBeCloseTo(0, 4);
		expect(await costs('"cost-object" = \'R-SYS\'')).toBeGreaterThan(0);
		// What was cleared has flowed nowhere: neither in the picture, nor followed forward.
		const { picture } = await flowOfRunbook(maren(), model, runbook, {});
		expect(picture.stages).toEqual(['Data centre and Fleet office']);
		const from = picture.nodes.find(({ name }) => name === 'Data centre')!;
		const services = await flowedFrom('B-GS', from.figure!);
		expect(services.sources.filter(({ kind }) => kind === 'receiver')).toEqual([]);
		expect((await flowedFrom('B-DC', from.figure!)).sources.filter(({ kind }) => kind === 'receiver').length).toBeGreaterThan(0);
		expect((await run(maren(), { only: stages })).log.map(({ step }) => step)).toEqual(stages);
		expect(await costs("customer <> 'NOCUSTOMER'")).toBeCloseTo(before, 4);
		// One of the pair is both.
		const alone = await run(maren(), { only: [steps[1]!.id!], clears: true });
		expect(alone.log.map(({ name }) => name)).toEqual(['Data centre', 'Fleet office']);
		expect(await costs('"cost-object" = \'B-FO\'')).toBeGreaterThan(600_000);
		await takeBackRun(maren(), model, alone.id);
		const planned = await previewRun(maren(), model, runbook, {
			answers: {},
			draft: { ...(await readRunbook(maren(), model, runbook)) },
			only: [0],
			clears: true
		});
		expect([planned.log.length, planned.cells > 0]).toEqual([2, true]);
		expect((await faultOf(run(maren(), { only: [999_999] }))).status).toBe(404);
		// A step that is switched off is not run alone, and it is said.
		await database.pool.query('UPDATE runbook_step SET active = false WHERE id = $1', [stages[0]]);
		const off = await faultOf(run(maren(), { only: [stages[0]!] }));
		expect([off.status, off.message]).toEqual([422, expect.stringContaining('switched off')]);
		await database.pool.query('UPDATE runbook_step SET active = true WHERE id = $1', [stages[0]]);
		expect((await faultOf(runRunbook(people.get('Tove'), model, runbook, { answers: {}, clears: true }))).status).toBe(403);
	}, 60_000);

	test('the rules of a run become a runbook of their own, whose steps write for themselves', async () => {
		const done = await database.pool.query<{ id: number }>(
			"SELECT id FROM run WHERE runbook_id = $1 AND state = 'done' ORDER BY id LIMIT 1",
			[runbook]
		);
		const { id } = await runbookOfRun(maren(), model, done.rows[0]!.id);
		const [made, own] = [await readRunbook(maren(), model, id), await readRunbook(maren(), model, runbook)];
		expect(made.name).toMatch(/^Share costs to customers, as of \d{4}-\d\d-\d\d$/);
		const words = { members: new Map(), dimensions: new Map(), people: new Map() };
		const nameless = ({ steps, ...rest }: typeof made) => ({ ...rest, name: '', steps: steps.map((step) => ({ ...step, id: null })) });
		expect(runbookDifferences(nameless(own), nameless(made), words)).toEqual({ whole: [], steps: [] });
		expect(made.steps.some((step) => own.steps.some((each) => each.id === step.id))).toBe(false);
		expect((await runbookOfRun(maren(), model, done.rows[0]!.id)).id).not.toBe(id);
		expect((await faultOf(runbookOfRun(people.get('Tove'), model, done.rows[0]!.id))).status).toBe(403);
	});

	test('all of it goes back, run by run', async () => {
		const runs = await database.pool.query<{ id: number }>(
			"SELECT id FROM run WHERE runbook_id = $1 AND state = 'done' AND revision IS NOT NULL ORDER BY id DESC",
			[runbook]
		);
		expect(runs.rows.length).toBeGreaterThan(1);
		for (const { id } of runs.rows) await takeBackRun(maren(), model, id);
		expect(await costs("customer <> 'NOCUSTOMER'")).toBe(0);
		expect(await costs('"cost-object" LIKE \'B-%\'')).toBeCloseTo(await costs('true'), 4);
		expect((await faultOf(flowOfRunbook(maren(), model, runbook, {}))).message).toContain('Nothing has been shared out yet');
	});
});

describe('in a model of several currencies, with balances and live formulas', () => {
	test('what is traced is the figure the form shows: at totals, over a year, above formulas, in the reporting currency', async () => {
		const ids = await database.pool.query<{ id: number; code: string; dimension: string; of: number }>(
			'SELECT m.id, m.code, d.code AS dimension, d.id AS of FROM member m JOIN dimension d ON d.id = m.dimension_id'
		);
		const of = (dimension: string, ...codes: string[]) => {
			const found = ids.rows.filter((row) => row.dimension === dimension && codes.includes(row.code));
			return { [found[0]!.of]: { kind: 'these' as const, members: found.map(({ id }) => id) } };
		};
		const step = (name: string, account: string): StepDraft => ({
			id: null,
			name,
			description: '',
			active: true,
			limits: { ...of('scenario', 'BUD28'), ...of('version', 'WORK') },
			kind: 'allocation',
			lines: [
				{
					name: 'Line 1',
					pool: { ...of('account', account), ...of('line', 'SKE') },
					receivers: of('line', 'SKE', 'NOR', 'AMB'),
					basis: { by: 'even' },
					share: 50
				}
			],
			contra: 'same account',
			noDriver: 'stranded',
			negative: 'refuse',
			// Neither that of the pool, nor the one that figures are traced in.
			currency: 'GBP'
		});
		const { id } = await createRunbook(maren(), 1, { name: 'Over lines' });
		await saveRunbook(maren(), 1, id, {
			name: 'Over lines',
			description: '',
			parameters: [],
			onRefused: 'stop',
			whenBusy: 'wait',
			runsAs: null,
			version: 1,
			steps: [step('Berth hire', '6330'), step('Cash', '1030')]
		});
		const done = await readRun(maren(), 1, (await startRun(maren(), 1, id, { answers: {} })).run);
		expect([done.state, done.words]).toEqual(['done', expect.stringContaining('changed')]);
		for (const { sums } of proofsOf(done.log)) expect(sums.map(({ currency, difference }) => [currency, difference])).toEqual([['GBP', 0]]);
		let compared = 0;
		for (const [code, rows] of [
			['route-contribution', ['Operating contribution', 'Terminal running costs', 'Berth hire']],
			['net-assets', ['Net assets', 'Cash']]
		] as const)
			for (const line of ['GROUP', 'SKE', 'AMB']) {
				const member = ids.rows.find((row) => row.dimension === 'line' && row.code === line)!;
				const choices = { members: { [member.of]: member.id }, currency: 'EUR' };
				const { form } = await openForm(maren(), 1, code, choices);
				for (const [row, { label }] of form.rows.entries())
					for (const column of (rows as readonly string[]).includes(label) ? [...form.columns.keys()] : []) {
						const figure = await inspectFigure(maren(), 1, code, choices, row, column);
						if (figure.place.length === 0 || !figure.madeOf.some(({ mode }) => mode === 'adds')) continue;
						const node = { members: figure.place.slice(0, -1), period: figure.place.at(-1)! };
						const { total, currency, sources } = await traceFigure(maren(), 1, node);
						expect(total, `${code}, ${line}, ${label}, ${form.columns[column]!.label}`).toBeCloseTo(figure.value!, 4);
						expect(currency).toBe('EUR');
						expect(sources.reduce((sum, { part }) => sum + part, 0)).toBeCloseTo(total, 2);
						// Who only received has had nothing taken out: the links alone are what came.
						if (line === 'AMB') expect(sources.filter(({ kind }) => kind === 'taken out')).toEqual([]);
						compared++;
					}
			}
		expect(compared).toBeGreaterThan(60);

		// The flow picture tells the same of every place: flows of the year added up, balances as they end, at the scenario's rates.
		const accounts = ids.rows.filter(({ dimension, code }) => dimension === 'account' && ['6330', '1030'].includes(code));
		let places = 0;
		for (const account of accounts) {
			const { picture } = await flowOfRunbook(maren(), 1, id, { slice: { [account.of]: account.id } });
			expect(picture.currency).toBe('EUR');
			for (const chosen of [picture.period, picture.periods.at(-1)!.id]) {
				const { nodes } = (await flowOfRunbook(maren(), 1, id, { period: chosen, slice: { [account.of]: account.id } })).picture;
				for (const { figure, in: came, stage, name } of nodes) {
					if (stage === 0 || !figure) continue;
					const { sources } = await traceFigure(maren(), 1, figure);
					const brought = sources.filter(({ kind }) => kind === 'pool').reduce((sum, { part }) => sum + part, 0);
					expect(brought, `${account.code}, ${name}`).toBeCloseTo(came, 2);
					places++;
				}
			}
		}
		expect(places).toBeGreaterThan(8);
	}, 120_000);
});

test('what is stored at the end of all this is what the journal says', async () => {
	await expectJournalHolds(database.pool);
});

test('an engine that followed holds what one opened now reads', async () => {
	await expectFollowed();
});
