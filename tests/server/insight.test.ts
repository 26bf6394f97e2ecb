import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import type { BoardContent, Selection, Tile } from '../../src/lib/core';
import { branchHere, compare, makeBranch, readContributions, takeSnapshot } from '../../src/lib/server/branch';
import { enterFigures, openForm, saveDraft } from '../../src/lib/server/form';
import {
	boardComments,
	boardFigures,
	changeBoard,
	changeView,
	copyBoard,
	dropBoard,
	hideTiles,
	journalRows,
	keepPicture,
	keepView,
	listBoards,
	listViews,
	makeBoard,
	drivenAccounts,
	makeDriverBoard,
	makeReadyBoard,
	membersForView,
	openView,
	readActivity,
	messageFile,
	readBoard,
	readBoardSending,
	readJournal,
	readPicture,
	restoreBoard,
	sayToBoard,
	search,
	sendBoard,
	setBoardSending,
	startView,
	viewAsForm,
	whyDifferent,
	whyPage,
	type TileAnswer,
	type TileFigures
} from '../../src/lib/server/insight';
import type { SignedIn } from '../../src/lib/server/session';
import { sendDueBoards } from '../../src/lib/server/insight/board-paper';
import { boardContentSchema } from '../../src/lib/server/insight/board-schema';
import { faultOf } from './fault-of';
import { openHouse, type House } from './house';

let house: House;
let osric: SignedIn;
let imke: SignedIn;
let tove: SignedIn;
const MODEL = 1;
const ids = new Map<string, number>();
const dimension = new Map<string, number>();
/** The dimensions in address order, the period last. */
let inOrder: string[] = [];

beforeAll(async () => {
	house = await openHouse('insight');
	osric = await house.person('Osric', MODEL);
	imke = await house.person('Imke', MODEL);
	tove = await house.person('Tove', MODEL);
	const members = await house.database.pool.query<{ id: number; code: string; dimension: number; name: string; kind: string }>(
		`SELECT m.id, m.code, d.id AS dimension, d.name, d.kind FROM member m JOIN dimension d ON d.id = m.dimension_id JOIN model_dimension o ON o.dimension_id = d.id AND o.model_id = 1 ORDER BY o.position`
	);
	for (const { id, code, dimension: of, name } of members.rows) {
		ids.set(`${name} ${code}`, id);
		dimension.set(name, of);
	}
	const names = [...new Set(members.rows.map(({ name }) => name))];
	inOrder = [...names.filter((name) => name !== 'Period'), 'Period'];
});
afterAll(() => house.close());

const id = (name: string) => ids.get(name) ?? Number.NaN;
const these = (name: string): Selection => ({ kind: 'these', members: [id(name)] });
/** A figure by its members: the top of what is not named. */
const place = (at: Partial<Record<string, string>>) =>
	inOrder.map((name) => {
		const tops: Record<string, string> = {
			Account: 'OC',
			Scenario: 'BUD28',
			Line: 'GROUP',
			Department: 'ALLDEP',
			Route: 'ALLROUTES',
			Version: 'WORK',
			Period: 'FY2028'
		};
		return id(`${name} ${at[name] ?? tops[name]}`);
	});
const content = (tiles: Tile[], over: Partial<BoardContent> = {}): BoardContent => ({
	version: 1,
	selectors: [
		{ dimension: dimension.get('Line')!, initial: id('Line GROUP') },
		{ dimension: dimension.get('Scenario')!, initial: id('Scenario BUD28') },
		{ dimension: dimension.get('Period')!, initial: id('Period FY2028') }
	],
	against: { scenario: id('Scenario OUT27') },
	currencies: ['EUR', 'local'],
	scale: 1,
	tabs: [{ name: 'One', tiles }],
	...over
});
const figure = (tile: number, code: string): Tile => ({
	id: tile,
	kind: 'figure',
	title: code,
	width: 3,
	height: 2,
	source: { rows: { dimension: dimension.get('Account')!, selection: these(`Account ${code}`) }, at: {}, compare: true }
});
const boardOf = async (person: SignedIn, tiles: Tile[], over: Partial<BoardContent> = {}, shared = true) =>
	(await makeBoard(person, MODEL, { name: 'Board', description: '', shared, content: content(tiles, over) })).id;
const shown = (person: SignedIn, board: number, members: Record<string, number> = {}, against?: string) =>
	boardFigures(person, MODEL, { id: board, choices: { members, currency: 'EUR' }, tab: 0, ...(against && { against }) });
const figuresOf = (answer: TileAnswer | undefined): TileFigures => {
	if (answer?.kind !== 'figures') throw new Error(JSON.stringify(answer));
	return answer;
};
const block = (figures: TileFigures, of: number) => figures.values[figures.columns.findIndex((column) => column.block === of)];
/** What a form of the model shows for the group's proposal of a scenario and year. */
async function formFigure(person: SignedIn, account: string, scenario: string, year: string): Promise<number> {
	const { code } = await startView(person, MODEL, {
		place: place({ Account: account, Scenario: scenario, Period: year }),
		choices: {},
		name: ''
	});
	const { opened } = await openView(person, MODEL, code, { members: {}, currency: 'EUR' });
	return opened.form.values.at(-1)!;
}

