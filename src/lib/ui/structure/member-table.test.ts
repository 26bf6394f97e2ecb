import { beforeEach, describe, expect, test, vi } from 'vitest';
import type { MemberTable } from '$lib/server/structure';

/** What was asked of the server, and what it answers next. */
const { asked, answers } = vi.hoisted(() => ({ asked: [] as { path: string; body: unknown }[], answers: [] as unknown[] }));
vi.mock('../request', () => ({
	request: (path: string, body?: unknown) => {
		asked.push({ path, body });
		return Promise.resolve(answers.shift() ?? { ok: true, answer: { ...table(), change: 1, words: 'Done' } });
	}
}));
const { MemberTableState } = await import('./member-table.svelte');

/** All ▸ North (R1, R2), South (R3); the group of the south subtracts. */
const table = (more: Partial<MemberTable> = {}): MemberTable =>
	({
		id: 1,
		code: 'route',
		name: 'Route',
		kind: 'general',
		fields: [
			{ key: 'attribute Sea', title: 'Sea' },
			{ key: 'balance', title: 'In balances' }
		],
		hierarchies: [],
		ids: [10, 11, 12, 13, 14, 15],
		codes: ['ALL', 'N', 'R1', 'R2', 'S', 'R3'],
		names: ['All routes', 'North', 'Skerrivik', 'Holmness', 'South', 'Amber'],
		depths: [0, 1, 2, 2, 1, 2],
		weights: [1, 1, 1, 1, -1, 1],
		marks: [0, 0, 0, 2, 0, 0],
		values: { 'attribute Sea': ['', '', 'Wide', 'Wide', '', 'Sound'] },
		outside: [],
		...more
	}) as MemberTable;
const state = (more: Partial<MemberTable> = {}) => new MemberTableState(table(more));
const seen = (members: InstanceType<typeof MemberTableState>) => members.visible.map((row) => members.table.codes[row]);
const bodies = () => asked.map(({ path, body }) => [path.split('/').at(-1), body]);

beforeEach(() => {
	asked.length = 0;
	answers.length = 0;
});

describe('what is seen', () => {
	test('rows fold with all under them; a search shows what matches wherever it is', () => {
		const members = state();
		members.toggle(1);
		expect(seen(members)).toEqual(['ALL', 'N', 'S', 'R3']);
		members.text = 'r2';
		expect(seen(members)).toEqual(['R2']);
		members.text = 'north';
		expect(seen(members)).toEqual(['N']);
		members.text = '';
		members.reveal(13);
		expect(seen(members)).toEqual(['ALL', 'N', 'R1', 'R2', 'S', 'R3']);
		expect(members.table.codes[members.row!]).toBe('R2');
	});

	test('long dimensions begin folded below the first level; a leaf does not fold', () => {
		const many = Array.from({ length: 100 }, (_, index) => index);
		const members = state({
			ids: many,
			codes: many.map(String),
			names: many.map(String),
			depths: many.map((each) => (each === 0 ? 0 : each % 10 === 1 ? 1 : 2)),
			weights: many.map(() => 1),
			marks: many.map(() => 0),
			values: {}
		});
		expect(members.visible).toHaveLength(11);
		expect(members.leaves).toBe(89);
		members.toggle(2);
		expect(members.folded.has(2)).toBe(false);
	});

	test('weights have a column where one differs, fields where they are in use', () => {
		expect(state().columns.map(({ key }) => key)).toEqual(['name', 'code', 'weight', 'attribute Sea']);
		expect(state({ weights: [1, 1, 1, 1, 1, 1], values: {} }).columns.map(({ key }) => key)).toEqual(['name', 'code', 'attribute Sea']);
	});
});

describe('choosing', () => {
	test('with Shift all between, with Ctrl one by one; what lies under a chosen one goes along with it', () => {
		const members = state();
		members.go(1);
		members.go(3, true);
		expect([...members.chosen]).toEqual([1, 2, 3]);
		expect(members.picked).toEqual([1]);
		members.go(2);
		members.alsoChoose(5);
		expect(members.picked).toEqual([2, 5]);
		members.alsoChoose(5);
		expect(members.picked).toEqual([2]);
	});

	test('keys stop at the first and last row', () => {
		const members = state();
		members.go(99);
		expect(members.at).toBe(5);
		members.go(-4);
		expect(members.at).toBe(0);
	});
});

