import { beforeEach, describe, expect, test, vi } from 'vitest';
import type { FormAnswer } from '$lib/server/engine';
import type { OpenForm } from '$lib/server/form';
import { FormSession } from './form-session.svelte';
import { GridState } from './grid-state.svelte';
import { ShownForm } from './shown-form';
import type { Tab } from './tab';
import type { BrowserStore } from './unsent';

const line = (label: string, more: object = {}) => ({
	kind: 'cells' as const,
	place: 0,
	block: 0,
	members: { 1: label.length },
	label,
	code: label,
	above: [],
	heading: '',
	depth: 0,
	parent: false,
	folded: false,
	readOnly: false,
	guidance: '',
	emphasis: [],
	decimals: undefined,
	width: undefined,
	reading: undefined,
	totalAfter: false,
	derive: undefined,
	...more
});
const facts = { valueType: 'money' as const, coded: false, account: 1, shownDecimals: 0, unit: null, thresholds: null, formula: null };
const answer = (values: (number | null)[], more: Partial<FormAnswer> = {}): FormAnswer => ({
	frame: 'a',
	restricted: false,
	moment: 'now',
	rows: [
		{ ...line('Total', { parent: true }), ...facts },
		{ ...line('Fuel', { depth: 1 }), ...facts },
		{ ...line('Crew', { depth: 1 }), ...facts }
	],
	columns: ['Apr', 'May'].map((label) => ({
		...line(label),
		short: label,
		group: 'Q1',
		level: 'month',
		cut: undefined,
		computed: undefined,
		percent: false,
		facts: undefined
	})),
	selectors: [],
	currencies: ['EUR'],
	currency: 'EUR',
	axes: { accounts: 1, periods: 2, scenarios: 3 },
	choices: {},
	defaults: {
		scale: 1,
		hideEmptyRows: false,
		hideEmptyColumns: false,
		spread: 'in proportion',
		methods: false,
		methodsLive: false,
		ownLines: false
	},
	revision: 5,
	structure: 2,
	values,
	flags: values.map(() => 0),
	marks: 'sseeee',
	words: [],
	drafted: [],
	draftedBeneath: [],
	good: [],
	bad: [],
	draftSize: 0,
	draftHere: 0,
	trial: null,
	tried: [],
	branched: [],
	checks: [],
	empty: { rows: [2], columns: [] },
	outside: null,
	...more
});
const opened = (form: FormAnswer): OpenForm => ({
	code: 'costs',
	name: 'Costs',
	description: '',
	instructions: '',
	form,
	steps: { undo: false, redo: false },
	saved: null,
	draftSince: null,
	elsewhere: []
});

let storage: Map<string, string>;
const browserStore: BrowserStore = {
	keys: () => [...storage.keys()],
	get: (key) => storage.get(key) ?? null,
	set: (key, value) => void storage.set(key, value),
	remove: (key) => void storage.delete(key)
};
/** Tabs that are open, by name; undefined where the browser cannot tell. */
let openTabs: Set<string> | undefined;
let tab: Tab;
let replies: (() => Response | Promise<Response>)[];
let asked: { verb: string; path?: string; body: Record<string, unknown> }[];
const json =
	(body: unknown, status = 200) =>
	() =>
		new Response(JSON.stringify(body), { status });
const away = () => Promise.reject(new TypeError('no network'));
const entered = (values: (number | null)[], more: object = {}) =>
	json({
		form: answer(values, { rows: [], columns: [], draftSize: 1, draftHere: 1, drafted: [2] }),
		faults: [],
		warnings: [],
		steps: { undo: true, redo: false },
		changed: 1,
		...more
	});

function session(place: { person?: number; model?: number; tab?: string } = {}): FormSession {
	const made = new FormSession(
		opened(answer([30, 40, 10, 20, 20, 20])),
		{ members: {} },
		{
			person: place.person ?? 7,
			model: place.model ?? 1,
			addressOf: (form) => `/api/m/group/forms/${form}`,
			store: browserStore,
			tab: () => Promise.resolve({ ...tab, name: place.tab ?? tab.name }),
			fetch: (async (path: string, init: RequestInit) => {
				asked.push({ verb: path.split('/').at(-1)!, path, body: JSON.parse(init.body as string) as Record<string, unknown> });
				return replies.shift()?.() ?? json({})();
			}) as unknown as typeof fetch
		}
	);
	return made;
}
beforeEach(() => {
	storage = new Map();
	openTabs = new Set(['first']);
	tab = { name: 'first', open: () => Promise.resolve(openTabs) };
	replies = [];
	asked = [];
	vi.useFakeTimers();
});

