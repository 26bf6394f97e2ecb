import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import type { FormLayout } from '$lib/core';
import {
	addBlock,
	axisDimensions,
	changeBlock,
	orderAxis,
	orderBlocks,
	placeDimension,
	removeBlock,
	setSelection,
	toggleSelector,
	trayDimensions,
	trayOf,
	type Tray
} from './edit-layout';

const ACCOUNT = 1;
const PERIOD = 2;
const SCENARIO = 3;
const ROUTE = 4;
const KINDS: Record<number, string> = { [ACCOUNT]: 'account', [PERIOD]: 'period', [SCENARIO]: 'scenario', [ROUTE]: 'general' };
const start = (dimension: number) => ({ kind: KINDS[dimension]!, top: dimension * 100 });
const layout: FormLayout = {
	version: 2,
	rows: [{ kind: 'cells', id: 0, parts: [{ dimension: ACCOUNT, selection: { kind: 'under', of: 100 } }] }],
	columns: [
		{ kind: 'cells', id: 0, parts: [{ dimension: PERIOD, selection: { kind: 'leaves', of: 'chosen' } }] },
		{ kind: 'cells', id: 1, parts: [{ dimension: PERIOD, selection: { kind: 'these', members: ['chosen'] } }] }
	],
	selectors: [
		{ dimension: PERIOD, selection: { kind: 'level', depth: 0 }, initial: 200 },
		{ dimension: SCENARIO, selection: { kind: 'all' }, initial: 301 }
	],
	pinned: [{ dimension: ROUTE, member: 401 }],
	currencies: ['EUR']
};
const move = (before: FormLayout, dimension: number, to: Tray, at = 99) => placeDimension(before, dimension, to, at, start(dimension));

describe('a dimension', () => {
	test('stands where it was put, every block of an axis saying what it takes of it', () => {
		const moved = move(layout, SCENARIO, 'columns');
		expect(trayOf(moved, SCENARIO)).toBe('columns');
		expect(moved.selectors.map(({ dimension }) => dimension)).toEqual([PERIOD]);
		expect(moved.columns.map((block) => (block.kind === 'cells' ? block.parts.length : 0))).toEqual([2, 2]);
		expect(axisDimensions(orderAxis(moved, 'columns', [SCENARIO, PERIOD]).columns)).toEqual([SCENARIO, PERIOD]);
	});
	test('keeps the member it had when it moves between selectors and pinned', () => {
		expect(move(layout, SCENARIO, 'pinned').pinned.find(({ dimension }) => dimension === SCENARIO)).toEqual({
			dimension: SCENARIO,
			member: 301
		});
		expect(move(layout, ROUTE, 'selectors').selectors.at(-1)).toEqual({
			dimension: ROUTE,
			selection: { kind: 'under', of: 400 },
			initial: 400
		});
	});
	test('of periods keeps its selector while the axis follows what is chosen', () => {
		const moved = move(layout, PERIOD, 'rows');
		expect(trayOf(moved, PERIOD)).toBe('rows');
		expect(moved.selectors.some(({ dimension }) => dimension === PERIOD)).toBe(true);
		const away = move(layout, PERIOD, 'selectors');
		expect(trayOf(away, PERIOD)).toBe('selectors');
		expect(axisDimensions(away.columns)).toEqual([]);
	});
	test('on an axis may be chosen by the reader too, or no longer', () => {
		const without = toggleSelector(layout, PERIOD, start(PERIOD));
		expect(trayDimensions(without, 'selectors')).toEqual([SCENARIO]);
		expect(trayDimensions(toggleSelector(without, PERIOD, start(PERIOD)), 'selectors')).toEqual([SCENARIO, PERIOD]);
	});
	test('is always in one place, however often it is moved', () =>
		fc.assert(
			fc.property(
				fc.array(
					fc.record({
						dimension: fc.constantFrom(ACCOUNT, PERIOD, SCENARIO, ROUTE),
						to: fc.constantFrom<Tray>('rows', 'columns', 'selectors', 'pinned'),
						at: fc.nat(4)
					}),
					{ maxLength: 12 }
				),
				(moves) => {
					const end = moves.reduce((now, { dimension, to, at }) => move(now, dimension, to, at), layout);
					for (const dimension of [ACCOUNT, PERIOD, SCENARIO, ROUTE]) {
						const places = (['rows', 'columns', 'pinned'] as const).filter((tray) => trayDimensions(end, tray).includes(dimension));
						const asked = end.selectors.filter((each) => each.dimension === dimension).length;
						expect(places.length).toBeLessThanOrEqual(1);
						expect(asked).toBeLessThanOrEqual(1);
						expect(places.length + asked).toBeGreaterThanOrEqual(1);
						if (places[0] === 'pinned') expect(asked).toBe(0);
					}
					for (const axis of ['rows', 'columns'] as const)
						for (const block of end[axis])
							if (block.kind === 'cells') expect(block.parts.map(({ dimension }) => dimension)).toEqual(axisDimensions(end[axis]));
				}
			)
		));
});

describe('blocks', () => {
	test('are added behind another, copied, ordered and removed', () => {
		const { layout: more, id } = addBlock(layout, 'columns', 'derived');
		expect(more.columns.at(-1)).toEqual({ kind: 'derived', id: 2, label: 'Difference', derivation: { how: 'difference', of: 0, base: 1 } });
		expect(id).toBe(2);
		const lines = addBlock(more, 'columns', 'cells', 0);
		expect(lines.layout.columns.map((block) => block.id)).toEqual([0, 3, 1, 2]);
		expect(lines.layout.columns[1]).toMatchObject({ parts: layout.columns[0]?.kind === 'cells' ? layout.columns[0].parts : [] });
		expect(orderBlocks(lines.layout, 'columns', [2, 1, 0, 3]).columns.map((block) => block.id)).toEqual([2, 1, 0, 3]);
		expect(removeBlock(more, 'columns', 2)).toEqual(layout);
		expect(addBlock(layout, 'rows', 'text').layout.rows.at(-1)).toEqual({ kind: 'text', id: 1, label: 'Heading' });
	});
	test('are changed one at a time', () => {
		const headed = changeBlock(layout, 'columns', 1, (block) => ({ ...block, heading: 'Year' }));
		expect(headed.columns.map(({ heading }) => heading)).toEqual([undefined, 'Year']);
		const picked = setSelection(layout, 'columns', 0, PERIOD, { kind: 'all' });
		expect(picked.columns[0]).toMatchObject({ parts: [{ selection: { kind: 'all' } }] });
		expect(picked.columns[1]).toEqual(layout.columns[1]);
	});
});
