import type { BoardContent, Tile } from '$lib/core';
import type { Board, BoardFigures } from '$lib/server/insight';
import { flushSync } from 'svelte';
import { describe, expect, test } from 'vitest';
import { BoardDesk } from './board-desk.svelte';

const note = (id: number): Tile => ({ id, kind: 'note', title: `T${id}`, width: 4, height: 2, text: '' });
const content: BoardContent = {
	version: 1,
	selectors: [],
	against: null,
	currencies: ['EUR'],
	scale: 1,
	tabs: [{ name: 'One', tiles: [note(1), note(2), note(3)] }]
};
const board: Board = {
	id: 7,
	name: 'Board',
	description: '',
	owner: null,
	mine: true,
	shared: false,
	changed: '',
	content,
	version: 1,
	mayChange: true,
	people: [],
	hidden: [2]
};
const figures = (revision: number): BoardFigures => ({
	revision,
	selectors: [],
	currencies: [],
	currency: 'EUR',
	against: null,
	againstChoices: [],
	tiles: [],
	draftSize: 0
});
const place = { choices: { members: {} }, against: undefined, tab: 0 };

/** A server whose answers wait until they are let go. */
function slowServer() {
	const asked: { path: string; body: unknown; answer: (value: unknown) => void }[] = [];
	const ask = ((path: string, body: unknown) => new Promise((answer) => asked.push({ path, body, answer }))) as never;
	return { asked, ask };
}
const settle = () => new Promise((done) => setTimeout(done, 0));

describe('a board', () => {
	test('shows the tiles nobody hid, and all of them while it is arranged', () => {
		const desk = new BoardDesk(board, figures(1), place, slowServer().ask);
		expect(desk.shown.map(({ id }) => id)).toEqual([1, 3]);
		desk.arrange();
		expect(desk.shown.map(({ id }) => id)).toEqual([1, 2, 3]);
	});

	test('tiles are moved, resized within bounds, added with a number of their own and taken off', () => {
		const desk = new BoardDesk(board, figures(1), place, slowServer().ask);
		desk.arrange();
		desk.move(3, -2);
		desk.resize(3, 100, -100);
		desk.add({ kind: 'progress', title: '', width: 3, height: 2 });
		desk.remove(1);
		expect(desk.tiles.map(({ id, width, height }) => [id, width, height])).toEqual([
			[3, 12, 1],
			[2, 4, 2],
			[4, 3, 2]
		]);
		desk.leave();
		flushSync();
		expect(desk.tiles).toHaveLength(3);
	});

	test('while one question is under way several more become one, and the last answer stands', async () => {
		const { asked, ask } = slowServer();
		const desk = new BoardDesk(board, figures(1), place, ask);
		void desk.refresh();
		void desk.refresh();
		void desk.refresh();
		expect(asked).toHaveLength(1);
		asked[0]!.answer({ ok: true, answer: figures(2) });
		await settle();
		expect(asked).toHaveLength(2);
		asked[1]!.answer({ ok: true, answer: figures(3) });
		await settle();
		expect(asked).toHaveLength(2);
		expect(desk.figures.revision).toBe(3);
	});

	test('an answer for what was chosen before does not stand, and is asked for anew', async () => {
		const { asked, ask } = slowServer();
		const desk = new BoardDesk(board, figures(1), place, ask);
		void desk.refresh();
		desk.take(board, figures(5), { ...place, choices: { members: { '3': 9 } } });
		asked[0]!.answer({ ok: true, answer: figures(2) });
		await settle();
		expect(desk.figures.revision).toBe(5);
		expect(asked[1]!.body).toMatchObject({ choices: { members: { '3': 9 } } });
	});

	test('what was arranged stays on the page where it could not be stored', async () => {
		const { asked, ask } = slowServer();
		const desk = new BoardDesk(board, figures(1), place, ask);
		desk.arrange();
		desk.move(1, 1);
		const stored = desk.store();
		asked[0]!.answer({ ok: false, code: 'conflict', message: 'Somebody has changed this board meanwhile.' });
		expect(await stored).toBe(false);
		expect(desk.fault).toContain('meanwhile');
		expect(desk.tiles.map(({ id }) => id)).toEqual([2, 1, 3]);
	});
});
