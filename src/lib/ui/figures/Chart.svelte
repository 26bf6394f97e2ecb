<script lang="ts">
	import type ApexChartsType from 'apexcharts';
	import { onMount } from 'svelte';
	import { pageNonce } from '../page-nonce';
	import { CHART_COLORS } from './chart-colors';
	import { chartText } from './chart-text';

	/** Lines or bars over columns, in the colours of the application. */
	interface Props {
		kind: 'line' | 'bar';
		series: { name: string; data: (number | null)[] }[];
		columns: string[];
		/** How a figure is written. */
		shown: (value: number) => string;
		height?: number;
	}
	let { kind, series, columns, shown, height = 300 }: Props = $props();
	let box: HTMLDivElement;
	let chart = $state.raw<ApexChartsType>();

	function options() {
		const style = getComputedStyle(document.documentElement);
		const color = (name: string) => style.getPropertyValue(name).trim();
		return {
			chart: {
				type: kind,
				height,
				toolbar: { show: false },
				animations: { enabled: false },
				fontFamily: 'inherit',
				background: 'transparent',
				nonce: pageNonce()
			},
			series: series.map(({ name, data }) => ({ name: chartText(name), data })),
			colors: CHART_COLORS.map(color),
			xaxis: { categories: columns.map(chartText), labels: { style: { colors: color('--grey') } } },
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

<div bind:this={box} class="mt-2" role="img" aria-label="Chart of {series.map(({ name }) => name).join(', ')}"></div>
