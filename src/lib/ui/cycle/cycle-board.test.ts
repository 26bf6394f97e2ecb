import { describe, expect, test } from 'vitest';
import type { RoundBoard, UnitLine } from '$lib/server/cycle';
import { CycleBoardState, shouldStand, type Ask } from './cycle-board.svelte';

const unit = (id: number, parent: number | null, more: Partial<UnitLine> = {}): UnitLine => ({
	id,
	parent,
	depth: parent === null ? 0 : 1,
	name: `Unit ${id}`,
	state: 'in progress',
	reviewed: 0,
	reviews: 1,
	owner: null,
	reviewers: [],
	due: null,
	days: null,
	isLate: false,
	filled: 0,
	expected: 0,
	movedAt: null,
	isMine: false,
	forMe: false,
	hasMoved: false,
	...more
});
const boardOf = (units: UnitLine[]): RoundBoard => ({
	round: {
		id: 1,
		name: 'R',
		state: 'running',
		startedAt: null,
		endedAt: null,
		version: 1,
		scenario: '',
		from: '',
		to: '',
		instructions: ''
	},
	units,
	leads: false
});
function boardWith(units: UnitLine[], answers: Record<string, unknown> = {}) {
	const asked: [string, object][] = [];
	const ask: Ask = async (verb, body) => {
		asked.push([verb, body]);
		return { ok: true, answer: answers[verb] ?? { may: [], moves: [] } } as never;
	};
	return { asked, board: new CycleBoardState(boardOf(units), async () => undefined, ask) };
}

describe('the units that are shown', () => {
	const units = [
		unit(1, null),
		unit(2, 1, { isMine: true }),
		unit(3, 1, { isLate: true }),
		unit(4, 1, { forMe: true, state: 'submitted' })
	];
	test('are those a filter keeps, with what is above them', () => {
		const { board } = boardWith(units);
		const shown = () => board.shown.map(({ id }) => id);
		expect(shown()).toEqual([1, 2, 3, 4]);
		board.filter = 'mine';
		expect(shown()).toEqual([1, 2]);
		board.filter = 'late';
		expect(shown()).toEqual([1, 3]);
		board.filter = 'review';
		expect(shown()).toEqual([1, 4]);
	});
	test('are folded with what is above them, but not where one looks for something', () => {
		const { board } = boardWith(units);
		board.fold(1);
		expect(board.shown.map(({ id }) => id)).toEqual([1]);
		board.filter = 'mine';
		expect(board.shown.map(({ id }) => id)).toEqual([1, 2]);
	});
});

describe('a move', () => {
	test('is for all that are chosen, and tells what came of each', async () => {
		const results = [
			{ id: 2, name: 'Unit 2', kind: 'moved', state: 'approved', saved: 0, brought: [] },
			{ id: 3, name: '', kind: 'refused', words: 'It is returned.' }
		];
		const { board, asked } = boardWith([unit(1, null), unit(2, 1), unit(3, 1)], { move: { results } });
		await board.choose(2);
		await board.choose(3, 'more');
		await board.begin('approve');
		expect(asked.find(([verb]) => verb === 'move')![1]).toMatchObject({ units: [2, 3], move: 'approve' });
		expect(board.told).toEqual({ words: 'Unit 2 is approved. It is returned.', isFault: false });
	});
	test('that waits for a note or an answer is not carried out', async () => {
		const asks = { id: 2, name: 'Unit 2', kind: 'asks', checks: [], moved: { lines: [], totals: 1, cells: 0, samples: [] } };
		const { board, asked } = boardWith([unit(2, null)], { move: { results: [asks] } });
		await board.choose(2);
		await board.begin('return');
		expect([board.asking?.move, asked.some(([verb]) => verb === 'move')]).toEqual(['return', false]);
		await board.begin('approve');
		expect(board.asking).toMatchObject({ move: 'approve', units: [2], asks: { kind: 'asks' } });
		await board.choose(2);
		expect(board.asking).toBeNull();
	});
});

test('a unit should stand where even work would have brought it', () => {
	expect(shouldStand('2026-11-01T09:00:00Z', '2026-11-11', '2026-11-06')).toBe(0.5);
	expect(shouldStand('2026-11-01T09:00:00Z', '2026-11-11', '2026-12-01')).toBe(1);
	expect(shouldStand('2026-11-01T09:00:00Z', '2026-11-01', '2026-11-01')).toBe(1);
	expect(shouldStand(null, '2026-11-11', '2026-11-06')).toBeNull();
});
