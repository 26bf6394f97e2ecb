import type { FormLayout, Selection } from '$lib/core';
import { describe, expect, test } from 'vitest';
import {
	addShare,
	compareNothing,
	compareScenario,
	compareYear,
	drillInto,
	isCompared,
	isToDate,
	leaveOut,
	narrowTo,
	setEmphasis,
	setNames,
	setToDate,
	setTotalsAfter,
	swapAxes
} from './pivot';

const [ACCOUNT, PERIOD, SCENARIO] = [1, 2, 3];
const layout: FormLayout = {
	version: 2,
	rows: [{ kind: 'cells', id: 0, parts: [{ dimension: ACCOUNT, selection: { kind: 'under', of: 10 } }] }],
	columns: [
		{ kind: 'cells', id: 0, parts: [{ dimension: PERIOD, selection: { kind: 'leaves', of: 'chosen' } }] },
		{ kind: 'cells', id: 1, parts: [{ dimension: PERIOD, selection: { kind: 'these', members: ['chosen'] } }] }
	],
	selectors: [
		{ dimension: PERIOD, selection: { kind: 'these', members: [20, 21] }, initial: 21 },
		{ dimension: SCENARIO, selection: { kind: 'all' }, initial: 30 }
	],
	pinned: [],
	currencies: ['EUR']
};
const selectionOf = (of: FormLayout, dimension: number): Selection | undefined =>
	[...of.rows, ...of.columns].flatMap((block) => (block.kind === 'cells' ? block.parts : [])).find((part) => part.dimension === dimension)
		?.selection;

describe('a view', () => {
	test('goes into a member, keeps some, leaves some out; the others stay', () => {
		expect(selectionOf(drillInto(layout, ACCOUNT, 11), ACCOUNT)).toEqual({
			kind: 'any of',
			selections: [
				{ kind: 'these', members: [11] },
				{ kind: 'children', of: 11 }
			]
		});
		expect(selectionOf(narrowTo(layout, ACCOUNT, [11, 12]), ACCOUNT)).toEqual({ kind: 'these', members: [11, 12] });
		expect(selectionOf(leaveOut(layout, ACCOUNT, [11]), ACCOUNT)).toEqual({
			kind: 'except',
			from: { kind: 'under', of: 10 },
			without: { kind: 'these', members: [11] }
		});
		expect(drillInto(layout, 99, 1)).toBe(layout);
	});

	test('has another scenario beside: the same columns there, and the differences; and nothing again as it was', () => {
		const made = compareScenario(layout, SCENARIO, [
			{ member: 30, name: 'Plan' },
			{ member: 31, name: 'Outlook' }
		]);
		expect(isCompared(made)).toBe(true);
		expect(made.columns).toHaveLength(2 + 2 + 2 + 1);
		const [own, , other] = made.columns;
		expect(own?.kind === 'cells' && own.parts[0]).toEqual({ dimension: SCENARIO, selection: { kind: 'these', members: ['chosen'] } });
		expect(other?.kind === 'cells' && other.parts[0]!.selection).toEqual({ kind: 'these', members: [31] });
		expect(made.columns.map((block) => block.id)).toEqual([...new Set(made.columns.map((block) => block.id))]);
		expect(compareNothing(made, SCENARIO)).toEqual(layout);
	});

	test('has the year before beside, moved by what makes a year; what is no place is not moved', () => {
		const made = compareYear(layout, PERIOD, () => 1)!;
		const moved = made.columns.flatMap((block) =>
			block.kind === 'cells' && block.heading === 'A year before' ? block.parts.map(({ selection }) => selection) : []
		);
		expect(moved).toEqual([
			{ kind: 'relative', of: 'chosen', by: -1, take: 'leaves' },
			{ kind: 'any of', selections: [{ kind: 'relative', of: 'chosen', by: -1, take: 'this' }] }
		]);
		expect(compareNothing(made, SCENARIO)).toEqual(layout);
		const months = {
			...layout,
			columns: [
				{
					...layout.columns[0]!,
					kind: 'cells' as const,
					parts: [{ dimension: PERIOD, selection: { kind: 'these' as const, members: [200] } }]
				}
			]
		};
		expect(JSON.stringify(compareYear(months, PERIOD, () => 12)!.columns)).toContain('"by":-12');
		const level = {
			...layout,
			columns: [{ kind: 'cells' as const, id: 0, parts: [{ dimension: PERIOD, selection: { kind: 'level' as const, depth: 1 } }] }]
		};
		expect(compareYear(level, PERIOD, () => 1)).toBeUndefined();
		expect(compareYear(swapAxes(layout), PERIOD, () => 1)).toBeUndefined();
	});

	test('runs to date, tells codes, has totals after, shares, what stands out, and turned round is itself again', () => {
		const toDate = setToDate(layout, PERIOD, true);
		expect(isToDate(toDate, PERIOD)).toBe(true);
		expect(setToDate(toDate, PERIOD, false)).toEqual(layout);
		expect(setNames(layout, 'code').rows[0]).toMatchObject({ names: 'code' });
		expect(setTotalsAfter(layout, true).rows[0]).toMatchObject({ totalsAfter: true });
		expect(addShare(layout).columns.at(-1)).toMatchObject({ kind: 'derived', derivation: { how: 'share', of: 0, base: 1 } });
		expect(setEmphasis(setEmphasis(layout, { when: 'below', value: 0, look: 'bad' }), undefined)).toEqual(layout);
		expect(swapAxes(swapAxes(layout))).toEqual(layout);
	});
});
