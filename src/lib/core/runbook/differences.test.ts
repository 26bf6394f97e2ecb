import { describe, expect, test } from 'vitest';
import { runbookDifferences, type RunbookVersion } from './differences';
import type { StepDraftLike } from './kinds';

const words = {
	members: new Map([
		[1, 'Actual'],
		[2, 'Budget'],
		[3, 'Crew hours'],
		[4, 'Sailing'],
		[5, 'Cleaning'],
		[6, 'Hours']
	]),
	dimensions: new Map([
		[9, 'Scenario'],
		[8, 'Object']
	]),
	people: new Map([[7, 'Maren Kvist']])
};
const only = (...members: number[]) => ({ kind: 'these' as const, members });
const allocation = (more: object = {}): StepDraftLike =>
	({
		id: 1,
		name: 'Crews',
		description: '',
		active: true,
		limits: { 9: only(2) },
		kind: 'allocation',
		lines: [
			{
				name: 'By hours',
				pool: { 8: only(3) },
				receivers: { 8: only(4, 5) },
				basis: { by: 'driver', drivers: [{ account: 6, at: {} }] },
				share: 100
			}
		],
		contra: 'same account',
		noDriver: 'stranded',
		negative: 'refuse',
		currency: null,
		...more
	}) as StepDraftLike;
const formula = (id: number | null, name: string, text = 'A = 1') =>
	({ id, name, description: '', active: true, limits: {}, kind: 'formula', text }) as StepDraftLike;
const version = (steps: StepDraftLike[], more: Partial<RunbookVersion> = {}): RunbookVersion => ({
	name: 'Close',
	description: '',
	parameters: [],
	onRefused: 'skip',
	whenBusy: 'wait',
	runsAs: null,
	steps,
	...more
});
const lines = (before: RunbookVersion, after: RunbookVersion) => {
	const { whole, steps } = runbookDifferences(before, after, words);
	return [
		...whole.map(({ label, before: was, after: is }) => `${label}: ${was} → ${is}`),
		...steps.flatMap(({ step, what, differences }) =>
			what === 'changed'
				? differences.map(({ label, before: was, after: is }) => `${step}, ${label}: ${was} → ${is}`)
				: [`${step}: ${what}`]
		)
	];
};

describe('what two versions of a runbook say otherwise', () => {
	test('the same say nothing', () => {
		expect(lines(version([allocation(), formula(2, 'F')]), version([allocation(), formula(2, 'F')]))).toEqual([]);
		// Runs of before did not know whether it waits.
		expect(lines(version([], { whenBusy: undefined }), version([]))).toEqual([]);
	});
	test('an allocation, setting by setting, in names', () => {
		const { lines: own } = allocation() as Extract<StepDraftLike, { kind: 'allocation' }>;
		const shares = {
			by: 'fixed' as const,
			shares: [
				{ members: { 8: 4 }, share: 3 },
				{ members: { 8: 5 }, share: 1 }
			]
		};
		const changed = allocation({
			limits: { 9: only(1, 2) },
			contra: { account: 6 },
			together: true,
			lines: [
				{ ...own[0]!, share: { parameter: 'part' }, pool: {}, basis: shares },
				{ ...own[0]!, name: 'Rest' }
			]
		});
		expect(lines(version([allocation()]), version([changed]))).toEqual([
			'Crews, writes only in, Scenario: Budget → Actual, Budget',
			'Crews, “By hours”, pool, Object: Crew hours → ',
			'Crews, “By hours”, basis, by: driver → fixed',
			'Crews, “By hours”, basis, driver: account Hours → ',
			'Crews, “By hours”, share of the pool, in percent: 100 → $part',
			'Crews, contra: same account → ',
			'Crews, “By hours”, basis, fixed shares:  → Sailing 3; Cleaning 1',
			'Crews, “Rest”, pool, Object:  → Crew hours',
			'Crews, “Rest”, receivers, Object:  → Sailing, Cleaning',
			'Crews, “Rest”, basis, by:  → driver',
			'Crews, “Rest”, basis, driver:  → account Hours',
			'Crews, “Rest”, share of the pool, in percent:  → 100',
			'Crews, contra, account:  → Hours',
			'Crews, solved together:  → yes'
		]);
	});
	test('steps that are new, gone, switched off, renamed and turned round; a new one without a number is known by its name', () => {
		const before = version([formula(1, 'One'), formula(2, 'Two'), formula(3, 'Three')]);
		const after = version([formula(3, 'Three'), { ...formula(1, 'First'), active: false }, formula(null, 'New')]);
		expect(lines(before, after)).toEqual([
			'order: One, Three → Three, One',
			'First, name: One → First',
			'First, runs with the others: yes → no',
			'New: new',
			'Two: gone'
		]);
		expect(lines(version([formula(null, 'New')]), version([formula(5, 'New', 'A = 2')]))).toEqual(['New, script: A = 1 → A = 2']);
	});
	test('another kind under the same number, and what the whole asks for', () => {
		const parameter = { name: 'line', label: 'Line', kind: 'member' as const, dimension: 8, choices: only(4, 5), initial: 4 };
		expect(
			lines(
				version([formula(1, 'One')]),
				version([{ ...formula(1, 'One'), kind: 'clear', what: ['loads', 'results'], text: undefined } as unknown as StepDraftLike], {
					parameters: [parameter],
					runsAs: 7,
					onRefused: 'stop'
				})
			)
		).toEqual([
			'cells that may not be written: left out → end the run',
			'runs with the rights of: whoever runs it → Maren Kvist',
			'asks for $line:  → Line, member, Sailing, Cleaning, begins with Sailing',
			'One, kind: Formula → Clear',
			'One, script: A = 1 → ',
			'One, takes away:  → loads; results'
		]);
	});
});
