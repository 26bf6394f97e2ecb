import { describe, expect, test } from 'vitest';
import type { FormAnswer } from '$lib/server/engine';
import type { Entry, EntryOptions } from './form-session.svelte';
import { formatAt, GridState } from './grid-state.svelte';
import { ShownForm } from './shown-form';

const facts = { valueType: 'money', coded: false, account: 1, shownDecimals: 0, unit: null, thresholds: null, formula: null };
const line = (label: string, more: object = {}) => ({
	kind: 'cells',
	members: {},
	label,
	code: label.toUpperCase(),
	depth: 0,
	parent: false,
	folded: false,
	emphasis: [],
	...facts,
	...more
});
const month = (label: string, group: string, more: object = {}) => ({ ...line(label), group, level: 'month', facts: undefined, ...more });

/**
 *             Apr  May  Jun  FY
 * Total        6    60  600  666   (total of what follows)
 *   Fuel       1    10  100  111
 *   Crew       5    50  500  555
 * Note                             (a heading)
 * Price        2     –    –    –   (a price)
 */
const answer = (more: Partial<Record<keyof FormAnswer, unknown>> = {}) =>
	({
		frame: 'a',
		moment: 'now',
		rows: [
			line('Total', { parent: true }),
			line('Fuel', { depth: 1 }),
			line('Crew', { depth: 1 }),
			line('Note', { kind: 'text' }),
			line('Price', { valueType: 'price', shownDecimals: 2, unit: 'EUR/l' })
		],
		columns: [month('Apr', 'Q1'), month('May', 'Q1'), month('Jun', 'Q2'), { ...month('FY', ''), level: 'year', parent: true }],
		selectors: [],
		defaults: { scale: 1, hideEmptyRows: false, hideEmptyColumns: false, spread: 'in proportion' },
		values: [6, 60, 600, 666, 1, 10, 100, 111, 5, 50, 500, 555, null, null, null, null, 2, null, null, null],
		flags: Array.from({ length: 20 }, () => 0),
		marks: 'ssss' + 'eees' + 'eexs' + 'cccc' + 'eeec',
		words: [],
		good: [],
		bad: [],
		drafted: [],
		draftedBeneath: [],
		checks: [],
		empty: { rows: [4], columns: [2] },
		...more
	}) as unknown as FormAnswer;

function setUp(more: Parameters<typeof answer>[0] = {}) {
	const sent: { entries: Entry[]; options: EntryOptions | undefined }[] = [];
	const said: string[] = [];
	const session = { form: new ShownForm(answer(more)), pending: new Map<number, string>(), faults: new Map<number, string>() };
	const grid = new GridState(
		session,
		() => 'en-GB',
		(entries, options) => sent.push({ entries, options }),
		(text) => said.push(text)
	);
	const labels = () => grid.visibleRows.map((row) => session.form.rows[row]!.label);
	return { grid, session, sent, said, labels };
}
const ENGLISH = { decimal: '.', group: ',' } as const;

describe('what is in sight', () => {
	test('rows fold under their total and come back; the focus never stays on what is hidden', () => {
		const { grid, labels } = setUp();
		grid.moveTo({ row: 2, column: 1 });
		grid.toggleFold(0);
		expect(labels()).toEqual(['Total', 'Note', 'Price']);
		expect(grid.focus).toEqual({ row: 0, column: 1 });
		grid.reveal({ row: 2, column: 0 });
		expect(labels()).toEqual(['Total', 'Fuel', 'Crew', 'Note', 'Price']);
		expect(grid.focus).toEqual({ row: 2, column: 0 });
		grid.foldAll(true);
		expect(labels()).toEqual(['Total', 'Note', 'Price']);
	});

	test('rows are hidden by choice and where empty, never all of them', () => {
		const { grid, labels } = setUp();
		grid.selectRow(1);
		grid.hideSelected();
		grid.hideEmptyRows = true;
		expect(labels()).toEqual(['Total', 'Crew', 'Note']);
		grid.selectAll();
		grid.hideSelected();
		expect(labels()).toEqual(['Total', 'Crew', 'Note']);
		grid.showHidden();
		expect(labels()).toContain('Fuel');
	});

	test('a folded group of columns leaves a stub, and the year’s total stands frozen', () => {
		const { grid } = setUp();
		expect(grid.frozen).toBe(1);
		grid.moveTo({ row: 0, column: 1 });
		grid.toggleGroup(0);
		expect(grid.slots.map((slot) => (slot.kind === 'stub' ? slot.group : slot.column))).toEqual(['Q1', 2, 3]);
		expect(grid.focus.column).toBe(2);
		grid.toggleGroup(0);
		grid.hideEmptyColumns = true;
		expect(grid.visibleColumns).toEqual([0, 1, 3]);
		grid.freezeTotal = false;
		expect(grid.frozen).toBe(0);
	});

	test('after an answer with fewer lines the focus is inside again', () => {
		const { grid, session } = setUp();
		grid.moveTo({ row: 4, column: 3 });
		const whole = answer();
		session.form = new ShownForm({
			...whole,
			frame: 'b',
			rows: whole.rows.slice(0, 2),
			columns: whole.columns.slice(0, 2),
			values: [6, 60, 1, 10]
		});
		grid.clamp();
		expect(grid.focus).toEqual({ row: 1, column: 1 });
	});

	test('widths a person sets stay between 40 and 600; the names keep 120', () => {
		const { grid } = setUp();
		grid.resize(0, 5);
		grid.resize(1, 9_000);
		grid.resize('name', 10);
		expect([grid.widthOf(0), grid.widthOf(1), grid.nameWidth]).toEqual([40, 600, 120]);
	});
});

