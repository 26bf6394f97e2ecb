<script lang="ts">
	import type { ApexOptions } from 'apexcharts';
	import { CHART_COLORS } from './chart-colors';
	import { chartText } from './chart-text';
	import DrawnChart from './DrawnChart.svelte';

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

	const options = ({ color, nonce, isNight }: { color: (name: string) => string; nonce: string | undefined; isNight: boolean }) =>
		({
			chart: {
				type: kind,
				height,
				toolbar: { show: false },
				animations: { enabled: false },
				fontFamily: 'inherit',
				background: 'transparent',
				nonce
			},
			series: series.map(({ name, data }) => ({ name: chartText(name), data })),
			colors: CHART_COLORS.map(color),
			xaxis: { categories: columns.map(chartText), labels: { style: { colors: color('--grey') } } },
			yaxis: { labels: { formatter: shown, style: { colors: color('--grey') } } },
			grid: { borderColor: color('--hairline') },
			stroke: { width: kind === 'line' ? 2 : 0 },
			dataLabels: { enabled: false },
			legend: { labels: { colors: color('--color-base-content') } },
			tooltip: { theme: isNight ? 'dark' : 'light', y: { formatter: shown } }
		}) as ApexOptions;
</script>

<div class="mt-2"><DrawnChart {kind} {options} label="Chart of {series.map(({ name }) => name).join(', ')}" /></div>
