import type { AllocationStep, Basis } from './definition';
import { allocation } from './kinds/allocation';
import type { Renaming } from './kinds/kind';

/** Settings of an allocation that can be kept in one place for many. */
export interface PresetSettings extends Pick<AllocationStep, 'contra' | 'noDriver' | 'negative' | 'currency'> {
	/** How pools are shared; null where each step says that itself. */
	basis: Basis | null;
}

/** What a preset can say, in the order in which it is shown. */
export const PRESET_SETTINGS = ['basis', 'contra', 'noDriver', 'negative', 'currency'] as const;
export type PresetSetting = (typeof PRESET_SETTINGS)[number];

/** The settings of a step as a preset has them; the basis where all of its lines have the same. */
export const settingsOf = ({ lines, contra, noDriver, negative, currency }: AllocationStep): PresetSettings => ({
	basis: lines.every(({ basis }) => JSON.stringify(basis) === JSON.stringify(lines[0]?.basis)) ? (lines[0]?.basis ?? null) : null,
	contra,
	noDriver,
	negative,
	currency
});

/** A step with what its preset says, but for what it says itself. */
export function withPreset<Step extends AllocationStep>(step: Step, settings: PresetSettings): Step {
	const own = new Set<string>(step.preset?.own);
	const { basis, ...plain } = settings;
	const taken = Object.fromEntries(Object.entries(plain).filter(([setting]) => !own.has(setting)));
	const lines = basis === null || own.has('basis') ? step.lines : step.lines.map((line) => ({ ...line, basis }));
	return { ...step, ...taken, lines };
}

/** The same settings with other numbers for the members they name. */
export function renamedSettings(settings: PresetSettings, to: Renaming): PresetSettings {
	const { basis, ...plain } = settings;
	const line = { name: '', pool: {}, receivers: {}, basis: basis ?? { by: 'even' as const }, share: 100 };
	const renamed = allocation.renamed({ kind: 'allocation', ...plain, lines: [line] }, to);
	return { ...settingsOf(renamed), basis: basis && renamed.lines[0]!.basis };
}
