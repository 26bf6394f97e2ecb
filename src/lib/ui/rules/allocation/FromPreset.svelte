<script lang="ts">
	import type { PresetSetting } from '$lib/core';
	import type { RunbookDesk } from '../runbook-desk.svelte';

	/** Whether a setting comes from the preset the step follows, or is its own. */
	let { desk, setting }: { desk: RunbookDesk; setting: PresetSetting } = $props();

	const says = $derived(desk.presets.followed !== undefined && !(setting === 'basis' && desk.presets.followed.settings.basis === null));
	const own = $derived(desk.step?.kind === 'allocation' && (desk.step.preset?.own ?? []).includes(setting));
</script>

{#if says}
	{#if own}<span class="text-warning"
			>its own{#if desk.mayWrite}, <button class="underline" onclick={() => desk.presets.followSetting(setting)}>follow the preset</button
				>{/if}</span
		>{:else}<span class="text-grey italic">from the preset</span>{/if}
{/if}
