import { describe, expect, test } from 'vitest';
import type { RunbookDetails } from '$lib/server/runbook';
import { RunbookDesk } from './runbook-desk.svelte';

const step = (id: number, name: string) => ({ id, name, description: '', active: true, limits: {}, kind: 'formula' as const, text: '' });
const details = {
	id: 7,
	name: 'Open the plan',
	description: '',
	parameters: [
		{ name: 'growth', label: 'Growth', kind: 'percent', dimension: null, choices: null, initial: 0.03 },
		{ name: 'line', label: 'Line', kind: 'member', dimension: 4, choices: null, initial: null }
	],
	onRefused: 'skip',
	runsAs: null,
	version: 1,
	steps: [step(1, 'first'), step(2, 'second'), step(3, 'third')],
	findings: [],
	runs: [],
	whenBusy: 'wait',
	people: [],
	imports: [{ id: 5, name: 'Ledger' }],
	schedule: null,
	presets: [
		{
			id: 9,
			name: 'House style',
			settings: { basis: null, contra: 'none', noDriver: 'stop', negative: 'absolute', currency: null },
			version: 1
		}
	],
	vocabulary: { dimensions: [], levels: [], variables: [{ name: 'Open month', dimension: 2 }], attributes: [] },
	mayWrite: true
} as unknown as RunbookDetails;
const open = () => new RunbookDesk(structuredClone(details), { line: 44 });
const names = (desk: RunbookDesk) => desk.draft.steps.map(({ name }) => name);

describe('a runbook on its page', () => {
	test('begins with what was answered last, and else with what is set', () => {
		expect(open().answers).toEqual({ growth: 0.03, line: 44 });
	});

	test('offers parameters of a dimension beside its variables', () => {
		expect(open().desk.variables).toEqual([
			{ name: 'line', dimension: 4 },
			{ name: 'Open month', dimension: 2 }
		]);
	});

	test('puts imports before what computes, wherever one stands', () => {
		const desk = open();
		desk.picked = 2;
		desk.add('import');
		expect(names(desk)).toEqual(['Load', 'first', 'second', 'third']);
		expect(desk.step).toMatchObject({ kind: 'import', import: 5 });
	});

	test('adds after the step that is picked, duplicates as a new one, and goes back step by step', () => {
		const desk = open();
		desk.picked = 1;
		desk.add('copy');
		expect(names(desk)).toEqual(['first', 'second', 'Copy', 'third']);
		desk.picked = 0;
		desk.duplicate();
		expect(desk.step).toMatchObject({ id: null, name: 'first, copy' });
		desk.remove();
		desk.undo();
		desk.undo();
		desk.undo();
		expect(names(desk)).toEqual(['first', 'second', 'third']);
		expect([desk.isChanged, desk.mayUndo]).toEqual([false, false]);
	});

	test('keeps the picked step picked while it is moved, and stops at the ends', () => {
		const desk = open();
		desk.picked = 2;
		desk.move(-1);
		desk.move(1);
		desk.move(1);
		expect([names(desk), desk.step?.name]).toEqual([['first', 'second', 'third'], 'third']);
		desk.arrange([desk.keys[2]!, desk.keys[0]!, desk.keys[1]!]);
		expect([names(desk), desk.step?.name]).toEqual([['third', 'first', 'second'], 'third']);
	});

	test('typing into one field is one step back', () => {
		const desk = open();
		for (const name of ['O', 'Op', 'Ope']) desk.change({ name }, 'name');
		desk.undo();
		expect(desk.draft.name).toBe('Open the plan');
	});

	test('restores a run’s steps: those that are still there keep their results, others are new', () => {
		const desk = open();
		desk.restore({ ...desk.draft, steps: [step(2, 'second'), step(99, 'gone')] });
		expect(desk.draft.steps.map(({ id }) => id)).toEqual([2, null]);
		expect(desk.isChanged).toBe(true);
	});

	test('a group is looked at, run and switched together; one that is gone is all steps', () => {
		const desk = open();
		desk.changeStep({ group: 'Costs' });
		desk.picked = 2;
		desk.changeStep({ group: 'Costs' });
		expect(desk.groups).toEqual(['Costs']);
		expect(desk.placesOf({ group: 'Costs' })).toEqual([0, 2]);
		expect(desk.placesOf('step')).toEqual([2]);
		expect(desk.placesOf('all')).toBeNull();
		expect(desk.placesOf({ group: 'Other' })).toBeNull();
		expect(desk.inWords({ group: 'Other' })).toBe('All steps');
		desk.switchGroup('Costs', false);
		expect(desk.draft.steps.map(({ active }) => active)).toEqual([false, true, false]);
		desk.undo();
		expect(desk.draft.steps.map(({ active }) => active)).toEqual([true, true, true]);
	});

	test('says which steps are solved together: those marked so next to each other, whatever is switched off between them', () => {
		const desk = open();
		desk.picked = 0;
		desk.add('allocation');
		desk.changeStep({ together: true });
		desk.duplicate();
		expect(desk.draft.steps.map(({ name }) => name)).toEqual(['first', 'Share out', 'Share out, copy', 'second', 'third']);
		expect(desk.solvedWith(1)).toEqual([1, 2]);
		expect(desk.solvedWith(0)).toEqual([]);
		desk.move(1);
		expect(desk.solvedWith(1)).toEqual([]);
		desk.picked = 2;
		desk.changeStep({ active: false });
		expect(desk.solvedWith(1)).toEqual([1, 3]);
	});

	test('an allocation follows a preset, says one setting itself, and gives it back', () => {
		const desk = open();
		desk.add('allocation');
		desk.presets.follow(9);
		expect(desk.step).toMatchObject({ contra: 'none', noDriver: 'stop', negative: 'absolute', preset: { id: 9, own: [] } });
		desk.presets.changeSetting('noDriver', { noDriver: 'evenly' });
		expect(desk.step).toMatchObject({ noDriver: 'evenly', contra: 'none', preset: { id: 9, own: ['noDriver'] } });
		// The basis is the step's, as the preset says none.
		desk.presets.changeSetting('basis', {});
		expect(desk.step).toMatchObject({ preset: { own: ['noDriver'] } });
		desk.presets.followSetting('noDriver');
		expect(desk.step).toMatchObject({ noDriver: 'stop', preset: { id: 9, own: [] } });
		desk.presets.follow(null);
		expect(desk.presets.followed).toBeUndefined();
		expect(desk.step).toMatchObject({ noDriver: 'stop' });
	});
});