describe('moving and selecting', () => {
	test('keys stop at the edges and pass over what is folded', () => {
		const { grid } = setUp();
		grid.toggleFold(0);
		grid.move(1, 0);
		expect(grid.focus.row).toBe(3);
		grid.move(-9, -9);
		expect(grid.focus).toEqual({ row: 0, column: 0 });
		grid.moveToEdge(1, 1);
		expect(grid.focus).toEqual({ row: 4, column: 3 });
	});

	test('a selection is a block between where it began and where it is, whichever came first', () => {
		const { grid } = setUp();
		grid.moveTo({ row: 2, column: 1 });
		grid.move(-1, -1, true);
		expect([grid.selection.rows, grid.selection.columns]).toEqual([
			[1, 2],
			[0, 1]
		]);
		expect([grid.isSelected(1, 0), grid.isSelected(0, 0), grid.isRowSelected(2)]).toEqual([true, false, true]);
	});

	test('of what is selected leaf figures of one unit add up: 1 + 10 + 5 + 50 = 66; totals are left out, prices are another unit', () => {
		const { grid } = setUp();
		grid.selectAll();
		expect(grid.totals).toMatchObject({ sum: 666, count: 6, average: 111, unit: 'money', mixed: true });
		grid.moveTo({ row: 1, column: 0 });
		grid.moveTo({ row: 2, column: 1 }, true);
		expect(grid.totals).toMatchObject({ sum: 66, count: 4, mixed: false, selected: 4 });
	});
});

describe('entering', () => {
	test('what was not changed is not sent; what was typed is, with the unit figures count in', () => {
		const { grid, sent } = setUp();
		grid.moveTo({ row: 1, column: 0 });
		grid.startEdit();
		expect(grid.text).toBe('1');
		grid.commit();
		expect(sent).toEqual([]);
		grid.scale = 1_000;
		grid.startEdit('2');
		grid.commit();
		expect(sent).toEqual([{ entries: [{ row: 1, column: 0, text: '2' }], options: { scale: 1_000 } }]);
		grid.startEdit('3');
		grid.cancel();
		grid.commit();
		expect(sent).toHaveLength(1);
	});

	test('an entry that did not arrive is sent again as it is; one on its way is not', () => {
		const { grid, session, sent } = setUp();
		grid.moveTo({ row: 1, column: 0 });
		session.pending.set(4, '7');
		grid.startEdit();
		expect(grid.text).toBe('7');
		grid.commit();
		expect(sent).toEqual([]);
		session.faults.set(4, 'The server is away.');
		grid.startEdit();
		grid.commit();
		expect(sent).toHaveLength(1);
	});

	test('a block is filled down and right, emptied, and set alike where cells take entries; the others stay', () => {
		const { grid, sent } = setUp();
		grid.moveTo({ row: 1, column: 2 });
		grid.moveTo({ row: 2, column: 2 }, true);
		grid.fillDown();
		// The cell of June is closed; a lone one is asked for all the same, to hear why not.
		expect(sent.at(-1)!.entries).toEqual([{ row: 2, column: 2, text: '100' }]);
		grid.moveTo({ row: 1, column: 0 });
		grid.moveTo({ row: 2, column: 2 }, true);
		grid.fillRight();
		expect(sent.at(-1)!.entries).toEqual([
			{ row: 1, column: 1, text: '1' },
			{ row: 2, column: 1, text: '5' },
			{ row: 1, column: 2, text: '1' }
		]);
		grid.clear();
		expect(sent.at(-1)!.entries.map(({ row, column, text }) => [row, column, text])).toEqual([
			[1, 0, ''],
			[1, 1, ''],
			[1, 2, ''],
			[2, 0, ''],
			[2, 1, '']
		]);
		grid.enterAll('9');
		// Each is entered what its own place says: here nothing but the text.
		expect(sent.at(-1)!.entries).toHaveLength(5);
	});

	test('cells that are kept go along with what is typed above them, and are let go again', () => {
		const { grid, sent } = setUp();
		grid.moveTo({ row: 1, column: 0 });
		grid.toggleKept();
		grid.moveTo({ row: 0, column: 0 });
		grid.startEdit('12');
		grid.commit();
		expect(sent.at(-1)!.options).toEqual({ kept: [{ row: 1, column: 0 }] });
		grid.moveTo({ row: 1, column: 0 });
		grid.toggleKept();
		expect(grid.kept.size).toBe(0);
	});

	test('headings take nothing, and it is said', () => {
		const { grid, sent, said } = setUp();
		grid.selectRow(3);
		grid.clear();
		expect(said).toEqual(['None of these cells takes entries.']);
		expect(sent.at(-1)?.entries ?? []).toEqual([]);
	});
});

