import { describe, expect, test } from 'vitest';
import type { FormSession } from './form-session.svelte';
import { Tryout } from './tryout.svelte';

/** A form of two rows and two months: the first row is typed into, the second follows. */
function scene(answers: object[] = []) {
	const asked: [string, unknown][] = [];
	const typed: unknown[] = [];
	const facts = { valueType: 'money', shownDecimals: 0 };
	const form = {
		frame: 'one',
		rows: [
			{ label: 'Fuel', ...facts },
			{ label: 'Margin', ...facts }
		],
		columns: ['April', 'May'].map((label) => ({ label, heading: '', facts: undefined })),
		takesEntry: (row: number) => row === 0,
		value: (row: number, column: number) => (row === 0 ? 100 * (column + 1) : null)
	};
	const session = {
		form,
		ask: (verb: string, body: unknown) => {
			asked.push([verb, body]);
			return Promise.resolve(answers.shift());
		},
		enter: (entries: unknown) => Promise.resolve(void typed.push(entries))
	};
	return { tryout: new Tryout(session as unknown as FormSession), asked, typed };
}

describe('trying values', () => {
	test('begins with the cell that is selected: typed into it is changed, else looked at', () => {
		const { tryout } = scene();
		tryout.begin({ row: 1, column: 0 });
		expect([tryout.driver, tryout.results]).toEqual([null, [{ row: 1, column: 0 }]]);
		expect(tryout.missing).toMatch(/to be changed/);
		tryout.begin({ row: 0, column: 1 });
		expect(tryout.nameOf(tryout.driver!)).toBe('Fuel, May');
		expect([tryout.from, tryout.to]).toEqual([160, 240]);
		expect(tryout.missing).toMatch(/to come to/);
	});
	test('asks for a goal, and types what was found', async () => {
		const { tryout, asked, typed } = scene([{ kind: 'found', value: 1234.5 }]);
		tryout.begin({ row: 0, column: 0 });
		tryout.look([{ row: 1, column: 1 }]);
		await tryout.go();
		expect(asked).toEqual([]);
		tryout.goal = 500;
		await tryout.go();
		expect(asked).toEqual([
			['seek-goal', { asked: { driver: { row: 0, column: 0 }, result: { row: 1, column: 1 }, goal: 500, frame: 'one' } }]
		]);
		await tryout.take(tryout.sought!.value, 1_000, 'en');
		expect(typed).toEqual([[{ row: 0, column: 0, text: '1.2345' }]]);
		expect(tryout.sought).toBeNull();
	});
	test('lays out a range evenly, at least two values and at most twenty-five', async () => {
		const { tryout, asked } = scene([{ now: {}, lines: [] }]);
		tryout.begin({ row: 0, column: 0 });
		tryout.kind = 'range';
		expect(tryout.missing).toMatch(/looked at/);
		tryout.look(Array.from({ length: 12 }, () => ({ row: 1, column: 0 })));
		expect(tryout.results).toHaveLength(8);
		[tryout.from, tryout.to, tryout.steps] = [0, 1, 4];
		expect(tryout.values.map((value) => Math.round(value * 100))).toEqual([0, 33, 67, 100]);
		tryout.steps = 1;
		expect(tryout.values).toEqual([0, 1]);
		tryout.steps = 100;
		expect(tryout.values).toHaveLength(25);
		await tryout.go();
		expect(asked[0]![0]).toBe('try-values');
		// Another cell to be changed: what was found before belongs to the other one.
		tryout.change({ row: 0, column: 1 });
		expect(tryout.tried).toBeNull();
		tryout.from = null;
		expect([tryout.values, tryout.missing]).toEqual([[], 'Say from where to where.']);
	});
});
