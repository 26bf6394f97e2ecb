<script lang="ts">
	import ChevronDown from '@lucide/svelte/icons/chevron-down';
	import ChevronUp from '@lucide/svelte/icons/chevron-up';
	import X from '@lucide/svelte/icons/x';
	import { onMount } from 'svelte';
	import type { GridState, Place } from './grid-state.svelte';

	let { grid, onfound, onclose }: { grid: GridState; onfound: () => void; onclose: () => void } = $props();
	let input: HTMLInputElement;
	let text = $state('');
	let at = $state(-1);
	const found = $derived<Place[]>(grid.find(text));

	onMount(() => input.focus());

	function go(step: number) {
		if (found.length === 0) return;
		at = at < 0 ? (step > 0 ? 0 : found.length - 1) : (at + step + found.length) % found.length;
		grid.reveal(found[at]!);
		onfound();
		input.focus();
	}
	function onkeydown(event: KeyboardEvent) {
		if (event.key === 'Enter') go(event.shiftKey ? -1 : 1);
		else if (event.key === 'Escape') onclose();
		else return;
		event.preventDefault();
	}
</script>

<div class="mb-2 flex items-center gap-1.5" role="search" aria-label="Find in the form">
	<input
		bind:this={input}
		class="input input-sm w-64"
		aria-label="Find a row, a column or a figure"
		placeholder="A row, a column or a figure"
		bind:value={text}
		oninput={() => (at = -1)}
		{onkeydown}
	/>
	<button class="btn btn-ghost btn-sm btn-square" aria-label="The one before" disabled={found.length === 0} onclick={() => go(-1)}
		><ChevronUp size={15} aria-hidden="true" /></button
	>
	<button class="btn btn-ghost btn-sm btn-square" aria-label="The next one" disabled={found.length === 0} onclick={() => go(1)}
		><ChevronDown size={15} aria-hidden="true" /></button
	>
	<span class="text-grey text-[13px]" role="status"
		>{text.trim() === '' ? '' : found.length === 0 ? 'Nothing by that text.' : `${at < 0 ? '' : `${at + 1} of `}${found.length}`}</span
	>
	<button class="btn btn-ghost btn-sm btn-square" aria-label="Close find" onclick={onclose}><X size={15} aria-hidden="true" /></button>
</div>
