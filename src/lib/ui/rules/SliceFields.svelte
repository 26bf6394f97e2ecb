<script lang="ts">
	import { selectionInWords, type Selection, type Slice } from '$lib/core';
	import SelectionPicker from '../form-design/SelectionPicker.svelte';
	import type { RunbookDesk } from './runbook-desk.svelte';

	interface Props {
		desk: RunbookDesk;
		slice: Slice;
		/** What the slice is for, and what it means where it names nothing. */
		title: string;
		whole: string;
		/** Dimensions (ids) that may be named; all without. */
		only?: readonly number[];
		onchange: (slice: Slice) => void;
	}
	let { desk, slice, title, whole, only, onchange }: Props = $props();
	const id = $props.id();

	let open = $state<number | null>(null);
	const dimensions = $derived(desk.vocabulary.dimensions.filter(({ id: own }) => !only || only.includes(own) || slice[own] !== undefined));
	const named = $derived(dimensions.filter((dimension) => slice[dimension.id] !== undefined));
	const rest = $derived(dimensions.filter((dimension) => slice[dimension.id] === undefined));

	function set(dimension: number, selection: Selection | undefined) {
		const next = Object.fromEntries(Object.entries(slice).filter(([of]) => Number(of) !== dimension));
		onchange(selection ? { ...next, [dimension]: selection } : next);
	}
</script>

<fieldset disabled={!desk.mayWrite} aria-labelledby="{id}-title">
	<legend id="{id}-title" class="text-grey text-xs">{title}</legend>
	<div class="mt-0.5 flex flex-wrap items-center gap-1.5">
		{#each named as dimension (dimension.id)}
			<span class={['border-rule flex items-center rounded-md border', open === dimension.id && 'border-primary']}>
				<button
					class="px-2 py-0.5 text-left"
					aria-expanded={open === dimension.id}
					onclick={() => (open = open === dimension.id ? null : dimension.id)}
					><span class="text-grey text-xs">{dimension.name}</span>
					<strong class="font-semibold">{selectionInWords(slice[dimension.id]!, desk.names) || 'nothing'}</strong></button
				>
				<button
					class="text-grey hover:text-base-content px-1.5"
					aria-label="Free {dimension.name}"
					onclick={() => {
						set(dimension.id, undefined);
						open = null;
					}}>×</button
				>
			</span>
		{/each}
		{#if named.length === 0}<span class="text-soft text-[13px]">{whole}</span>{/if}
		{#if rest.length > 0 && desk.mayWrite}
			<select
				class="select select-xs w-36"
				aria-label="{title}: name a dimension"
				value=""
				onchange={(event) => {
					const dimension = Number(event.currentTarget.value);
					event.currentTarget.value = '';
					set(dimension, { kind: 'these', members: [] });
					open = dimension;
				}}
			>
				<option value="" disabled>Name a dimension…</option>
				{#each rest as { id, name } (id)}<option value={id}>{name}</option>{/each}
			</select>
		{/if}
	</div>
	{#if open !== null && slice[open]}
		<div class="border-hairline bg-raised mt-2 max-w-md rounded-md border p-2">
			{#key open}<SelectionPicker {desk} dimension={open} selection={slice[open]!} onchange={(selection) => set(open!, selection)} />{/key}
			<button class="btn btn-xs mt-2" onclick={() => (open = null)}>Done</button>
		</div>
	{/if}
</fieldset>
