import { describe, expect, test } from 'vitest';
import type { AllocationStep, Basis } from './definition';
import { renamedSettings, settingsOf, withPreset, type PresetSettings } from './preset';

const by = (account: number): Basis => ({ by: 'driver', drivers: [{ account, at: { 8: 81 } }] });
const line = (name: string, basis: Basis) => ({ name, pool: {}, receivers: {}, basis, share: 100 });
const step: AllocationStep = {
	kind: 'allocation',
	lines: [line('One', { by: 'even' }), line('Two', by(1))],
	contra: 'same account',
	noDriver: 'stranded',
	negative: 'refuse',
	currency: null
};
const settings: PresetSettings = { basis: by(2), contra: { account: 5 }, noDriver: 'stop', negative: 'absolute', currency: 'GBP' };

describe('a preset', () => {
	test('says all its settings to a step that follows it, the basis to every line', () => {
		const taken = withPreset({ ...step, preset: { id: 1, own: [] } }, settings);
		expect(taken).toMatchObject({ contra: { account: 5 }, noDriver: 'stop', negative: 'absolute', currency: 'GBP' });
		expect(taken.lines.map(({ name, basis }) => [name, basis])).toEqual([
			['One', by(2)],
			['Two', by(2)]
		]);
		expect(settingsOf(taken)).toEqual(settings);
		// Lines that are shared in different ways have no basis in common.
		expect(settingsOf(step).basis).toBeNull();
	});
	test('says nothing of what a step says itself, nor of a basis that it leaves to the steps', () => {
		const own = withPreset({ ...step, preset: { id: 1, own: ['basis', 'contra'] } }, settings);
		expect([own.lines, own.contra, own.noDriver]).toEqual([step.lines, 'same account', 'stop']);
		expect(withPreset({ ...step, preset: { id: 1, own: [] } }, { ...settings, basis: null }).lines).toEqual(step.lines);
	});
	test('names other members where they were replaced', () => {
		const to = { member: (id: number) => id + 100 };
		expect(renamedSettings(settings, to)).toEqual({
			...settings,
			basis: { by: 'driver', drivers: [{ account: 102, at: { 8: 181 } }] },
			contra: { account: 105 }
		});
		expect(renamedSettings({ ...settings, basis: null }, to).basis).toBeNull();
	});
});
