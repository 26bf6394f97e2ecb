<script lang="ts">
	import SlidersHorizontal from '@lucide/svelte/icons/sliders-horizontal';
	import type { GridState } from './grid-state.svelte';

	let { grid, onfullscreen }: { grid: GridState; onfullscreen: () => void } = $props();
	const id = $props.id();
	const UNITS = [
		[1, 'Units'],
		[1_000, 'Thousands'],
		[1_000_000, 'Millions']
	] as const;
</script>

<button class="btn btn-ghost btn-sm" popovertarget={id} style="anchor-name: --{id}"
	><SlidersHorizontal size={15} aria-hidden="true" /> View</button
>
<div
	{id}
	popover="auto"
	class="bg-raised border-rule text-base-content m-0 w-64 rounded-md border p-3 text-[13px] shadow-lg"
	style="inset: auto; position-anchor: --{id}; top: calc(anchor(bottom) + 4px); right: anchor(right)"
>
	<fieldset>
		<legend class="text-grey text-xs font-semibold">Figures in</legend>
		<div class="join mt-1">
			{#each UNITS as [unit, name] (unit)}
				<button
					class={['btn btn-xs join-item', grid.scale === unit && 'btn-primary']}
					aria-pressed={grid.scale === unit}
					onclick={() => (grid.scale = unit)}>{name}</button
				>
			{/each}
		</div>
		{#if grid.scale > 1}<p class="text-grey mt-1 text-xs">
				What you type counts in {grid.scale === 1_000 ? 'thousands' : 'millions'} too; 350k and 1.2m mean themselves.
			</p>{/if}
	</fieldset>
	<div class="mt-3 grid gap-1.5">
		<label class="flex items-center gap-2"
			><input type="checkbox" class="checkbox checkbox-xs" bind:checked={grid.hideEmptyRows} /> Hide empty rows</label
		>
		<label class="flex items-center gap-2"
			><input type="checkbox" class="checkbox checkbox-xs" bind:checked={grid.hideEmptyColumns} /> Hide empty columns</label
		>
		<label class="flex items-center gap-2"
			><input type="checkbox" class="checkbox checkbox-xs" bind:checked={grid.freezeTotal} /> Keep the year’s total in sight</label
		>
	</div>
	<div class="mt-3 flex flex-wrap gap-1.5">
		<button class="btn btn-xs" onclick={() => grid.foldAll(false)}>Open all rows</button>
		<button class="btn btn-xs" onclick={() => grid.foldAll(true)}>Close all rows</button>
		{#if grid.hiddenRows.size > 0}
			<button class="btn btn-xs" onclick={() => grid.showHidden()}
				>Show {grid.hiddenRows.size === 1 ? 'the hidden row' : `${grid.hiddenRows.size} hidden rows`}</button
			>
		{/if}
		{#if grid.widths.size > 0}<button class="btn btn-xs" onclick={() => (grid.widths = new Map())}>Widths as designed</button>{/if}
	</div>
	<label class="mt-3 block"
		><span class="text-grey text-xs font-semibold">Size, {grid.zoom} %</span>
		<input type="range" class="range range-xs mt-1" min="70" max="150" step="10" bind:value={grid.zoom} /></label
	>
	<button class="btn btn-xs mt-3" onclick={onfullscreen}>Full screen</button>
</div>
