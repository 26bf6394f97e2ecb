import { describe, expect, test } from 'vitest';
import type { BoardHead } from '$lib/server/locks';
import { LockBoardState, NO_TERMS, type Ask } from './lock-board.svelte';

const [SCENARIO, LINE, PERIOD] = [1, 2, 3];
const head: BoardHead = {
	dimensions: [
		{ id: SCENARIO, name: 'Scenario', kind: 'scenario', drives: true, members: [{ id: 10, name: 'Budget', depth: 0 }] },
		{ id: LINE, name: 'Line', kind: 'entity', drives: true, members: [] },
		{ id: PERIOD, name: 'Period', kind: 'period', drives: true, members: [{ id: 30, name: 'FY2028', depth: 0 }] }
	],
	namers: [],
	others: [],
	seen: 7,
	years: { 10: 30 }
};
const grid = {
	rows: [
		{ members: [20], name: 'Group', depth: 0, isParent: true },
		{ members: [21], name: 'North', depth: 1, isParent: false },
		{ members: [22], name: 'South', depth: 1, isParent: false }
	],
	columns: [
		{ members: [31], name: 'April', depth: 0, isParent: false },
		{ members: [32], name: 'May', depth: 0, isParent: false }
	],
	states: ['oo', 'Ch', 'oo'],
	exceptions: { 0: { 0: 1 } }
};
async function boardWith(set: unknown = { kind: 'set', change: 5, slices: 1 }) {
	const asked: [string, Record<string, unknown>][] = [];
	const ask: Ask = async (verb, body) => {
		asked.push([verb, body as Record<string, unknown>]);
		return { ok: true, answer: verb === 'board' ? grid : verb === 'set' ? set : { layers: [], own: null, history: [] } } as never;
	};
	const board = new LockBoardState(head, async () => undefined, ask);
	await board.read();
	return { board, asked, sets: () => asked.filter(([verb]) => verb === 'set').map(([, body]) => body) };
}

test('it begins with entities down, periods across, one scenario and the year it is planned in', async () => {
	const { board } = await boardWith();
	expect([board.rows, board.columns, board.chosen, board.within]).toEqual([[LINE], PERIOD, { [SCENARIO]: 10 }, 30]);
});

describe('cells', () => {
	test('say their state, whether it is set there, and what differs beneath; also under a fold', async () => {
		const { board } = await boardWith();
		expect([board.cellAt(1, 0), board.cellAt(1, 1), board.cellAt(0, 0).exceptions]).toEqual([
			{ state: 'closed', isOwn: true, exceptions: 0 },
			{ state: 'held', isOwn: false, exceptions: 0 },
			1
		]);
		board.fold(0);
		expect(board.visible).toEqual([0]);
	});
	test('of a selection are named by their members, the scenario among them', async () => {
		const { board, sets } = await boardWith();
		board.goTo({ row: 1, column: 0 });
		board.move(1, 1, true);
		expect(board.selection.cells).toBe(4);
		await board.set('closed');
		expect(sets()[0]).toMatchObject({
			slices: [
				[21, 31, 10],
				[21, 32, 10],
				[22, 31, 10],
				[22, 32, 10]
			],
			state: 'closed',
			seen: 7
		});
		expect(board.made).toEqual([5]);
	});
	test('the edges hold: one does not walk off the board', async () => {
		const { board } = await boardWith();
		board.move(-5, -5, false);
		expect(board.focus).toEqual({ row: 0, column: 0 });
		board.move(99, 99, false);
		expect(board.focus).toEqual({ row: 2, column: 1 });
	});
});

test('what differs beneath is asked about, and answered with what goes', async () => {
	const { board, sets } = await boardWith({ kind: 'exceptions', exceptions: [{ id: 3, name: 'North', state: 'held' }] });
	await board.set('closed');
	expect(board.asking?.exceptions).toHaveLength(1);
	expect(board.made).toEqual([]);
	await board.set('closed', NO_TERMS, [3]);
	expect(sets()[1]).toMatchObject({ goes: [3] });
});

test('a pasted block sets each state once; a word that is none sets nothing', async () => {
	const { board, sets } = await boardWith();
	board.goTo({ row: 1, column: 0 });
	await board.paste(
		[
			['c', 'o'],
			['closed', '']
		],
		NO_TERMS
	);
	expect(sets().map(({ state, slices }) => [state, (slices as unknown[]).length])).toEqual([
		['closed', 2],
		['open', 1],
		[null, 1]
	]);
	await board.paste([['c', 'shut']], NO_TERMS);
	expect(sets()).toHaveLength(3);
	expect(board.told?.isFault).toBe(true);
});
