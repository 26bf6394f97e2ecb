<script lang="ts">
	import X from '@lucide/svelte/icons/x';
	import type ApexChartsType from 'apexcharts';
	import { chartText } from '../figures/chart-text';
	import { pageNonce } from '../page-nonce';
	import { onMount } from 'svelte';
	import { formatFigure } from '../figures/format';
	import { formatAt, type GridState } from './grid-state.svelte';
	import type { ShownForm } from './shown-form';

	let { form, grid, locale, onclose }: { form: ShownForm; grid: GridState; locale: string; onclose: () => void } = $props();
	let box: HTMLDivElement;
	let kind = $state<'line' | 'bar'>('line');
	let chart = $state.raw<ApexChartsType>();

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
		rows.map((row) => ({ name: chartText(form.rows[row]!.label), data: shownColumns.map((column) => form.value(row, column)) }))
	);

	function options() {
		const style = getComputedStyle(document.documentElement);
		const color = (name: string) => style.getPropertyValue(name).trim();
		const first = rows[0];
		const shown = (value: number) =>
			first === undefined ? String(value) : formatFigure(value, formatAt(form, first, shownColumns[0]!, grid.scale), locale);
		return {
			chart: {
				type: kind,
				height: 300,
				toolbar: { show: false },
				animations: { enabled: false },
				fontFamily: 'inherit',
				background: 'transparent',
				nonce: pageNonce()
			},
			series,
			colors: [
				'--color-primary',
				'--color-secondary',
				'--color-accent',
				'--color-success',
				'--color-warning',
				'--color-error',
				'--grey',
				'--soft'
			].map(color),
			xaxis: { categories: shownColumns.map((column) => chartText(nameOf(column))), labels: { style: { colors: color('--grey') } } },
			yaxis: { labels: { formatter: shown, style: { colors: color('--grey') } } },
			grid: { borderColor: color('--hairline') },
			stroke: { width: kind === 'line' ? 2 : 0 },
			dataLabels: { enabled: false },
			legend: { labels: { colors: color('--color-base-content') } },
			tooltip: { theme: document.documentElement.dataset.theme === 'night' ? 'dark' : 'light', y: { formatter: shown } }
		};
	}

	onMount(() => {
		let made: ApexChartsType | undefined;
		let gone = false;
		void import('apexcharts').then(async ({ default: ApexCharts }) => {
			if (gone) return;
			made = new ApexCharts(box, options());
			await made.render();
			chart = made;
		});
		return () => {
			gone = true;
			made?.destroy();
		};
	});
	$effect(() => {
		const next = options();
		void chart?.updateOptions(next);
	});
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
	<div bind:this={box} class="mt-2" role="img" aria-label="Chart of {series.map(({ name }) => name).join(', ')}"></div>
	{#if grid.selection.rows.length > MOST_ROWS}<p class="text-grey text-xs">The first {MOST_ROWS} of the selected rows are drawn.</p>{/if}
</aside>
