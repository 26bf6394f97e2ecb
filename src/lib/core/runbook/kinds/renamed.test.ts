import { describe, expect, test } from 'vitest';
import { membersOfParameter, membersOfStep, originModeOf, recordOf, renamedParameter, renamedStep, STEP_KINDS, type Step } from '..';

const head = { id: 1, name: 'A step', description: '', active: true };
const only = (...members: number[]) => ({ kind: 'these' as const, members });
const copy: Step = {
	...head,
	kind: 'copy',
	limits: { 9: only(1) },
	from: { 9: only(2), 8: { kind: 'children', of: 3 } },
	onto: {
		9: 4,
		8: {
			map: {
				lines: [
					{ from: 5, to: 6, reverse: false },
					{ from: 7, to: 8, reverse: true }
				],
				others: 'stay'
			}
		},
		7: { variable: 'line' }
	},
	shift: { level: 'year', by: 1 },
	factor: 2,
	over: { way: 'season', account: 9 }
};
const carried: Step = {
	...head,
	kind: 'roll-forward',
	limits: {},
	into: 'every period',
	lines: [
		{ from: 11, to: 12, reverse: false, members: [{ dimension: 7, from: 13, to: 14 }] },
		{ from: null, to: null, accounts: { kind: 'under', of: 15 } as never, reverse: false }
	]
};
const script: Step = {
	...head,
	kind: 'formula',
	limits: { 9: only(21) },
	script: {
		text: 'Fuel = Rent',
		names: [
			{ dimension: 9, member: 22, from: 0, to: 4 },
			{ dimension: 9, member: 23, from: 7, to: 11 }
		]
	} as never
};

describe('what a step names', () => {
	test.each([
		[copy, [1, 2, 3, 4, 5, 6, 7, 8, 9]],
		[carried, [11, 12, 13, 14, 15]],
		[script, [21, 22, 23]],
		[{ ...head, kind: 'clear', what: ['results'], limits: { 9: only(31) } } as Step, [31]],
		[{ ...head, kind: 'import', import: 5, limits: {} } as Step, []]
	])('is found and replaced, wherever it stands', (step, members) => {
		expect([...membersOfStep(step)].sort((one, other) => one - other)).toEqual(members);
		const moved = renamedStep(step, { member: (id) => id + 100 });
		expect([...membersOfStep(moved)].sort((one, other) => one - other)).toEqual(members.map((id) => id + 100));
		expect(renamedStep(moved, { member: (id) => id - 100 })).toEqual(step);
	});

	test('dimensions get other numbers too, in the order asked for', () => {
		const gone: number[] = [];
		const moved = renamedStep(copy, {
			member: (id) => id,
			dimension: (id) => (gone.push(id), id + 50),
			order: (one, other) => one - other
		});
		expect(Object.keys(moved.from)).toEqual(['58', '59']);
		expect(Object.keys(moved.onto)).toEqual(['57', '58', '59']);
		expect(gone).toEqual([8, 9, 7, 8, 9, 9]);
		expect(renamedStep(carried, { member: (id) => id, dimension: (id) => id + 50 }).lines[0]!.members).toEqual([
			{ dimension: 57, from: 13, to: 14 }
		]);
	});

	test('where nothing is replaced the stored form stays the same, whatever the order of its keys', () => {
		const stored = { ...carried, lines: [{ to: 12, from: 11, members: [{ to: 14, from: 13, dimension: 7 }], reverse: false }] } as Step;
		for (const step of [copy, carried, script, stored])
			expect(JSON.stringify(renamedStep(step, { member: (id) => id }))).toBe(JSON.stringify(step));
	});

	test('two lines that become one member’s are one', () => {
		const moved = renamedStep(copy, { member: (id) => (id === 7 ? 5 : id) });
		expect(moved.onto[8]).toMatchObject({ map: { lines: [{ from: 5, to: 6 }] } });
	});

	test('what a runbook asks for names members too, where it asks for members', () => {
		const asked = { name: 'm', label: 'M', kind: 'members' as const, dimension: 9, choices: only(1, 2), initial: [2] };
		expect([...membersOfParameter(asked)]).toEqual([1, 2]);
		expect(renamedParameter(asked, (id) => id + 1)).toMatchObject({ choices: only(2, 3), initial: [3] });
		expect(renamedParameter({ ...asked, kind: 'number', choices: null, initial: 2 }, (id) => id + 1).initial).toBe(2);
	});
});

test('every kind has a title and a beginning of its own kind, and says whether it writes', () => {
	for (const [kind, { title, firstName, blank }] of Object.entries(STEP_KINDS)) {
		expect([title.length > 0, firstName.length > 0, blank.kind]).toEqual([true, true, kind]);
		expect(recordOf(blank)).toBe(STEP_KINDS[kind as keyof typeof STEP_KINDS]);
	}
	expect([originModeOf(copy), originModeOf({ ...copy, adds: true }), originModeOf(script), originModeOf(carried)]).toEqual([
		'sets',
		'adds',
		'sets',
		'sets'
	]);
});