describe('a board', () => {
	test('shows what forms show, held against the scenario in the year it speaks about', async () => {
		const board = await boardOf(osric, [figure(1, 'OC')]);
		const { tiles, against } = await shown(osric, board);
		const figures = figuresOf(tiles[0]);
		const [now, before] = [await formFigure(osric, 'OC', 'BUD28', 'FY2028'), await formFigure(osric, 'OC', 'OUT27', 'FY2027')];
		expect(Math.abs(before)).toBeGreaterThan(1);
		expect(block(figures, 0)).toBeCloseTo(now, 4);
		expect(block(figures, 1)).toBeCloseTo(before, 4);
		expect(block(figures, 3)).toBeCloseTo(now - before, 4);
		expect(against?.name).toBe('Outlook FY2027, a year before');
		// Against itself a year before: Budget FY2028 says nothing of FY2027.
		expect(block(figuresOf((await shown(osric, board, {}, 'y1')).tiles[0]), 1)).toBeNull();
		expect((await shown(osric, board, {}, 'none')).against).toBeNull();
	});

	test('a waterfall leads there with costs counting against the result, and its steps add up', async () => {
		const board = await boardOf(osric, [
			{ id: 1, kind: 'waterfall', title: '', width: 6, height: 4, account: id('Account OC'), by: dimension.get('Account')!, at: {} }
		]);
		const [answer] = (await shown(osric, board)).tiles;
		if (answer?.kind !== 'steps') throw new Error(JSON.stringify(answer));
		const whole = answer.after! - answer.before!;
		const told = answer.lines.reduce((sum, { part }) => sum + part, answer.more.part + answer.exchange);
		expect(told).toBeCloseTo(whole, 2);
		const revenue = answer.lines.find(({ name }) => name === 'Revenue')!;
		const [now, before] = [await formFigure(osric, 'REV', 'BUD28', 'FY2028'), await formFigure(osric, 'REV', 'OUT27', 'FY2027')];
		// The two years are read at different rates: what those make of a line is in none of the lines.
		const ratesOf = async (account: string) =>
			(
				await whyDifferent(osric, MODEL, {
					...{ place: place({ Account: account }), against: `m${id('Scenario OUT27')}`, currency: 'EUR', at: {} },
					dimension: dimension.get('Line')!
				})
			).exchange;
		expect(revenue.part).toBeCloseTo(now - before - (await ratesOf('REV')), 2);
		const crew = answer.lines.find(({ name }) => name === 'Crew and terminal pay')!;
		const [pay, was] = [await formFigure(osric, 'CREW', 'BUD28', 'FY2028'), await formFigure(osric, 'CREW', 'OUT27', 'FY2027')];
		expect(crew.part).toBeCloseTo(was - pay + (await ratesOf('CREW')), 2);
	});

	test('follows what somebody has typed and not saved, and nobody else’s does', async () => {
		const board = await boardOf(tove, [figure(1, '4030')]);
		const members = { [dimension.get('Line')!]: id('Line SKE') };
		const before = block(figuresOf((await shown(tove, board, members)).tiles[0]), 0)!;
		const choices = {
			members: { ...members, [dimension.get('Route')!]: id('Route R06'), [dimension.get('Department')!]: id('Department BK') },
			currency: 'EUR'
		};
		const { form } = await openForm(tove, MODEL, 'route-contribution', choices);
		const row = form.rows.findIndex(({ label }) => label === 'Coaches');
		const column = form.columns.findIndex(({ label }) => label === 'May 2027');
		const typed = form.values[row * form.columns.length + column] ?? 0;
		const outcome = await enterFigures(tove, MODEL, 'route-contribution', choices, {
			entries: [{ row, column, text: String(Math.round(typed) + 1_000) }],
			structure: form.structure
		});
		expect(outcome.faults).toEqual([]);
		const after = figuresOf((await shown(tove, board, members)).tiles[0]);
		expect(block(after, 0)! - before).toBeCloseTo(Math.round(typed) + 1_000 - typed, 2);
		expect(after.drafted).toContain(0);
		expect(block(figuresOf((await shown(osric, board, members)).tiles[0]), 0)).toBeCloseTo(before, 4);
		expect((await shown(osric, board, members)).draftSize).toBe(0);
		// In a branch it shows the branch.
		const branch = (await makeBranch(osric, MODEL, { name: 'Board try', purpose: '', due: null, everybody: 'nothing', people: [] })).id;
		const within = { ...osric, branch: await branchHere(osric, MODEL, branch) };
		expect(block(figuresOf((await shown(within, board, members)).tiles[0]), 0)).toBeCloseTo(before, 4);
	});

	test('what stands chosen on the board is chosen in views and forms on it', async () => {
		const { code } = await startView(osric, MODEL, { place: place({ Account: 'REV', Line: 'NOR' }), choices: {}, name: 'Revenue' });
		const board = await boardOf(osric, [{ id: 1, kind: 'view', title: '', width: 4, height: 4, code }]);
		const group = figuresOf((await shown(osric, board)).tiles[0]);
		expect(group.values.at(-1)).toBeCloseTo(await formFigure(osric, 'REV', 'BUD28', 'FY2028'), 2);
	});

	test('a tile whose form, member or account is gone says so, and the rest stands', async () => {
		const gone: Tile = {
			...(figure(3, 'OC') as Extract<Tile, { kind: 'figure' }>),
			source: { rows: { dimension: dimension.get('Account')!, selection: { kind: 'these', members: [999_999] } }, at: {}, compare: false }
		};
		const board = await boardOf(osric, [
			figure(1, 'OC'),
			{ id: 2, kind: 'form', title: '', width: 4, height: 4, code: 'no-such-form' },
			gone,
			{ id: 4, kind: 'runbook', title: '', width: 2, height: 2, runbook: 99_999, label: '' }
		]);
		const { tiles } = await shown(osric, board);
		expect(tiles.map(({ kind }) => kind)).toEqual(['figures', 'fault', 'fault', 'fault']);
	});

	test('a tile that stays at a scenario and a year of its own is held against from there', async () => {
		const at = { [dimension.get('Scenario')!]: id('Scenario OUT27'), [dimension.get('Period')!]: id('Period FY2027') };
		const own = figure(1, 'REV') as Extract<Tile, { kind: 'figure' }>;
		const board = await boardOf(
			osric,
			[
				{ ...own, source: { ...own.source, at } },
				{ id: 2, kind: 'waterfall', title: '', width: 6, height: 4, account: id('Account REV'), by: dimension.get('Line')!, at }
			],
			{ against: { scenario: id('Scenario BUD27') } }
		);
		const [tile, steps] = (await shown(osric, board)).tiles;
		const figures = figuresOf(tile);
		expect(figures.names).toEqual({ chosen: 'Outlook FY2027', against: 'Budget FY2027' });
		const [outlook, budget] = [await formFigure(osric, 'REV', 'OUT27', 'FY2027'), await formFigure(osric, 'REV', 'BUD27', 'FY2027')];
		expect([block(figures, 0), block(figures, 1)].map((value) => Math.round(value!))).toEqual([outlook, budget].map(Math.round));
		if (steps?.kind !== 'steps') throw new Error(JSON.stringify(steps));
		expect([steps.before, steps.after].map((value) => Math.round(value!))).toEqual([budget, outlook].map(Math.round));
	});

	test('where a scenario ends within the year it is said; Actual is not taken for all of it', async () => {
		const board = await boardOf(osric, [figure(1, 'REV')], { against: { scenario: id('Scenario BUD27') } });
		const actual = { [dimension.get('Scenario')!]: id('Scenario ACT'), [dimension.get('Period')!]: id('Period FY2027') };
		const figures = figuresOf((await shown(osric, board, actual)).tiles[0]);
		expect(figures.columns.find((column) => column.block === 0)!.cut).toBe('to Sep 2026');
		expect(figures.columns.find((column) => column.block === 1)!.cut).toBeNull();
		const why = await whyDifferent(osric, MODEL, {
			place: place({ Scenario: 'ACT', Period: 'FY2027', Version: 'FINAL' }),
			against: `m${id('Scenario BUD27')}`,
			currency: 'EUR',
			at: {},
			dimension: dimension.get('Account')!
		});
		expect(why.cut).toEqual({ before: null, after: 'to Sep 2026' });
	});

	test('in local currency lines say which theirs is, and what is of several is not taken apart', async () => {
		const lines = { dimension: dimension.get('Line')!, selection: { kind: 'children', of: id('Line GROUP') } as Selection };
		const board = await boardOf(osric, [
			{
				id: 1,
				kind: 'chart',
				chart: 'bar',
				title: '',
				width: 6,
				height: 4,
				source: { rows: lines, at: { [dimension.get('Account')!]: id('Account REV') }, compare: false }
			},
			{ id: 2, kind: 'waterfall', title: '', width: 6, height: 4, account: id('Account REV'), by: dimension.get('Line')!, at: {} }
		]);
		const local = await boardFigures(osric, MODEL, { id: board, choices: { members: {}, currency: 'local' }, tab: 0 });
		expect(figuresOf(local.tiles[0]).rows.map(({ currency }) => currency)).toEqual(['GBP', 'NOK', 'EUR', 'EUR']);
		expect(local.tiles[1]).toMatchObject({ kind: 'fault', message: expect.stringContaining('Several currencies') as string });
		const group = { place: place({}), against: `m${id('Scenario OUT27')}`, currency: 'local', at: {}, dimension: dimension.get('Line')! };
		expect(await faultOf(whyDifferent(osric, MODEL, group))).toMatchObject({
			message: expect.stringContaining('Several currencies') as string
		});
	});

	test('forty tiles are all answered, and one more is refused with a sentence', async () => {
		const tiles = Array.from({ length: 40 }, (_, at) => figure(at + 1, ['REV', '4030', 'OC', 'CREW'][at % 4]!));
		const board = await boardOf(osric, tiles);
		const answer = await shown(osric, board);
		expect(answer.tiles).toHaveLength(40);
		expect(answer.tiles.filter(({ kind }) => kind !== 'figures')).toEqual([]);
		const parsed = boardContentSchema.safeParse(content([...tiles, figure(41, 'REV')]));
		expect(parsed.error?.issues.map(({ message }) => message).join()).toMatch(/40/);
	});

	test('many rows become the largest and the rest, and lose nothing', async () => {
		const leaves = (...groups: string[]): Selection => ({
			kind: 'any of',
			selections: groups.map((code): Selection => ({ kind: 'leaves', of: id(`Account ${code}`) }))
		});
		const rows = (selection: Selection) => ({ dimension: dimension.get('Account')!, selection });
		const sum = (values: (number | null)[]) => values.reduce<number>((total, value) => total + (value ?? 0), 0);
		const bars = async (selection: Selection) => {
			const source = { rows: rows(selection), at: {}, compare: false };
			const board = await boardOf(osric, [{ id: 1, kind: 'chart', chart: 'bar', title: '', width: 6, height: 4, source }]);
			return figuresOf((await shown(osric, board)).tiles[0]);
		};
		const all = await bars(leaves('OC', 'BS', 'FLEET'));
		expect(all.more).toBeGreaterThan(1);
		expect(all.restIsSum).toBe(true);
		expect(all.rows).toHaveLength(60);
		expect(all.rows.at(-1)!.label).toBe(`${all.more} others`);
		const [result, balance] = [await bars(leaves('OC')), await bars(leaves('BS', 'FLEET'))];
		expect(result.more + balance.more).toBe(0);
		expect(sum(all.values)).toBeCloseTo(sum(result.values) + sum(balance.values), 2);
	});

	test('is its owner’s until it is shared; others copy it; versions come back; two who change it are told', async () => {
		const board = await boardOf(tove, [figure(1, 'OC')], {}, false);
		expect(await faultOf(readBoard(osric, MODEL, board))).toMatchObject({ status: 404 });
		expect((await listBoards(osric, MODEL)).some((each) => each.id === board)).toBe(false);
		const facts = { id: board, name: 'Mine', description: '', shared: true };
		await changeBoard(tove, MODEL, { ...facts, content: content([figure(1, 'OC'), figure(2, 'REV')]), version: 1 });
		expect(await faultOf(changeBoard(tove, MODEL, { ...facts, content: content([]), version: 1 }))).toMatchObject({ status: 409 });
		expect(await faultOf(changeBoard(imke, MODEL, { ...facts, content: content([]), version: 2 }))).toMatchObject({ status: 403 });
		const copy = await copyBoard(imke, MODEL, { id: board });
		expect((await readBoard(imke, MODEL, copy.id)).content.tabs[0]!.tiles).toHaveLength(2);
		await restoreBoard(tove, MODEL, { id: board, version: 1 });
		expect(await readBoard(tove, MODEL, board)).toMatchObject({ version: 3, content: { tabs: [{ tiles: [{ id: 1 }] }] } });
		await hideTiles(imke, MODEL, { id: board, tiles: [1] });
		expect((await readBoard(imke, MODEL, board)).hidden).toEqual([1]);
		expect((await readBoard(tove, MODEL, board)).hidden).toEqual([]);
		await sayToBoard(imke, MODEL, { id: board, tile: 1, text: 'Why so low?', figures: 'Operating contribution 12' });
		expect((await boardComments(tove, MODEL, { id: board })).comments).toMatchObject([
			{ text: 'Why so low?', figures: 'Operating contribution 12', mine: false }
		]);
		expect(await faultOf(dropBoard(imke, MODEL, { id: board }))).toMatchObject({ status: 403 });
		await dropBoard(tove, MODEL, { id: board });
	});

	test('is made from what a model is, and all of its tiles show something', async () => {
		const { id: board } = await makeReadyBoard(osric, MODEL, { name: 'First' });
		const { tiles } = await shown(osric, board);
		expect(tiles.length).toBeGreaterThan(6);
		expect(tiles.filter(({ kind }) => kind === 'fault')).toEqual([]);
		const other = await house.person('Osric', 2);
		const crew = await makeReadyBoard(other, 2, { name: 'First' });
		const second = await boardFigures(other, 2, { id: crew.id, choices: { members: {} }, tab: 0 });
		expect(second.tiles.filter(({ kind }) => kind === 'fault')).toEqual([]);
		// A board of one model is none of another.
		expect(await faultOf(readBoard(osric, MODEL, crew.id))).toMatchObject({ status: 404 });
	});
});

