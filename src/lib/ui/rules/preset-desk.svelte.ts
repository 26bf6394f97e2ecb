import { settingsOf, withPreset, type AllocationStep, type PresetSetting } from '$lib/core';
import type { Preset, PresetUse } from '$lib/server/runbook';
import { request } from '../request';
import type { RunbookDesk } from './runbook-desk.svelte';

/** The presets of a model beside a runbook that is being written: which of them the picked allocation follows, and in what. */
export class PresetDesk {
	all = $state.raw<Preset[]>([]);
	readonly #desk: RunbookDesk;

	constructor(desk: RunbookDesk) {
		this.#desk = desk;
	}

	/** The preset the picked step follows. */
	get followed(): Preset | undefined {
		const { step } = this.#desk;
		return step?.kind === 'allocation' && step.preset ? this.all.find(({ id }) => id === step.preset!.id) : undefined;
	}
	/** Lets the picked allocation follow a preset, all of it, or none. */
	follow(id: number | null): void {
		const { step } = this.#desk;
		const found = this.all.find((preset) => preset.id === id);
		if (step?.kind !== 'allocation') return;
		this.#desk.changeStep(
			found ? withPreset({ ...(step as AllocationStep), preset: { id: found.id, own: [] } }, found.settings) : { preset: undefined }
		);
	}
	/** Changes settings of the picked allocation; what its preset says of them it says itself from now on. */
	changeSetting(setting: PresetSetting, next: object): void {
		const { step } = this.#desk;
		const preset = this.followed;
		if (step?.kind !== 'allocation') return;
		const own = step.preset?.own ?? [];
		const says = preset && !(setting === 'basis' && preset.settings.basis === null) && !own.includes(setting);
		this.#desk.changeStep({ ...next, ...(says && { preset: { id: preset.id, own: [...own, setting] } }) });
	}
	/** Gives a setting back to the preset. */
	followSetting(setting: PresetSetting): void {
		const { step } = this.#desk;
		const preset = this.followed;
		if (step?.kind !== 'allocation' || !preset) return;
		const own = (step.preset?.own ?? []).filter((each) => each !== setting);
		this.#desk.changeStep(withPreset({ ...(step as AllocationStep), preset: { id: preset.id, own } }, preset.settings));
	}
	/** The steps that follow a preset. */
	async uses(id: number): Promise<PresetUse[] | undefined> {
		return (await this.#ask<{ uses: PresetUse[] }>('uses', { id }))?.uses;
	}
	/** Keeps the picked step's settings as a new preset, which it follows then, or as what its preset says, for all that follow it. */
	async save(name: string, id: number | null): Promise<boolean> {
		const { step } = this.#desk;
		const before = this.all.find((preset) => preset.id === id);
		if (step?.kind !== 'allocation' || !(await this.#desk.save())) return false;
		const settings = { ...settingsOf(step as AllocationStep), ...(before?.settings.basis === null && { basis: null }) };
		const saved = await this.#ask<{ presets: Preset[]; id: number; changed: number }>('save', {
			id,
			name,
			settings,
			version: before?.version ?? 0
		});
		if (!saved) return false;
		this.all = saved.presets;
		if (await this.#desk.readAgain()) this.follow(saved.id);
		if (!(await this.#desk.save())) return false;
		this.#desk.message = {
			text: before
				? `“${name}” is changed, and ${saved.changed === 1 ? 'one other step' : `${saved.changed} other steps`} with it.`
				: `“${name}” is kept; this step follows it.`,
			kind: 'info'
		};
		return true;
	}
	/** Takes a preset away; steps that followed it keep what they have. */
	async delete(id: number): Promise<void> {
		if (!(await this.#desk.save())) return;
		const saved = await this.#ask<{ presets: Preset[] }>('delete', { id });
		if (!saved) return;
		await this.#desk.readAgain();
		this.all = saved.presets;
	}
	async #ask<Answer>(verb: string, body: object): Promise<Answer | undefined> {
		const reply = await request<Answer>(`/api/presets/${verb}`, body);
		if (reply.ok) return reply.answer;
		this.#desk.message = { text: reply.message, kind: 'error' };
		return undefined;
	}
}
