import { describe, expect, test } from 'vitest';
import type { FormAnswer } from '$lib/server/engine';
import { ShownForm } from './shown-form';

const line = (label: string) => ({ label, depth: 0, kind: 'cells', members: {}, emphasis: [] });
const whole = {
	frame: 'a',
	moment: 'one',
	rows: [line('first'), line('second'), line('third')],
	columns: [line('x'), line('y')],
	selectors: [],
	values: [1, 2, 3, 4, 5, 6],
	flags: [0, 0, 0, 0, 0, 0],
	marks: 'eeeeee',
	words: [[2, 'old word']],
	good: [2],
	bad: [4],
	drafted: [],
	draftedBeneath: [],
	checks: []
} as unknown as FormAnswer;
const changes = { ...whole, moment: 'two', rows: [], columns: [], part: [1], others: 'same', values: [30, 40], flags: [0, 1], marks: 'ee' };

describe('a form shown after an answer with the rows that changed', () => {
	const shown = new ShownForm({ ...changes, words: [], good: [3], bad: [] } as unknown as FormAnswer, new ShownForm(whole));

	test('has the new rows among those it had', () => {
		expect([0, 1, 2].map((row) => [shown.value(row, 0), shown.value(row, 1)])).toEqual([
			[1, 2],
			[30, 40],
			[5, 6]
		]);
		expect(shown.flag(1, 1)).toBe(1);
		expect(shown.isPartial).toBe(false);
		expect(shown.moment).toBe('two');
	});

	test('drops what was good, bad or a word in the rows that came anew, and nothing else', () => {
		expect([...shown.good]).toEqual([3]);
		expect([...shown.bad]).toEqual([4]);
		expect(shown.word(1, 0)).toBeUndefined();
	});
});