describe('a board about what drives an account', () => {
	test('has its drivers to type in, its years side by side, and all of it follows as one types', async () => {
		const driven = await drivenAccounts(tove, MODEL);
		const vessels = driven.find(({ name }) => name === 'Vessels')!;
		const { id: board } = await makeDriverBoard(tove, MODEL, { name: 'Fleet', account: vessels.id });
		const { content } = await readBoard(tove, MODEL, board);
		const [typed, , , , years] = content.tabs[0]!.tiles as [Tile & { code: string }, Tile, Tile, Tile, Tile & { code: string }];
		const { tiles } = await shown(tove, board);
		expect(tiles.filter(({ kind }) => kind === 'fault')).toEqual([]);
		// By hand: vessels are those at the start, and those bought, less those sold; at the start reads the month before alone.
		const read = await openView(tove, MODEL, typed.code, { members: {}, currency: 'local' });
		const names = read.opened.form.rows.map(({ label }) => label);
		expect(names).toHaveLength(4);
		expect([names[0], names.at(-1)]).toEqual(['Vessels at the start', 'Vessels']);
		const beside = (await openView(tove, MODEL, years.code, { members: {}, currency: 'EUR' })).opened.form;
		expect(beside.columns.map(({ label }) => label).slice(-2)).toEqual(['Difference', 'in %']);
		// Of two years before nothing is told in this version: an empty column would say less than none.
		expect(beside.columns.length).toBe(4);
		const [last, own, differs] = beside.values.slice(-4).slice(0, 3);
		expect(differs ?? 0).toBeCloseTo((own ?? 0) - (last ?? 0), 4);
	});

	test('is not made of what nothing drives, or of what is not there', async () => {
		expect(await faultOf(makeDriverBoard(osric, MODEL, { name: 'None', account: id('Account 4030') }))).toMatchObject({ status: 404 });
		expect(await faultOf(makeDriverBoard(osric, 2, { name: 'None', account: id('Account OC') }))).toMatchObject({ status: 404 });
		for (const account of (await drivenAccounts(osric, MODEL)).slice(0, 12)) {
			const made = await makeDriverBoard(osric, MODEL, { name: account.name, account: account.id });
			const { tiles } = await shown(osric, made.id);
			expect(
				tiles.filter(({ kind }) => kind === 'fault'),
				account.name
			).toEqual([]);
		}
	});
});

