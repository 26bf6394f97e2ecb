import { describe, expect, test } from 'vitest';
import { stepInWords, type StepDraftLike } from '.';

const names = new Map([
	[1, 'Actual'],
	[2, 'Budget'],
	[3, 'Closing'],
	[4, 'Opening']
]);
const head = { id: null, name: 'A step', description: '', active: true, limits: {} };
const only = (member: number) => ({ kind: 'these' as const, members: [member] });
const words = (step: object) => stepInWords({ ...head, ...step } as StepDraftLike, names);

describe('a step in a sentence', () => {
	test('a formula names each account it writes once, not what it reads or lets', () => {
		const text =
			'-- Rent = 5\nwithin Scenario: Budget\n  let up = 2\n  "Fuel litres" = Sales * up\n  Fuel{Route: None} = Rent\n  Fuel = Rent\nend';
		expect(words({ kind: 'formula', text })).toBe('Computes Fuel litres, Fuel.');
		expect(words({ kind: 'formula', text: '' })).toBe('Writes nothing yet.');
	});

	test('a copy says from where, onto what, when and how much', () => {
		const copy = {
			kind: 'copy',
			from: { 9: only(1) },
			onto: { 9: 2, 8: { variable: 'line' } },
			shift: { level: 'year', by: 1 },
			factor: 1.05
		};
		expect(words(copy)).toBe('Copies Actual onto $line, Budget, 1 year later, × 1.05.');
		expect(words({ ...copy, from: {}, onto: {}, shift: { level: 'month', by: -2 }, factor: { parameter: 'f' } })).toBe(
			'Copies everything, 2 months earlier, × $f.'
		);
	});

	test('a roll-forward and a clear, with what they are limited to', () => {
		const lines = [{ from: 3, to: 4, reverse: false }];
		expect(words({ kind: 'roll-forward', lines, into: 'every period', limits: { 9: only(2) } })).toBe(
			'Carries Closing into Opening, every period. Only in Budget.'
		);
		expect(words({ kind: 'clear', what: [] })).toBe('Clears nothing yet.');
	});

	test('a lock and a snapshot', () => {
		expect(words({ kind: 'lock', state: 'open' })).toBe('Opens on the lock board.');
		expect(words({ kind: 'snapshot', called: '' })).toBe('Takes a snapshot.');
		expect(words({ kind: 'snapshot', called: 'As agreed', limits: { 9: only(2) } })).toBe(
			'Takes the snapshot “As agreed”. Only in Budget.'
		);
	});
});