describe('copying, pasting and finding', () => {
	test('a block goes out as it is edited, with the names of its lines when asked', () => {
		const { grid } = setUp();
		grid.moveTo({ row: 1, column: 0 });
		grid.moveTo({ row: 2, column: 1 }, true);
		expect(grid.copy()).toBe('1\t10\n5\t50');
		expect(grid.copy(true)).toBe('\tApr\tMay\nFuel\t1\t10\nCrew\t5\t50');
	});

	test('one cell fills a selection; a block goes from the focus on; one with names goes where they say', () => {
		const { grid, sent } = setUp();
		grid.moveTo({ row: 1, column: 0 });
		grid.moveTo({ row: 2, column: 1 }, true);
		grid.paste('7', ENGLISH);
		expect(sent.at(-1)!.entries.map(({ text }) => text)).toEqual(['7', '7', '7', '7']);
		grid.moveTo({ row: 1, column: 1 });
		grid.paste('1\t2\n3\t4', ENGLISH);
		expect(sent.at(-1)!.entries).toEqual([
			{ row: 1, column: 1, text: '1' },
			{ row: 1, column: 2, text: '2' },
			{ row: 2, column: 1, text: '3' },
			{ row: 2, column: 2, text: '4' }
		]);
		grid.paste('\tJun\tApr\nCrew\t8\t9', ENGLISH);
		expect(sent.at(-1)!.entries).toEqual(
			expect.arrayContaining([
				{ row: 2, column: 2, text: '8' },
				{ row: 2, column: 0, text: '9' }
			])
		);
		expect(grid.pasted?.words).toContain('were recognised');
	});

	test('numbers that fit two ways of writing are asked about once, and none is lost', () => {
		const { grid, sent } = setUp();
		grid.moveTo({ row: 1, column: 0 });
		grid.paste('1.234\t2.345', ENGLISH);
		expect(sent).toEqual([]);
		const question = grid.question!;
		expect(question.block).toEqual([['1.234', '2.345']]);
		grid.answerPaste(question.style);
		expect(grid.question).toBeNull();
		expect(sent.at(-1)!.options).toMatchObject({ style: question.style });
	});

	test('a block that is too large is refused with a sentence', () => {
		const { grid, sent, said } = setUp();
		grid.paste(Array.from({ length: 201 }, () => Array.from({ length: 100 }, () => '1').join('\t')).join('\n'), ENGLISH);
		expect(said[0]).toContain('20,100 cells; at most 20,000');
		expect(sent).toEqual([]);
	});

	test('a text is found in names, codes and figures', () => {
		const { grid } = setUp();
		expect(grid.find('crew')).toEqual([{ row: 2, column: 0 }]);
		expect(grid.find('555')).toEqual([{ row: 2, column: 3 }]);
		expect(grid.find('jun')).toEqual([{ row: 0, column: 2 }]);
		expect(grid.find('  ')).toEqual([]);
	});
});

describe('how a figure is written', () => {
	test('money counts in the grid’s unit with a decimal at least, prices do not, shares are percents', () => {
		const { session } = setUp();
		expect(formatAt(session.form, 1, 0, 1_000)).toMatchObject({ scale: 1_000, decimals: 1 });
		expect(formatAt(session.form, 4, 0, 1_000)).toMatchObject({ scale: 1, decimals: 2 });
		const { columns, rows } = session.form;
		expect(formatAt({ rows, columns: [{ ...columns[0]!, percent: true }] }, 1, 0)).toMatchObject({ valueType: 'percent', decimals: 1 });
	});
});