describe('what comes with a board', () => {
	const picture = Buffer.from('iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNkYPhfDwAChwGA60e6kgAAAABJRU5ErkJggg==', 'base64');
	const empty = (tiles: Tile[]): BoardContent => ({
		...{ version: 1, selectors: [], against: null, currencies: ['EUR'], scale: 1 },
		tabs: [{ name: 'One', tiles }]
	});
	const made = (shared: boolean, tiles: Tile[] = []) =>
		makeBoard(osric, MODEL, { name: `Board ${Math.random()}`, description: '', shared, content: empty(tiles) });

	test('a picture is kept by who may change it, seen by who sees the board, and copied with it', async () => {
		const { id: board } = await made(false);
		const { id: kept } = await keepPicture(osric, MODEL, board, picture);
		const tiles: Tile[] = [{ id: 1, kind: 'picture', title: 'Us', width: 4, height: 2, picture: kept, alt: 'A dot' }];
		const { version, name } = await readBoard(osric, MODEL, board);
		await changeBoard(osric, MODEL, { id: board, name, description: '', shared: false, content: empty(tiles), version });
		expect((await readPicture(osric, MODEL, kept)).type).toBe('image/png');
		expect(await faultOf(readPicture(tove, MODEL, kept))).toMatchObject({ status: 404 });
		expect(await faultOf(keepPicture(osric, MODEL, board, Buffer.from('<svg onload="alert(1)"/>')))).toMatchObject({ code: 'no picture' });
		expect(await faultOf(keepPicture(osric, MODEL, board, Buffer.from('nothing')))).toMatchObject({ code: 'no picture' });
		const shared = await made(true);
		expect(await faultOf(keepPicture(tove, MODEL, shared.id, picture))).toMatchObject({ status: 403 });
		const copy = await copyBoard(osric, MODEL, { id: board });
		await dropBoard(osric, MODEL, { id: board });
		const [tile] = (await readBoard(osric, MODEL, copy.id)).content.tabs[0]!.tiles;
		expect(tile).toMatchObject({ kind: 'picture', alt: 'A dot' });
		expect((await readPicture(osric, MODEL, (tile as { picture: number }).picture)).bytes.equals(picture)).toBe(true);
	});

	test('is seen by whom its owner names, and by nobody else; they change nothing and name nobody', async () => {
		const { id: board } = await made(false);
		const { version, name, content } = await readBoard(osric, MODEL, board);
		const change = { id: board, name, description: '', shared: false, content, version };
		await changeBoard(osric, MODEL, { ...change, people: [tove.id] });
		expect((await readBoard(osric, MODEL, board)).people).toEqual([tove.id]);
		expect(await readBoard(tove, MODEL, board)).toMatchObject({ mayChange: false, people: [], mine: false });
		expect((await listBoards(tove, MODEL)).map(({ id }) => id)).toContain(board);
		expect(await faultOf(readBoard(imke, MODEL, board))).toMatchObject({ status: 404 });
		expect((await readBoardSending(tove, MODEL, { id: board })).readers.map(({ id }) => id).sort()).toEqual([osric.id, tove.id].sort());
		expect(await faultOf(changeBoard(tove, MODEL, { ...change, version: version + 1, people: [imke.id] }))).toMatchObject({ status: 403 });
		// Left out, it stays as it is; taken off, the board is gone for them.
		await changeBoard(osric, MODEL, { ...change, version: version + 1 });
		expect((await readBoard(tove, MODEL, board)).id).toBe(board);
		await changeBoard(osric, MODEL, { ...change, version: version + 2, people: [] });
		expect(await faultOf(readBoard(tove, MODEL, board))).toMatchObject({ status: 404 });
	});

	test('who is named in what is said hears of it, where they see the board', async () => {
		const told = async (person: SignedIn) =>
			(
				await house.database.pool.query<{ subject: string }>(
					"SELECT subject FROM message WHERE person_id = $1 AND path LIKE '/insight/boards/%'",
					[person.id]
				)
			).rows.length;
		const [own, shared] = [await made(false), await made(true)];
		const before = await told(tove);
		await sayToBoard(osric, MODEL, { id: own.id, tile: null, text: `Look, @${tove.name}`, figures: '' });
		expect(await told(tove)).toBe(before);
		await sayToBoard(osric, MODEL, { id: shared.id, tile: null, text: `Look, @${tove.name}`, figures: '' });
		expect(await told(tove)).toBe(before + 1);
	});

	test('is sent by itself by who may change it, once each moment, and a file is for whom it was sent', async () => {
		const [own, shared] = [await made(false), await made(true)];
		expect((await readBoardSending(osric, MODEL, { id: own.id })).readers).toEqual([{ id: osric.id, name: osric.name }]);
		expect((await readBoardSending(osric, MODEL, { id: shared.id })).readers.length).toBeGreaterThan(3);
		const schedule = { cron: '0 6 * * *', timeZone: 'UTC', active: true };
		expect(await faultOf(setBoardSending(tove, MODEL, { id: shared.id, people: [tove.id], chosen: '', schedule }))).toMatchObject({
			status: 403
		});
		expect(await faultOf(setBoardSending(osric, MODEL, { id: shared.id, people: [], chosen: '', schedule }))).toMatchObject({
			code: 'nobody'
		});
		expect(await faultOf(sendBoard(osric, MODEL, { id: shared.id, people: [], chosen: '' }))).toMatchObject({ code: 'nobody' });
		const set = await setBoardSending(osric, MODEL, { id: shared.id, people: [imke.id], chosen: 'vs=y1', schedule });
		expect(set).toMatchObject({ people: [imke.id], schedule: { active: true, person: osric.name } });
		// Nobody prints here: what is due is begun once, and says why it was not done.
		process.env.CHROMIUM = '/nowhere/chromium';
		const later = new Date(Date.now() + 2 * 86_400_000);
		expect([await sendDueBoards(later), await sendDueBoards(later)]).toEqual([1, 0]);
		const jobs = await house.database.pool.query<{ state: string; words: string }>(
			"SELECT state, words FROM job WHERE kind = 'board on paper' ORDER BY id DESC LIMIT 1"
		);
		expect(jobs.rows[0]).toMatchObject({ state: 'failed', words: expect.stringContaining('Chromium is not installed') });
		delete process.env.CHROMIUM;
		// Where its sender sees it no more, nobody gets it.
		await house.database.pool.query('UPDATE board SET shared = false, owner_id = $2 WHERE id = $1', [shared.id, imke.id]);
		await sendDueBoards(new Date(Date.now() + 4 * 86_400_000));
		const last = await house.database.pool.query<{ state: string; words: string }>(
			"SELECT state, words FROM job WHERE kind = 'board on paper' ORDER BY id DESC LIMIT 1"
		);
		expect(last.rows[0]).toMatchObject({ state: 'failed', words: expect.stringContaining('no such board') });
		await house.database.pool.query('UPDATE board SET shared = true, owner_id = $2 WHERE id = $1', [shared.id, osric.id]);
		expect((await setBoardSending(osric, MODEL, { id: shared.id, people: [], chosen: '', schedule: null })).schedule).toBeNull();
		const message = await house.database.pool.query<{ id: number }>(
			"INSERT INTO message (person_id, model_id, kind, subject, body) VALUES ($1, $2, 'board', 'B', '') RETURNING id",
			[imke.id, MODEL]
		);
		const file = await house.database.pool.query<{ id: number }>(
			"INSERT INTO message_file (message_id, name, bytes) VALUES ($1, 'B.pdf', 'x') RETURNING id",
			[message.rows[0]!.id]
		);
		expect((await messageFile(imke, MODEL, file.rows[0]!.id)).name).toBe('B.pdf');
		expect(await faultOf(messageFile(osric, MODEL, file.rows[0]!.id))).toMatchObject({ status: 404 });
	});
});

