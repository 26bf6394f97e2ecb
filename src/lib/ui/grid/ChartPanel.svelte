<script lang="ts">
	import X from '@lucide/svelte/icons/x';
	import Chart from '../figures/Chart.svelte';
	import { formatFigure } from '../figures/format';
	import { formatAt, type GridState } from './grid-state.svelte';
	import type { ShownForm } from './shown-form';

	let { form, grid, locale, onclose }: { form: ShownForm; grid: GridState; locale: string; onclose: () => void } = $props();
	let kind = $state<'line' | 'bar'>('line');

	/** Rows drawn at once: more cannot be told apart. */
	const MOST_ROWS = 8;
	const rows = $derived(grid.selection.rows.filter((row) => form.rows[row]?.kind !== 'text').slice(0, MOST_ROWS));
	/** Periods side by side; totals would dwarf them. */
	const columns = $derived(
		grid.visibleColumns.filter((column) => {
			const line = form.columns[column]!;
			return line.kind === 'cells' && !line.parent && !line.computed;
		})
	);
	const nameOf = (column: number) => {
		const { heading, label } = form.columns[column]!;
		return heading && heading !== label ? `${heading} ${label}` : label;
	};
	const shownColumns = $derived(columns.length > 0 ? columns : grid.visibleColumns);
	const series = $derived(
		rows.map((row) => ({ name: form.rows[row]!.label, data: shownColumns.map((column) => form.value(row, column)) }))
	);
	function shown(value: number): string {
		const first = rows[0];
		return first === undefined ? String(value) : formatFigure(value, formatAt(form, first, shownColumns[0]!, grid.scale), locale);
	}
</script>

<aside
	class="border-hairline bg-base-100 w-105 shrink-0 overflow-y-auto border-l px-4 py-3.5 text-[13px]"
	aria-label="Chart of the selected rows"
>
	<div class="flex items-center gap-2">
		<h2 class="text-grey grow text-xs font-semibold">Chart of the selected rows</h2>
		<div class="join">
			{#each [['line', 'Lines'], ['bar', 'Bars']] as const as [value, name] (value)}
				<button
					class={['btn btn-xs join-item', kind === value && 'btn-primary']}
					aria-pressed={kind === value}
					onclick={() => (kind = value)}>{name}</button
				>
			{/each}
		</div>
		<button class="text-grey hover:text-base-content p-1" aria-label="Close the chart" onclick={onclose}
			><X size={15} aria-hidden="true" /></button
		>
	</div>
	<Chart {kind} {series} columns={shownColumns.map(nameOf)} {shown} />
	{#if grid.selection.rows.length > MOST_ROWS}<p class="text-grey text-xs">The first {MOST_ROWS} of the selected rows are drawn.</p>{/if}
</aside>
