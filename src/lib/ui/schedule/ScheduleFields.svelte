<script lang="ts">
	import type { Schedule } from '$lib/server/jobs';
	import { formatMoment } from '../figures/format';
	import cronstrue from 'cronstrue';
	import { untrack } from 'svelte';

	interface Props {
		schedule: Schedule | null;
		locale: string;
		/** Offers to look every minute. */
		watch?: boolean;
		/** What stands on the button that lets it begin. */
		word?: string;
		/** Sets it, or takes it away. @returns a sentence when that was refused */
		onset: (wanted: { cron: string; timeZone: string; active: boolean } | null) => Promise<string | null>;
	}
	let { schedule, locale, watch = false, word = 'Run by itself', onset }: Props = $props();

	const now = untrack(() => schedule);
	let cron = $state(now?.cron ?? '30 6 * * 1-5');
	let timeZone = $state(now?.timeZone ?? Intl.DateTimeFormat().resolvedOptions().timeZone);
	let fault = $state<string | null>(null);
	const words = $derived.by(() => {
		try {
			return cronstrue.toString(cron, { use24HourTimeFormat: true });
		} catch {
			return 'This is no schedule yet: minute, hour, day of month, month, day of week.';
		}
	});
	const set = async (wanted: Parameters<typeof onset>[0]) => (fault = await onset(wanted));
</script>

<div class="grid gap-2">
	<div class="grid grid-cols-2 items-end gap-2">
		<label class="text-grey text-xs"
			>Minute, hour, day, month, weekday<input class="input input-sm text-base-content w-full font-mono" bind:value={cron} /></label
		>
		<label class="text-grey text-xs">Time zone<input class="input input-sm text-base-content w-full" bind:value={timeZone} /></label>
	</div>
	<p class="text-[13px]">{words}</p>
	{#if watch}
		<button class="text-primary justify-self-start text-[13px] font-semibold" onclick={() => (cron = '* * * * *')}
			>Watch: every minute</button
		>
	{/if}
	<p class="flex gap-2">
		<button class="btn btn-sm" onclick={() => set({ cron, timeZone, active: true })}>{schedule?.active ? 'Change' : word}</button>
		{#if schedule}<button class="btn btn-sm" onclick={() => set(null)}>Stop</button>{/if}
	</p>
	{#if fault}<p class="text-error" role="alert">{fault}</p>{/if}
	{#if schedule?.suspendedBy}
		<p class="text-warning text-[13px]">
			{schedule.suspendedBy} has changed what it does since {schedule.person} let it run: it waits until somebody lets it again.
		</p>
	{/if}
	{#if schedule?.active}
		<p class="text-grey text-xs">Next, in the name of {schedule.person}:</p>
		<ol class="text-[13px]">
			{#each schedule.next as moment (moment)}<li>{formatMoment(moment, locale)}</li>{/each}
		</ol>
	{/if}
</div>
