import { levelOf, type Level } from '$lib/core';
import type { CellMark } from '$lib/server/form';
import type { CellGlyph } from './glyphs';
import type { GridState } from './grid-state.svelte';
import type { MarkName } from './mark-choice';
import type { ShownForm } from './shown-form';

/** What surrounds the figures: refusals, what is on its way, what others do. By cell. */
export interface GridSurroundings {
	faults: ReadonlyMap<number, string>;
	flashing: ReadonlySet<number>;
	pending: ReadonlyMap<number, string>;
	marks: ReadonlyMap<number, CellMark>;
	/** Where others stand. */
	others: ReadonlyMap<number, string>;
	/** Marks the person does without. */
	hidden: ReadonlySet<MarkName>;
}

/** A cell as it is drawn; plain values, so that drawing it costs little. */
export interface CellLook {
	column: number;
	cell: number;
	classes: string;
	text: string;
	title: string | undefined;
	/** What a screen reader is told beyond the figure. */
	words: string;
	readOnly: boolean;
	glyph: CellGlyph | undefined;
}

const CLASSES: Record<string, string> = { e: 'enter', s: 'spread', c: 'computed', x: 'closed', h: 'held', r: 'computed' };

/** How a cell looks: its figure, its marks in shapes and colours, and the same in words. */
export function lookOf(form: ShownForm, grid: GridState, around: GridSurroundings, row: number, column: number): CellLook {
	const cell = form.cell(row, column);
	const across = form.columns[column]!;
	const blank = across.kind === 'text' ? 'blank ' : '';
	if (!form.has(row))
		return {
			column,
			cell,
			classes: `computed ${blank}`,
			text: '',
			title: undefined,
			words: 'is being read',
			readOnly: true,
			glyph: undefined
		};
	const mark = form.mark(row, column);
	const flag = form.flag(row, column);
	const fault = around.faults.get(cell);
	const { hidden } = around;
	const beside = shownOf(around.marks.get(cell), hidden);
	const typed = around.pending.get(cell);
	const word = form.word(row, column);
	let classes = `${CLASSES[mark]} ${blank}`;
	let words = '';
	const note = (name: string, said: string) => {
		classes += `${name} `;
		if (said !== '') words += words === '' ? said : `, ${said}`;
	};
	if (form.drafted.has(cell)) note('drafted', 'unsaved');
	if (form.draftedBeneath.has(cell)) note('drafted-beneath', 'unsaved entries beneath');
	if (form.tried.has(cell) && !form.drafted.has(cell)) note('tried', 'as it would be after the run that is tried');
	if (form.branched.has(cell)) note('branched', 'changed in this branch');
	if (fault !== undefined) note('refused', `refused: ${fault}`);
	if (flag & 1) note('', 'a rate or weight is missing');
	if (flag & 4) note('', 'several values beneath');
	if (form.good.has(cell) && !hidden.has('news')) note('good', 'favourable');
	if (form.bad.has(cell) && !hidden.has('news')) note('bad', 'unfavourable');
	if (mark === 'x') note('', 'closed');
	if (mark === 'h') note('', 'held for others');
	if (mark === 's') note('', 'spreads when typed');
	if (grid.kept.has(cell)) note('kept', 'kept fixed');
	if (beside?.moved) note('', beside.moved);
	if (beside?.notes) note('', beside.notes === 1 ? 'a note' : `${beside.notes} notes`);
	if (beside?.lines) note('', 'detail lines');
	if (beside?.links) note('', 'links');
	if (beside?.result) note('', beside.result.words);
	const other = around.others.get(cell);
	if (other !== undefined) note('other', `${other} is here`);
	if (around.flashing.has(cell)) note('flash', '');
	if (typed !== undefined) note('pending', '');
	if (form.facts(row, column).coded) note('words', '');
	const level = hidden.has('levels') ? undefined : levelAt(form, row, column);
	if (level === 'act') note('stands-act', 'asks for action');
	else if (level === 'watch') note('', 'to be watched');
	const emphasis = emphasisOf(form, row, column);
	if (emphasis) note(emphasis, '');
	return {
		column,
		cell,
		classes,
		text: `${flag & 1 ? '≈ ' : ''}${typed ?? (flag & 4 ? 'mixed' : grid.shownText(row, column))}`,
		title: fault ?? beside?.moved ?? beside?.result?.words ?? word,
		words,
		readOnly: mark !== 'e' && mark !== 's',
		// One mark at the right: the most serious one.
		glyph: mark === 'x' || mark === 'h' ? undefined : glyphOf(beside, level)
	};
}

/** The most serious of what stands beside a figure. */
function glyphOf(beside: CellMark | undefined, level: Level | undefined): CellGlyph | undefined {
	if (beside?.moved) return 'moved';
	if (level === 'act' || level === 'watch') return level;
	if (beside?.result?.outOfDate) return 'stale';
	if (beside?.notes) return 'note';
	if (beside?.lines) return 'lines';
	if (beside?.links) return 'link';
	return beside?.result ? 'result' : level;
}

/** What stands beside a figure, without the marks the person does without. */
function shownOf(beside: CellMark | undefined, hidden: ReadonlySet<MarkName>): CellMark | undefined {
	if (!beside || hidden.size === 0) return beside;
	const { moved, result, ...rest } = beside;
	return {
		...rest,
		notes: hidden.has('notes') ? 0 : beside.notes,
		lines: hidden.has('lines') ? 0 : beside.lines,
		links: hidden.has('links') ? 0 : beside.links,
		...(moved !== undefined && !hidden.has('moved') && { moved }),
		...(result !== undefined && !hidden.has('results') && { result })
	};
}

/** How a figure stands by the thresholds of its account; figures that a form computes have none. */
function levelAt(form: ShownForm, row: number, column: number): Level | undefined {
	const { thresholds } = form.facts(row, column);
	const value = form.value(row, column);
	const isRead = form.rows[row]!.kind === 'cells' && form.columns[column]!.kind === 'cells';
	return thresholds && value !== null && isRead ? levelOf(thresholds, value) : undefined;
}

/** How a figure stands out by the rules of its row and column. */
function emphasisOf(form: ShownForm, row: number, column: number): string {
	const [own, across] = [form.rows[row]!.emphasis, form.columns[column]!.emphasis];
	if (own.length === 0 && across.length === 0) return '';
	const value = form.value(row, column);
	if (value === null) return '';
	const met = [...own, ...across].find((rule) => (rule.when === 'above' ? value > rule.value : value < rule.value));
	return met ? `stands-${met.look}` : '';
}