describe('a view', () => {
	test('begins at a figure, is turned, kept, shared, turned by another into their own, and becomes a form', async () => {
		const { code } = await startView(tove, MODEL, { place: place({ Account: 'REV', Line: 'SKE' }), choices: {}, name: '' });
		expect((await listViews(tove, MODEL)).some((view) => view.code === code)).toBe(false);
		await keepView(tove, MODEL, { code, name: 'Revenue of Skerry', description: '', shared: false });
		expect(await faultOf(openView(imke, MODEL, code, { members: {} }))).toMatchObject({ status: 404 });
		await keepView(tove, MODEL, { code, name: 'Revenue of Skerry', description: '', shared: true });
		const { layout } = await openView(imke, MODEL, code, { members: {} });
		const turned = await changeView(imke, MODEL, { code, layout: { ...layout, hideEmptyRows: true } });
		expect(turned.code).not.toBe(code);
		expect((await openView(imke, MODEL, turned.code, { members: {} })).mine).toBe(true);
		expect(await faultOf(changeView(tove, MODEL, { code, layout: { ...layout, rows: [] } }))).toMatchObject({ status: 422 });
		expect(await faultOf(viewAsForm(tove, MODEL, { code, name: 'Revenue' }))).toMatchObject({ status: 403 });
		const form = await viewAsForm(osric, MODEL, { code, name: 'Revenue' });
		expect((await openForm(osric, MODEL, form.code, { members: {} })).name).toBe('Revenue');
	});

	test('is no form: it is in no list, in no package, and nobody changes it as one', async () => {
		const { code } = await startView(osric, MODEL, { choices: {}, name: 'Kept at once' });
		const { listForms, readDesign, deleteForm } = await import('../../src/lib/server/form');
		expect((await listForms(osric, MODEL)).some((form) => form.code === code)).toBe(false);
		expect(await faultOf(readDesign(osric, MODEL, code))).toMatchObject({ status: 404 });
		expect(await faultOf(deleteForm(osric, MODEL, code))).toMatchObject({ status: 404 });
	});

	test('is typed into by who may write there', async () => {
		const at = place({ Account: '4030', Line: 'SKE', Department: 'BK', Route: 'R06', Period: '2027-05' });
		const { code } = await startView(tove, MODEL, { place: at, choices: {}, name: '' });
		const { opened } = await openView(tove, MODEL, code, { members: {} });
		const { form } = opened;
		const outcome = await enterFigures(
			tove,
			MODEL,
			code,
			{ members: {} },
			{ entries: [{ row: 0, column: 0, text: '4321' }], structure: form.structure }
		);
		expect(outcome.faults).toEqual([]);
		expect(await saveDraft(tove, MODEL, code, { keepMine: [], takeTheirs: [] })).toMatchObject({ kind: 'saved' });
		expect(await openView(osric, MODEL, code, { members: {} }).catch(() => null)).toBeNull();
	});
});

