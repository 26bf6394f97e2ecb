<script lang="ts">
	import type { StartedLoad } from '$lib/server/import';
	import { formatCount } from '../figures/format';
	import { request } from '../request';
	import { untrack } from 'svelte';
	import type { ImportDesk } from './import-desk.svelte';

	interface Props {
		desk: ImportDesk;
		locale: string;
		onstarted: (started: StartedLoad) => void;
		onclose: () => void;
	}
	let { desk, locale, onstarted, onclose }: Props = $props();

	const check = $derived(desk.check);
	const rejected = $derived(check?.rows.rejected ?? 0);
	let rejects = $state(untrack(() => desk.details.source.rejects));
	let way = $state(untrack(() => desk.details.source.way));
	let again = $state(false);
	let warning = $state<string | null>(null);
	let fault = $state<string | null>(null);
	let busy = $state(false);

	async function load() {
		if (!desk.file) return;
		busy = true;
		const reply = await request<StartedLoad>(`${desk.path}/load`, { file: desk.file.id, rejects, way, again, chosen: desk.chosen });
		busy = false;
		if (reply.ok) return onstarted(reply.answer);
		if (reply.code === 'loaded before') warning = reply.message;
		else fault = reply.message;
	}
	/** The panel is what was asked for: the keyboard goes there. */
	const focus = (element: HTMLElement) => element.querySelector<HTMLElement>('input, button')?.focus();
</script>

<!-- svelte-ignore a11y_no_noninteractive_element_interactions -->
<section
	class="bg-base-200 border-hairline grid gap-2 border-b px-4.5 py-3"
	aria-label="Load"
	{@attach focus}
	onkeydown={(event) => event.key === 'Escape' && onclose()}
>
	<p>
		{#each check?.extends ?? [] as words (words)}<b class="font-semibold">{words}</b>
		{/each}
		{#if way === 'replace'}Replaces what this import loaded before for <b class="font-semibold">{check?.extent.words ?? '…'}</b>. What
			people typed and what other imports loaded stays.
		{:else}Adds to what this import loaded before in <b class="font-semibold">{check?.extent.words ?? '…'}</b>: the same row loaded twice
			counts twice.{/if}
		{#if check && !check.complete}<span class="text-grey">Seen in the first {formatCount(check.rowsLookedAt, locale)} rows.</span>{/if}
	</p>
	<div class="flex flex-wrap items-center gap-x-6 gap-y-1.5">
		<label class="flex items-center gap-1.5"><input type="radio" class="radio radio-xs" value="replace" bind:group={way} /> Replace</label>
		<label class="flex items-center gap-1.5"
			><input type="radio" class="radio radio-xs" value="add" bind:group={way} disabled={desk.details.source.amounts === 'to date'} /> Add on
			top</label
		>
		{#if rejected > 0 || !check?.complete}
			<span class="border-rule h-5 border-l"></span>
			<label class="flex items-center gap-1.5"
				><input type="radio" class="radio radio-xs" value="stop" bind:group={rejects} /> All or nothing{rejected > 0
					? ': stop, because rows are rejected'
					: ''}</label
			>
			<label class="flex items-center gap-1.5"
				><input type="radio" class="radio radio-xs" value="load good rows" bind:group={rejects} /> Load good rows{rejected > 0
					? `, leave ${formatCount(rejected, locale)} aside`
					: ', leave rejected ones aside'}</label
			>
		{/if}
		<span class="ml-auto flex gap-2">
			<button class="btn btn-sm" onclick={onclose}>Not now</button>
			<button
				class="btn btn-primary btn-sm"
				disabled={busy || (rejected > 0 && rejects === 'stop' && check?.complete) || (warning !== null && !again)}
				onclick={load}>Load now</button
			>
		</span>
	</div>
	{#if warning}
		<p class="text-warning" role="alert">
			{warning}
			<label class="text-base-content ml-2 inline-flex items-center gap-1.5"
				><input type="checkbox" class="checkbox checkbox-xs" bind:checked={again} /> Load it once more</label
			>
		</p>
	{/if}
	{#if fault}<p class="text-error" role="alert">{fault}</p>{/if}
</section>