describe('an entry', () => {
	test('is shown at once, sent, and replaced by what the server says', async () => {
		const open = session();
		replies.push(entered([35, 40, 15, 20, 20, 20]));
		const done = open.enter([{ row: 1, column: 0, text: '15' }]);
		expect(open.pending.get(2)).toBe('15');
		await done;
		expect(open.pending.size).toBe(0);
		expect(open.form.value(1, 0)).toBe(15);
		expect(open.form.rows).toHaveLength(3);
		expect(open.steps.undo).toBe(true);
		expect(storage.size).toBe(0);
	});
	test('waits in the browser while the server is away, and is sent when it is back', async () => {
		const open = session();
		await open.resume();
		replies.push(away);
		await open.enter([{ row: 1, column: 0, text: '15' }]);
		expect(open.away).toBe('unreachable');
		expect(open.waiting).toBe(1);
		expect([...storage.values()][0]).toContain('"text":"15"');
		replies.push(entered([35, 40, 15, 20, 20, 20]));
		await vi.advanceTimersByTimeAsync(3_100);
		expect(open.away).toBeNull();
		expect(open.waiting).toBe(0);
		expect(open.form.value(1, 0)).toBe(15);
		expect(storage.size).toBe(0);
		expect(open.message?.text).toMatch(/server is back/);
	});
	test('nothing need be typed: a page that found the server away reads its form again when that is back', async () => {
		const open = session();
		replies.push(away, () => new Response('{"code":"database away","message":"The database is away."}', { status: 503 }));
		await open.tellPresence({});
		expect(open.away).toBe('unreachable');
		await vi.advanceTimersByTimeAsync(3_100);
		expect(open.away).toBe('unreachable');
		replies.push(json(opened(answer([31, 40, 11, 20, 20, 20]))));
		await vi.advanceTimersByTimeAsync(3_100);
		expect(open.away).toBeNull();
		expect(open.form.value(1, 0)).toBe(11);
		expect(asked.map(({ verb }) => verb)).toEqual(['presence', 'open', 'open']);
		await vi.advanceTimersByTimeAsync(30_000);
		expect(asked).toHaveLength(3);
	});
	test('survives the end of the session and a reload', async () => {
		const open = session();
		await open.resume();
		replies.push(json({ message: 'Your session has ended.' }, 401));
		await open.enter([{ row: 1, column: 1, text: '9' }]);
		expect(open.away).toBe('signed out');
		const again = session();
		replies.push(entered([30, 40, 10, 9, 20, 20]));
		await again.resume();
		expect(again.form.value(1, 1)).toBe(9);
		expect(again.waiting).toBe(0);
	});
	test('keeps its id when it is sent again, and no two share one', async () => {
		const open = session();
		replies.push(away, entered([35, 40, 15, 20, 20, 20]), entered([36, 40, 16, 20, 20, 20]));
		await open.enter([{ row: 1, column: 0, text: '15' }]);
		await vi.advanceTimersByTimeAsync(3_100);
		await open.enter([{ row: 1, column: 0, text: '16' }]);
		const ids = asked.map(({ body }) => (body.entries as { id: string }).id);
		expect(ids[0]).toMatch(/^[0-9a-f]{8}-[0-9a-f]{4}-4[0-9a-f]{3}-[89ab][0-9a-f]{3}-[0-9a-f]{12}$/);
		expect([ids[1] === ids[0], ids[2] === ids[0]]).toEqual([true, false]);
	});
	test('does not go under the name of who signed in meanwhile: it waits for its own person', async () => {
		const open = session();
		await open.resume();
		replies.push(json({ code: 'other person', message: 'You are signed in as Imke Solberg in this browser now.' }, 409));
		await open.enter([{ row: 1, column: 0, text: '15' }]);
		expect([open.away, open.waiting]).toEqual(['other person', 1]);
		const others = [session({ person: 8 }), session({ model: 2 })];
		for (const other of others) await other.resume();
		expect(others.map(({ waiting }) => waiting)).toEqual([0, 0]);
		expect(asked).toHaveLength(1);
		replies.push(entered([35, 40, 15, 20, 20, 20]));
		await vi.advanceTimersByTimeAsync(3_100);
		expect([open.away, open.waiting]).toEqual([null, 0]);
	});
	test('stays in its tab while that is open, and is taken over when it is gone', async () => {
		const first = session();
		await first.resume();
		replies.push(away);
		await first.enter([{ row: 1, column: 0, text: '15' }]);
		openTabs = new Set(['first', 'second']);
		const second = session({ tab: 'second' });
		await second.resume();
		expect([second.waiting, storage.size]).toEqual([0, 1]);
		openTabs = new Set(['third']);
		const third = session({ tab: 'third' });
		replies.push(entered([35, 40, 15, 20, 20, 20]));
		await third.resume();
		expect([third.form.value(1, 0), storage.size]).toEqual([15, 0]);
	});
	test('that another form was left with is sent to that form', async () => {
		const entries = [{ row: 1, column: 0, text: '15' }];
		storage.set(
			'noble-lattice unsent 7 1 capital first',
			JSON.stringify([{ id: 'a', choices: { members: {} }, structure: 2, frame: 'b', entries, options: {} }])
		);
		storage.set('noble-lattice unsent 7 2 capital first', '[{}]');
		const open = session();
		replies.push(entered([]), json(opened(answer([30, 40, 10, 20, 20, 20]))));
		await open.resume();
		expect(asked.map(({ path }) => path)).toEqual(['/api/m/group/forms/capital/enter', '/api/m/group/forms/costs/open']);
		expect([...storage.keys()]).toEqual(['noble-lattice unsent 7 2 capital first']);
	});
	test('of another tab is offered where the browser cannot tell whether that is open', async () => {
		const first = session();
		await first.resume();
		replies.push(away);
		await first.enter([{ row: 1, column: 0, text: '15' }]);
		openTabs = undefined;
		const second = session({ tab: 'second' });
		await second.resume();
		expect(second.message).toMatchObject({
			text: expect.stringMatching(/^One entry you typed in another window/),
			act: { label: 'Send them now' }
		});
		replies.push(entered([35, 40, 15, 20, 20, 20]));
		second.message!.act!.run();
		await vi.advanceTimersByTimeAsync(1);
		expect([second.form.value(1, 0), storage.size]).toEqual([15, 0]);
	});
	test('that is refused stays marked with the reason', async () => {
		const open = session();
		replies.push(
			entered([30, 40, 10, 20, 20, 20], { faults: [{ row: 1, column: 0, message: '“ten” is not a number.', code: 'not a number' }] })
		);
		await open.enter([{ row: 1, column: 0, text: 'ten' }]);
		expect(open.faults.get(2)).toMatch(/not a number/);
		expect(open.message).toMatchObject({ kind: 'error' });
	});
	test('that would fill many cells asks, and goes through when agreed to', async () => {
		const open = session();
		replies.push(
			entered([30, 40, 10, 20, 20, 20], { faults: [{ row: 0, column: 0, message: 'This would fill 9000 cells.', code: 'asks first' }] })
		);
		await open.enter([{ row: 0, column: 0, text: '1m' }]);
		replies.push(entered([1, 40, 10, 20, 20, 20]));
		open.message!.act!.run();
		await vi.advanceTimersByTimeAsync(1);
		expect(asked.at(-1)!.body).toMatchObject({ entries: { confirmed: true } });
	});
	test('goes out in the order it was typed', async () => {
		const open = session();
		replies.push(entered([31, 40, 11, 20, 20, 20]), entered([32, 40, 12, 20, 20, 20]));
		await Promise.all([open.enter([{ row: 1, column: 0, text: '11' }]), open.enter([{ row: 1, column: 0, text: '12' }])]);
		expect(asked.map(({ body }) => (body.entries as { entries: { text: string }[] }).entries[0]!.text)).toEqual(['11', '12']);
		expect(open.form.value(1, 0)).toBe(12);
	});
});