describe('why a total differs', () => {
	test('by each dimension, to the cent, and closer', async () => {
		const asked = { place: place({}), against: `m${id('Scenario OUT27')}`, currency: 'EUR', at: {} };
		const first = await whyDifferent(osric, MODEL, { ...asked, dimension: null });
		expect(first.dimensions.length).toBeGreaterThan(3);
		const whole = first.after! - first.before!;
		for (const { id: by } of first.dimensions) {
			const { lines, more, exchange, addsUp } = await whyDifferent(osric, MODEL, { ...asked, dimension: by });
			expect(addsUp).toBe(true);
			expect(lines.reduce((sum, { part }) => sum + part, more.part + exchange)).toBeCloseTo(whole, 2);
		}
		const line = dimension.get('Line')!;
		const closer = await whyDifferent(osric, MODEL, { ...asked, at: { [line]: id('Line SKE') }, dimension: dimension.get('Account')! });
		const lines = await whyDifferent(osric, MODEL, { ...asked, dimension: line });
		// What a year of other rates makes stands by itself on both pages.
		expect(closer.exchange).not.toBe(0);
		expect(closer.after! - closer.before! - closer.exchange).toBeCloseTo(lines.lines.find(({ name }) => name === 'Skerry Line')!.part, 2);
		expect((await whyPage(osric, MODEL, place({}), [])).quantities.some(({ name }) => name === 'Passengers')).toBe(true);
	});

	test('volume, mix and price add up to the difference over the routes', async () => {
		const found = await whyDifferent(osric, MODEL, {
			place: place({ Account: 'TICKET' }),
			against: `m${id('Scenario OUT27')}`,
			currency: 'EUR',
			at: {},
			dimension: dimension.get('Route')!,
			quantity: id('Account S30')
		});
		const { volume, mix, price, other } = found.priceVolumeMix!;
		expect(volume + mix + price + other).toBeCloseTo(found.after! - found.before!, 2);
		expect(Math.abs(volume)).toBeGreaterThan(1);
	});

	test('rates are told apart where two scenarios of one year are read at different ones', async () => {
		const at = {
			place: place({ Scenario: 'OUT27', Period: 'FY2027', Account: 'REV' }),
			currency: 'EUR',
			at: {},
			dimension: dimension.get('Line')!
		};
		const found = await whyDifferent(osric, MODEL, { ...at, against: `m${id('Scenario BUD27')}` });
		expect(found.exchange).not.toBe(0);
		expect(found.lines.reduce((sum, { part }) => sum + part, found.more.part + found.exchange)).toBeCloseTo(
			found.after! - found.before!,
			2
		);
		// In local currency of one line nothing is translated.
		const local = await whyDifferent(osric, MODEL, {
			...at,
			place: place({ Scenario: 'OUT27', Period: 'FY2027', Account: 'REV', Line: 'SKE' }),
			currency: 'local',
			against: `m${id('Scenario BUD27')}`,
			dimension: dimension.get('Account')!
		});
		expect(local.exchange).toBe(0);
	});

	test('against a snapshot and a branch: what moved since, and what is another there', async () => {
		const { id: snapshot } = await takeSnapshot(osric, MODEL, {
			name: 'Before coaches',
			purpose: '',
			branch: null,
			part: { [dimension.get('Scenario')!]: [id('Scenario BUD28')] }
		});
		const { id: branch } = await makeBranch(osric, MODEL, { name: 'Calm', purpose: '', due: null, everybody: 'nothing', people: [] });
		const at = place({ Account: '4030', Line: 'SKE', Department: 'BK', Route: 'R06', Period: '2027-06' });
		const { code } = await startView(osric, MODEL, { place: at, choices: {}, name: '' });
		const { opened } = await openView(osric, MODEL, code, { members: {}, currency: 'local' });
		const was = opened.form.values[0] ?? 0;
		const choices = { members: {}, currency: 'local' };
		const type = async (person: SignedIn, text: string) => {
			const asked = { entries: [{ row: 0, column: 0, text }], structure: opened.form.structure };
			expect((await enterFigures(person, MODEL, code, choices, asked)).faults).toEqual([]);
			await saveDraft(person, MODEL, code, { keepMine: [], takeTheirs: [] });
		};
		await type(osric, String(was + 600));
		const within = { ...osric, branch: await branchHere(osric, MODEL, branch) };
		await type(within, String(was + 700));
		const asked = { place: place({ Account: 'REV', Line: 'SKE' }), currency: 'local', at: {}, dimension: dimension.get('Route')! };
		const since = await whyDifferent(osric, MODEL, { ...asked, against: `s${snapshot}` });
		expect(since.lines.map(({ part }) => Math.round(part))).toEqual([600]);
		expect(since).toMatchObject({ exchange: 0, addsUp: true });
		const beside = await whyDifferent(osric, MODEL, { ...asked, against: `b${branch}` });
		expect(beside.lines.map(({ part }) => Math.round(part))).toEqual([-100]);
		const there = await whyDifferent(within, MODEL, { ...asked, against: `s${snapshot}` });
		expect(there.lines.map(({ part }) => Math.round(part))).toEqual([700]);
		// Closer, to the month, both sides go.
		const closer = { [dimension.get('Route')!]: id('Route R06'), [dimension.get('Period')!]: id('Period 2027-06') };
		const month = await whyDifferent(osric, MODEL, { ...asked, at: closer, dimension: null, against: `s${snapshot}` });
		expect([month.before, month.after].map((value) => Math.round(value!))).toHaveLength(2);
		expect(month.after! - month.before!).toBeCloseTo(600, 6);
		// In euros at other rates than then: what the rates make is told apart, the rest is what was typed.
		await house.database.pool.query('UPDATE rate SET value = value * 2 WHERE value <> 1');
		await house.database.pool.query('UPDATE model SET structure_version = structure_version + 1');
		const euros = await whyDifferent(osric, MODEL, { ...asked, currency: 'EUR', against: `s${snapshot}` });
		expect(euros.exchange).not.toBe(0);
		expect(euros.addsUp).toBe(true);
		await house.database.pool.query('UPDATE rate SET value = value / 2 WHERE value <> 1');
		await house.database.pool.query('UPDATE model SET structure_version = structure_version + 1');
		const choicesHad = (await whyPage(osric, MODEL, asked.place, [])).againstChoices.map(({ key }) => key);
		expect(choicesHad).toEqual(expect.arrayContaining([`s${snapshot}`, `b${branch}`]));
		// Another one neither sees the branch nor may ask about it.
		expect((await whyPage(tove, MODEL, asked.place, [])).againstChoices.map(({ key }) => key)).not.toContain(`b${branch}`);
		expect(await faultOf(whyDifferent(tove, MODEL, { ...asked, against: `b${branch}` }))).toMatchObject({ status: 404 });
		// The same through a form, beside one another.
		const compared = await compare(osric, MODEL, { form: code, choices, sides: [`s${snapshot}`, 'plan', `b${branch}`] });
		expect(compared.sides.map(({ values }) => Math.round(values[0]!) - Math.round(was))).toEqual([0, 600, 700]);
		const parts = await readContributions(osric, MODEL, {
			...{ form: code, choices, row: 0, column: 0, dimension: null, at: {} },
			...{ from: `s${snapshot}`, to: `b${branch}` }
		});
		expect(parts.after! - parts.before!).toBeCloseTo(700, 6);
	});

	test('what says nothing about the period is no comparison', async () => {
		expect(
			await faultOf(
				whyDifferent(osric, MODEL, {
					place: place({ Period: 'FY2025', Scenario: 'ACT' }),
					against: `m${id('Scenario STR')}`,
					currency: 'EUR',
					at: {},
					dimension: null
				})
			)
		).toMatchObject({ status: 422 });
	});
});

