<script lang="ts">
	import type { Schedule } from '$lib/server/import';
	import { formatMoment } from '../figures/format';
	import { request } from '../request';
	import cronstrue from 'cronstrue';
	import { untrack } from 'svelte';
	import type { ImportDesk } from './import-desk.svelte';

	interface Props {
		desk: ImportDesk;
		locale: string;
	}
	let { desk, locale }: Props = $props();

	const now = untrack(() => desk.details.schedule);
	let cron = $state(now?.cron ?? '30 6 * * 1-5');
	let timeZone = $state(now?.timeZone ?? Intl.DateTimeFormat().resolvedOptions().timeZone);
	let fault = $state<string | null>(null);
	const schedule = $derived(desk.details.schedule);
	const fetched = $derived(desk.details.source.place.kind !== 'file');
	const words = $derived.by(() => {
		try {
			return cronstrue.toString(cron, { use24HourTimeFormat: true });
		} catch {
			return 'This is no schedule yet: minute, hour, day of month, month, day of week.';
		}
	});
	async function set(wanted: { cron: string; timeZone: string; active: boolean } | null) {
		const reply = await request<{ schedule: Schedule | null }>(`${desk.path}/schedule`, { schedule: wanted });
		fault = reply.ok ? null : reply.message;
		if (reply.ok) await desk.refresh();
	}
</script>

{#if !fetched}
	<p class="text-soft text-[13px]">
		Files that people choose are loaded by people. Rows from a folder, the ledger, a model or a query can be fetched and loaded at set
		times.
	</p>
{:else}
	<div class="grid gap-2">
		<div class="grid grid-cols-2 gap-2">
			<label class="text-grey text-xs"
				>Minute, hour, day, month, weekday<input class="input input-sm text-base-content w-full font-mono" bind:value={cron} /></label
			>
			<label class="text-grey text-xs">Time zone<input class="input input-sm text-base-content w-full" bind:value={timeZone} /></label>
		</div>
		<p class="text-[13px]">{words}</p>
		{#if desk.details.source.place.kind === 'folder'}
			<button class="text-primary justify-self-start text-[13px] font-semibold" onclick={() => (cron = '* * * * *')}
				>Watch: every minute</button
			>
		{/if}
		<p class="flex gap-2">
			<button class="btn btn-sm" onclick={() => set({ cron, timeZone, active: true })}
				>{schedule?.active ? 'Change' : 'Run by itself'}</button
			>
			{#if schedule}<button class="btn btn-sm" onclick={() => set(null)}>Stop</button>{/if}
		</p>
		{#if fault}<p class="text-error" role="alert">{fault}</p>{/if}
		{#if schedule?.active}
			<p class="text-grey text-xs">Next, in the name of {schedule.person}:</p>
			<ol class="text-[13px]">
				{#each schedule.next as moment (moment)}<li>{formatMoment(moment, locale)}</li>{/each}
			</ol>
		{/if}
	</div>
{/if}