test('a saved change of another person lights up what it changed', async () => {
	const open = session();
	replies.push(json(opened(answer([30, 40, 10, 25, 20, 20], { revision: 6 }))), json([]));
	await open.refresh(6);
	expect([...open.flashing]).toEqual([3]);
	await vi.advanceTimersByTimeAsync(2_000);
	expect(open.flashing.size).toBe(0);
	await open.refresh(6);
	expect(asked.map(({ verb }) => verb)).toEqual(['open', 'marks']);
});

describe('a large form', () => {
	test('brings the rows in sight, once each', async () => {
		const part = answer([30, 40], { part: [0], marks: 'ss' });
		const open = new FormSession(
			opened(part),
			{ members: {} },
			{
				person: 7,
				model: 1,
				addressOf: (form) => `/api/m/group/forms/${form}`,
				store: browserStore,
				tab: () => Promise.resolve(tab),
				fetch: (async (path: string, init: RequestInit) => {
					asked.push({ verb: path, body: JSON.parse(init.body as string) as Record<string, unknown> });
					return replies.shift()!();
				}) as unknown as typeof fetch
			}
		);
		expect(open.form.has(1)).toBe(false);
		replies.push(json(opened(answer([10, 20], { part: [1], marks: 'ee', rows: [], columns: [] }))));
		await Promise.all([open.need([0, 1]), open.need([1])]);
		expect(asked).toHaveLength(1);
		expect(asked[0]!.body.window).toEqual({ frame: 'a', rows: [1] });
		expect(open.form.value(1, 1)).toBe(20);
		expect(open.form.value(0, 0)).toBe(30);
	});
	test('of another moment does not keep rows of the one before', () => {
		const before = new ShownForm(answer([30, 40], { part: [0] }));
		expect(new ShownForm(answer([1, 2], { part: [1], rows: [], columns: [] }), before).has(0)).toBe(false);
	});
});