describe('the journal', () => {
	test('tells changes of all kinds, the latest first, page by page without a gap', async () => {
		const first = await readJournal(osric, MODEL, { of: 'changes', text: '', members: [] });
		expect(first.lines.length).toBeGreaterThan(5);
		const moments = first.lines.map(({ at }) => at);
		expect([...moments].sort().reverse()).toEqual(moments);
		expect(new Set(first.lines.map(({ key }) => key)).size).toBe(first.lines.length);
		const saves = await readJournal(osric, MODEL, { of: 'changes', kind: 'save', text: '', members: [] });
		expect(saves.lines.every(({ kind }) => kind === 'save')).toBe(true);
		expect((await readJournal(osric, MODEL, { of: 'changes', text: '%', members: [] })).lines.length).toBeGreaterThanOrEqual(0);
	});

	test('finds single entries by member, person and size, and hands them out', async () => {
		const entries = await readJournal(osric, MODEL, {
			of: 'entries',
			text: '',
			members: [id('Account TICKET'), id('Route R06')],
			least: 1
		});
		expect(entries.lines.some(({ after, place: at }) => after !== null && at!.includes(id('Account 4030')))).toBe(true);
		expect(entries.lines.every(({ place: at }) => at!.includes(id('Route R06')))).toBe(true);
		expect((await readJournal(osric, MODEL, { of: 'entries', text: '', members: [1_999_999] })).lines).toEqual([]);
		const rows: string[][] = [];
		for await (const part of journalRows(osric, MODEL, { of: 'entries', text: '', members: [id('Route R06')] })) rows.push(...part);
		expect(rows[0]).toContain('Account');
		expect(rows.length).toBeGreaterThan(1);
	});

	test('somebody who may not see access or structure hears nothing of them', async () => {
		const lines = (await readJournal(tove, MODEL, { of: 'changes', text: '', members: [] })).lines;
		expect(lines.some(({ kind }) => kind === 'access' || kind === 'locks')).toBe(false);
		expect((await readActivity(osric, MODEL)).length).toBeGreaterThan(0);
	});
});