describe('changing', () => {
	test('says what one saw; of several rows all that differ; nothing where nothing does', async () => {
		const members = state();
		members.go(2);
		members.go(3, true);
		await members.set('attribute Sea', 'Wide');
		expect(asked).toEqual([]);
		await members.set('attribute Sea', 'Sound');
		expect(bodies()[0]).toEqual([
			'edit',
			{
				edits: [
					{ act: 'set', member: 12, field: 'attribute Sea', value: 'Sound', was: 'Wide' },
					{ act: 'set', member: 13, field: 'attribute Sea', value: 'Sound', was: 'Wide' }
				],
				handOver: {}
			}
		]);
		// A name is one row's.
		members.go(2);
		members.go(3, true);
		await members.set('name', 'Holm');
		expect(asked.at(-2)!.body).toMatchObject({ edits: [{ member: 13, field: 'name' }] });
	});

	test('what may move figures is looked at first, and goes on only when told so', async () => {
		const members = state();
		members.go(4);
		answers.push({ ok: true, answer: { lines: [{ account: 'Sales', scenario: 'Plan', period: 'FY', before: 1, after: 2 }] } });
		expect(await members.set('weight', '1')).toBe(false);
		expect(bodies().map(([verb]) => verb)).toEqual(['effect']);
		const { question } = members;
		expect(question).toMatchObject({ kind: 'effect', lines: [{ account: 'Sales' }] });
		if (question?.kind === 'effect') await question.goOn();
		expect(bodies().map(([verb]) => verb)).toEqual(['effect', 'edit', 'route']);
		expect(members.question).toBeNull();
	});

	test('a leaf with numbers asks which child takes them, and is sent again with the answer', async () => {
		const members = state();
		answers.push({
			ok: false,
			code: 'numbers below',
			message: 'R1 holds 3 numbers.',
			details: { parent: { id: 12, name: 'R1' }, numbers: 3, children: [] }
		});
		expect(await members.edit([{ act: 'move' }])).toBe(false);
		const { question } = members;
		if (question?.kind !== 'hand over') throw new Error('Nothing was asked.');
		await question.retry('R1A');
		expect(asked.at(-2)!.body).toEqual({ edits: [{ act: 'move' }], handOver: { '12': 'R1A' } });
	});

	test('one that is used says where; one that changed meanwhile is read again', async () => {
		const members = state();
		answers.push({ ok: false, code: 'still used', message: 'Used in one place.', details: { member: { id: 12, name: 'R1' }, uses: [] } });
		expect(await members.remove({ way: 'delete' }, 12)).toBe(false);
		expect(members.question).toMatchObject({ kind: 'used' });
		expect(members.message).toEqual({ text: 'Used in one place.', kind: 'error' });
		answers.push({ ok: false, code: 'conflict', message: 'Changed since.' });
		await members.edit([{ act: 'set' }]);
		expect(bodies().at(-1)![0]).toBe('route');
		expect(members.busy).toBe(false);
	});

	test('moves one step among siblings and one level in and out, by the siblings’ ids; not beyond the edges', async () => {
		const moved = async (row: number, way: 'up' | 'down' | 'in' | 'out') => {
			asked.length = 0;
			const members = state();
			members.go(row);
			answers.push({ ok: true, answer: { lines: [] } });
			await members.nudge(way);
			answers.length = 0;
			const edit = (asked[0]?.body as { edits: { parent: number | null; before?: number }[] } | undefined)?.edits[0];
			return edit && { parent: edit.parent, before: edit.before };
		};
		expect(await moved(3, 'up')).toEqual({ parent: 11, before: 12 });
		expect(await moved(2, 'up')).toBeUndefined();
		expect(await moved(1, 'down')).toEqual({ parent: 10, before: undefined });
		expect(await moved(4, 'down')).toBeUndefined();
		expect(await moved(4, 'in')).toEqual({ parent: 11, before: undefined });
		expect(await moved(2, 'out')).toEqual({ parent: 10, before: 14 });
		expect(await moved(0, 'out')).toBeUndefined();
	});

	test('in another hierarchy every act names it', async () => {
		const members = state();
		await members.show('By season');
		expect(asked[0]!.path).toBe('/api/structure/dimension/route?hierarchy=By%20season');
		members.go(2);
		answers.push({ ok: true, answer: { lines: [] } });
		await members.set('weight', '0');
		expect(asked[1]!.body).toMatchObject({ edits: [{ hierarchy: 'By season' }] });
	});
});

describe('adding', () => {
	test('beside the row in focus, before the next sibling; or under it, which opens', async () => {
		const members = state();
		members.go(2);
		members.startAdding();
		expect(members.adding).toEqual({ parent: 11, before: 13, after: 2, depth: 2 });
		members.go(1);
		members.toggle(1);
		members.startAdding(true);
		expect(members.adding).toEqual({ parent: 11, before: undefined, after: 1, depth: 2 });
		expect(seen(members)).toContain('R1');
		answers.push(
			{ ok: true, answer: { change: 2, words: 'Added R9' } },
			{ ok: true, answer: table({ codes: ['ALL', 'N', 'R1', 'R9', 'S', 'R3'] }) }
		);
		expect(await members.add('R9', '')).toBe(true);
		expect(asked[0]!.body).toMatchObject({ edits: [{ act: 'add', code: 'R9', name: 'R9', parent: 11 }] });
		// The next one may be written at once, after the new one.
		expect(members.table.codes[members.row!]).toBe('R9');
		expect(members.adding).toMatchObject({ parent: 11 });
	});

	test('what was refused stays written', async () => {
		const members = state();
		members.startAdding();
		answers.push({ ok: false, code: 'not possible', message: 'The code ALL is used.' });
		expect(await members.add('ALL', 'Everything')).toBe(false);
		expect(members.adding).not.toBeNull();
		expect(members.message?.kind).toBe('error');
	});
});