describe('the grid', () => {
	const grid = () => {
		const sent: { row: number; column: number; text: string }[][] = [];
		const said: string[] = [];
		const shows = { form: new ShownForm(answer([30, 40, 10, 20, 20, 20])), pending: new Map(), faults: new Map() };
		const state = new GridState(
			shows,
			() => 'en',
			(entries) => sent.push(entries),
			(text) => said.push(text)
		);
		return { state, sent, said };
	};
	const own = { decimal: '.', group: ',' } as const;
	test('folds groups, hides rows, and reveals what is looked for', () => {
		const { state } = grid();
		expect(state.visibleRows).toEqual([0, 1, 2]);
		state.toggleFold(0);
		expect(state.visibleRows).toEqual([0]);
		state.reveal({ row: 2, column: 0 });
		expect(state.visibleRows).toEqual([0, 1, 2]);
		expect(state.focus).toEqual({ row: 2, column: 0 });
		state.hideSelected();
		expect(state.visibleRows).toEqual([0, 1]);
		state.showHidden();
		state.hideEmptyRows = true;
		expect(state.visibleRows).toEqual([0, 1]);
	});
	test('folds a group of columns into a stub', () => {
		const { state } = grid();
		state.toggleGroup(0);
		expect(state.slots).toEqual([{ kind: 'stub', group: 'Q1', from: 0 }]);
		state.toggleGroup(0);
		expect(state.visibleColumns).toEqual([0, 1]);
	});
	test('pastes one text into all selected cells that take entries', () => {
		const { state, sent } = grid();
		state.moveTo({ row: 1, column: 0 });
		state.moveTo({ row: 2, column: 1 }, true);
		state.paste('7', own);
		expect(sent[0]!.map(({ row, column }) => `${row} ${column}`)).toEqual(['1 0', '1 1', '2 0', '2 1']);
	});
	test('asks at each paste how numbers are meant that fit two ways of writing', () => {
		const { state, sent } = grid();
		state.moveTo({ row: 1, column: 0 });
		state.paste('1.234\t17', own);
		expect(sent).toHaveLength(0);
		expect(state.question?.example).toBe('1.234');
		state.answerPaste({ decimal: ',', group: '.' });
		expect(sent[0]).toHaveLength(2);
		state.paste('2.345\t1', own);
		expect(sent).toHaveLength(1);
		expect(state.question?.example).toBe('2.345');
		state.answerPaste(own);
		expect(sent[1]).toMatchObject([{ text: '2.345' }, { text: '1' }]);
	});
	test('refuses a block no form can hold with a sentence', () => {
		const { state, sent, said } = grid();
		state.paste(Array.from({ length: 1_000 }, () => Array.from({ length: 1_000 }, () => '1').join('\t')).join('\n'), own);
		expect(sent).toHaveLength(0);
		expect(said[0]).toBe('This block has 1,000,000 cells; at most 20,000 fit at once. Paste it in parts.');
	});
	test('adds up leaf figures only, and finds rows and figures', () => {
		const { state } = grid();
		state.selectAll();
		expect(state.totals).toMatchObject({ sum: 70, count: 4, selected: 6 });
		expect(state.find('crew')).toEqual([{ row: 2, column: 0 }]);
		expect(state.find('40')).toEqual([{ row: 0, column: 1 }]);
		expect(state.find('  ')).toEqual([]);
	});
	test('shows thousands, and hands on that what is typed counts in them', () => {
		const { state } = grid();
		expect(state.shownText(1, 1)).toBe('20');
		state.scale = 1_000;
		expect(state.shownText(1, 1)).toBe('0.0');
		expect(state.editableText({ row: 1, column: 1 })).toBe('0.02');
	});
	test('fills to the right and copies with names', () => {
		const { state, sent } = grid();
		state.moveTo({ row: 1, column: 0 });
		state.moveTo({ row: 2, column: 1 }, true);
		state.fillRight();
		expect(sent[0]).toEqual([
			{ row: 1, column: 1, text: '10' },
			{ row: 2, column: 1, text: '20' }
		]);
		expect(state.copy(true)).toBe('\tApr\tMay\nFuel\t10\t20\nCrew\t20\t20');
	});
});
