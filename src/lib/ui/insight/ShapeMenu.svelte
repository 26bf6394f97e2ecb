<script lang="ts">
	import type { FormLayout } from '$lib/core';
	import type { FormSession } from '../grid/form-session.svelte';
	import type { GridState } from '../grid/grid-state.svelte';
	import Layers from '@lucide/svelte/icons/columns-3';
	import {
		addShare,
		compareNothing,
		compareScenario,
		compareYear,
		isCompared,
		isToDate,
		setEmphasis,
		setNames,
		setToDate,
		setTotalsAfter,
		swapAxes
	} from './pivot';
	import type { ViewDesk } from './view-desk.svelte';

	let { desk, grid, session }: { desk: ViewDesk; grid: GridState; session: FormSession } = $props();
	const id = $props.id();
	let limit = $state(0);
	let top = $state(10);

	const selectors = $derived(session.form.selectors);
	const scenarios = $derived(selectors.find(({ dimension }) => dimension === session.form.axes.scenarios));
	const firstRow = $derived(desk.layout.rows.find((block) => block.kind === 'cells'));
	const names = $derived(firstRow?.kind === 'cells' ? (firstRow.names ?? 'name') : 'name');
	const totalsAfter = $derived(firstRow?.kind === 'cells' ? (firstRow.totalsAfter ?? false) : false);
	const compared = $derived(isCompared(desk.layout));
	const column = $derived(session.form.columns[grid.focus.column]);

	function placesOf(reference: number | 'chosen'): number {
		const { periods } = session.form.axes;
		const member = reference === 'chosen' ? selectors.find(({ dimension }) => dimension === periods)?.chosen : reference;
		return desk.axis(periods)?.yearOf?.[member ?? 0] ?? 1;
	}
	const turn = (change: (layout: FormLayout) => FormLayout) => void desk.turn(change);
	function beside(event: Event & { currentTarget: HTMLSelectElement }) {
		const member = Number(event.currentTarget.value);
		const other = scenarios?.choices.find((choice) => choice.member === member);
		event.currentTarget.value = '';
		if (!other || !scenarios) return;
		const own = { member: scenarios.chosen, name: '' };
		turn((layout) => compareScenario(layout, session.form.axes.scenarios, [own, other]));
	}
	function yearBeside() {
		turn((layout) => {
			const made = compareYear(layout, session.form.axes.periods, placesOf);
			if (!made) desk.fault = 'These periods cannot be moved by a year: choose a period, or what is under one.';
			return made ?? layout;
		});
	}
	function sort(descending: boolean, most?: number) {
		if (session.form.isPartial) {
			desk.fault = 'These are too many rows to sort. Narrow them first.';
			return;
		}
		grid.order = { column: grid.focus.column, descending, ...(most !== undefined && { top: most }) };
	}
</script>

<button class="btn btn-ghost btn-sm" popovertarget={id} style="anchor-name: --{id}"><Layers size={15} aria-hidden="true" /> Shape</button>
<div
	{id}
	popover="auto"
	class="bg-raised border-rule text-base-content m-0 w-80 rounded-md border p-3 text-[13px] shadow-lg"
	style="inset: auto; position-anchor: --{id}; top: calc(anchor(bottom) + 4px); left: anchor(left)"
>
	<p class="text-grey text-xs font-semibold">Beside the columns</p>
	<div class="mt-1 flex flex-wrap gap-1.5">
		{#if compared}
			<button class="btn btn-xs" onclick={() => turn((layout) => compareNothing(layout, session.form.axes.scenarios))}
				>Nothing beside them</button
			>
		{:else}
			{#if scenarios && scenarios.choices.length > 1}
				<select class="select select-xs w-40" aria-label="Another scenario beside the columns" onchange={beside}
					><option value="">Another scenario…</option
					>{#each scenarios.choices.filter(({ member }) => member !== scenarios.chosen) as { member, name } (member)}<option value={member}
							>{name}</option
						>{/each}</select
				>
			{/if}
			<button class="btn btn-xs" onclick={yearBeside}>The year before</button>
			<button class="btn btn-xs" title="Of the last column, the year’s total as a rule" onclick={() => turn(addShare)}
				>Shares of the last column</button
			>
		{/if}
	</div>
	<label class="mt-2.5 flex items-center gap-2"
		><input
			type="checkbox"
			class="checkbox checkbox-xs"
			checked={isToDate(desk.layout, session.form.axes.periods)}
			onchange={(event) => turn((layout) => setToDate(layout, session.form.axes.periods, event.currentTarget.checked))}
		/> Periods run since the beginning of the year</label
	>
	<p class="text-grey mt-3 text-xs font-semibold">Rows by {column?.label ?? 'the column'}</p>
	<div class="mt-1 flex flex-wrap items-center gap-1.5">
		<button class="btn btn-xs" onclick={() => sort(true)}>Largest first</button>
		<button class="btn btn-xs" onclick={() => sort(false)}>Smallest first</button>
		<span class="join"
			><button class="btn btn-xs join-item" onclick={() => sort(true, Math.max(1, Math.round(top) || 1))}>The largest</button><input
				class="input input-xs join-item w-12"
				type="number"
				min="1"
				aria-label="How many of the largest"
				bind:value={top}
			/></span
		>
		{#if grid.order}<button class="btn btn-xs" onclick={() => (grid.order = undefined)}>As in the tree</button>{/if}
	</div>
	<p class="text-grey mt-3 text-xs font-semibold">Rows</p>
	<div class="mt-1 flex flex-wrap gap-1.5">
		<div class="join">
			{#each [['name', 'Names'], ['code', 'Codes'], ['both', 'Both']] as const as [value, title] (value)}
				<button
					class={['btn btn-xs join-item', names === value && 'btn-primary']}
					aria-pressed={names === value}
					onclick={() => turn((layout) => setNames(layout, value))}>{title}</button
				>
			{/each}
		</div>
		<button class="btn btn-xs" onclick={() => turn((layout) => setTotalsAfter(layout, !totalsAfter))}
			>Totals {totalsAfter ? 'before' : 'after'} their parts</button
		>
		<button class="btn btn-xs" onclick={() => turn(swapAxes)}>Swap rows and columns</button>
	</div>
	<p class="text-grey mt-3 text-xs font-semibold">Figures that stand out</p>
	<div class="mt-1 flex flex-wrap items-center gap-1.5">
		<input class="input input-xs w-24" type="number" step="any" aria-label="Limit" bind:value={limit} />
		<button
			class="btn btn-xs"
			onclick={() => turn((layout) => setEmphasis(layout, { when: 'below', value: Number(limit) || 0, look: 'bad' }))}>Below it</button
		>
		<button
			class="btn btn-xs"
			onclick={() => turn((layout) => setEmphasis(layout, { when: 'above', value: Number(limit) || 0, look: 'strong' }))}>Above it</button
		>
		<button class="btn btn-xs" onclick={() => turn((layout) => setEmphasis(layout, undefined))}>None</button>
	</div>
</div>