describe('who reads a part', () => {
	test('sees of boards, views, totals, journal and search what is theirs, and no more', async () => {
		const { posts, line } = house;
		const maren = await house.person('Maren', posts);
		const hers = await house.person('Tove', posts);
		expect(hers.readsPart).toBe(true);
		const [skerry, northgate, group] = [await house.member('SKE'), await house.member('NOR'), await house.member('GROUP')];
		const accounts = await house.database.pool.query<{ id: number }>(
			"SELECT d.id FROM dimension d JOIN model_dimension md ON md.dimension_id = d.id WHERE md.model_id = $1 AND d.kind = 'account'",
			[posts]
		);
		const all: Tile = {
			id: 1,
			kind: 'table',
			title: 'All',
			width: 6,
			height: 4,
			source: { rows: { dimension: accounts.rows[0]!.id, selection: { kind: 'all' } }, at: {}, compare: false }
		};
		const { id: board } = await makeBoard(maren, posts, {
			name: 'Posts',
			description: '',
			shared: true,
			content: { ...content([all]), selectors: [{ dimension: line, initial: group }], against: null, currencies: ['EUR'] }
		});
		const seen = (person: SignedIn, at: number) => boardFigures(person, posts, { id: board, choices: { members: { [line]: at } }, tab: 0 });
		const values = ({ tiles }: Awaited<ReturnType<typeof seen>>) => tiles.flatMap((tile) => (tile.kind === 'figures' ? tile.values : []));
		const [whole, part, mine] = [await seen(maren, group), await seen(hers, group), await seen(maren, skerry)];
		expect(values(whole)).not.toEqual(values(part));
		expect(part.tiles.filter((tile) => tile.kind === 'figures').every((tile) => tile.restricted)).toBe(true);
		// The group as she sees it is her line.
		const rounded = (answer: typeof part) => values(answer).map((value) => (value === null ? null : Math.round(value * 100)));
		expect(rounded(part).filter((value) => value !== null && value !== 0).length).toBeGreaterThan(2);
		expect(rounded(part)).toEqual(rounded(mine));
		// A line that is not hers is no choice, in a view no member, and in no list.
		expect(part.selectors.find(({ dimension: of }) => of === line)!.choices.map(({ member }) => member)).not.toContain(northgate);
		const { code } = await startView(maren, posts, { member: northgate, choices: {}, name: 'Northgate alone' });
		await keepView(maren, posts, { code, name: 'Northgate alone', description: '', shared: true });
		const opened = await openView(hers, posts, code, { members: {} }).catch((fault: unknown) => fault);
		expect(JSON.stringify(opened)).not.toContain('Northgate Line');
		const { found } = await search(hers, posts, { text: 'northgate' });
		expect(found.filter(({ kind }) => kind === 'Member' || kind === 'Figure' || kind === 'Note')).toEqual([]);
		expect((await membersForView(hers, posts, { dimension: line, of: group })).members.map(({ id: member }) => member)).toEqual([skerry]);
		// Of changes she hears nothing but single entries of hers.
		const journal = await readJournal(hers, posts, { of: 'changes', text: '', members: [] });
		expect(journal.lines.every(({ place: at }) => at?.includes(skerry))).toBe(true);
		expect(await readActivity(hers, posts)).toEqual([]);
		await sayToBoard(maren, posts, { id: board, tile: null, text: 'Look', figures: 'Pay 1,234' });
		expect((await boardComments(hers, posts, { id: board })).comments[0]).toMatchObject({ text: 'Look', figures: '' });
	});
});
