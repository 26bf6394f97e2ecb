<script lang="ts">
	import type ApexChartsType from 'apexcharts';
	import type { ApexOptions } from 'apexcharts';
	import { onMount } from 'svelte';
	import { pageNonce } from '../page-nonce';

	/** A chart by its options, made anew where its kind changes and drawn again where its figures do. */
	interface Props {
		options: (look: { color: (name: string) => string; nonce: string | undefined; isNight: boolean }) => ApexOptions;
		/** Names the kind: what is drawn for one cannot be turned into another. */
		kind: string;
		label: string;
		onpick?: (category: number) => void;
	}
	let { options, kind, label, onpick }: Props = $props();
	let box: HTMLDivElement;
	/** Drawn beside what Svelte knows of: nothing on the page follows it. */
	let chart: ApexChartsType | undefined;
	let library = $state.raw<typeof ApexChartsType>();

	function made(): ApexOptions {
		const style = getComputedStyle(document.documentElement);
		const all = options({
			color: (name) => style.getPropertyValue(name).trim(),
			nonce: pageNonce(),
			isNight: document.documentElement.dataset.theme === 'night'
		});
		return {
			...all,
			chart: {
				...all.chart,
				events: { dataPointSelection: (_event, _chart, at?: { dataPointIndex?: number }) => onpick?.(at?.dataPointIndex ?? -1) }
			}
		} as ApexOptions;
	}
	onMount(() => {
		let gone = false;
		void import('apexcharts').then((loaded) => {
			if (!gone) library = loaded.default;
		});
		return () => {
			gone = true;
		};
	});
	/** Until it stands for the first time: who prints the page waits for that. */
	let drawing = $state(true);
	let drawn = '';
	$effect(() => {
		const next = made();
		if (!library) return;
		const current = chart;
		if (current && drawn === kind) {
			void current.updateOptions(next, false, false);
			return;
		}
		current?.destroy();
		drawn = kind;
		const fresh = new library(box, next);
		chart = fresh;
		void fresh.render().finally(() => (drawing = false));
	});
	$effect(() => () => chart?.destroy());

	/** The chart as a picture. */
	export async function picture(as: 'png' | 'svg'): Promise<string> {
		if (!chart) return '';
		if (as === 'svg') return (chart as unknown as { exports?: { svgUrl: () => string } }).exports?.svgUrl() ?? svgOf();
		const { imgURI } = (await chart.dataURI({ scale: 2 })) as { imgURI: string };
		return imgURI;
	}
	function svgOf(): string {
		const svg = box.querySelector('svg');
		if (!svg) return '';
		const text = new XMLSerializer().serializeToString(svg);
		return URL.createObjectURL(new Blob([text], { type: 'image/svg+xml' }));
	}
</script>

<div bind:this={box} role="img" aria-label={label} data-drawing={drawing || undefined}></div>
