<script lang="ts">
	import type { Difference } from '$lib/core';
	import type { RunbookDesk } from './runbook-desk.svelte';

	let { differences }: { differences: NonNullable<RunbookDesk['differences']> } = $props();
	const { whole, steps } = $derived(differences.found);
	const WORDS = { new: 'is new', gone: 'is gone', changed: '' } as const;
</script>

{#snippet list(all: readonly Difference[])}
	{#each all as { label, before, after } (label)}
		<li class="py-0.5 [overflow-wrap:anywhere]">
			<span class="text-grey">{label}</span>
			<span class="text-soft line-through">{before}</span>
			{after}
			{#if before && !after}<span class="text-grey">not any more</span>{/if}
		</li>
	{/each}
{/snippet}

<div class="border-hairline mt-2 rounded-md border px-2.5 py-1.5 text-[13px]" role="status" aria-label="Differences">
	{#if whole.length === 0 && steps.length === 0}
		<p class="text-soft">The rules are the same.</p>
	{:else}
		<p class="text-grey text-xs">{differences.than}</p>
		<ul>{@render list(whole)}</ul>
		{#each steps as { step, what, differences: own } (step)}
			<p class="mt-1 font-semibold">{step} <span class="text-soft font-normal">{WORDS[what]}</span></p>
			<ul>{@render list(own)}</ul>
		{/each}
	{/if}
</div>
