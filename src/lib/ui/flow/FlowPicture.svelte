<script lang="ts">
	import type { FlowPicture, PictureNode } from '$lib/server/engine';
	import { at } from '../at';
	import { formatFigure } from '../figures/format';
	import { columnsOf, headingOf, heightOf, layoutOf } from './flow-layout';

	interface Props {
		picture: FlowPicture;
		locale: string;
		drawing?: SVGSVGElement | undefined;
	}
	let { picture, locale, drawing = $bindable() }: Props = $props();

	let width = $state(0);
	const height = $derived(heightOf(picture));
	const layout = $derived(width > 0 ? layoutOf(picture, width) : { bars: [], bands: [] });
	const whole = (value: number) => formatFigure(value, { valueType: 'price', decimals: 0, exactly: true }, locale);
	const exactly = (value: number) => formatFigure(value, { valueType: 'price', decimals: 2, exactly: true }, locale);
	const sizeOf = ({ in: came, out }: PictureNode) => (Math.abs(out) > Math.abs(came) ? out : came);
	const traceOf = ({ figure }: PictureNode, way: 'back' | 'forward') =>
		figure ? at(`/trace?members=${figure.members.join('.')}&period=${figure.period}&way=${way}`) : undefined;
	const inWords = ({ from, to, step, amount }: FlowPicture['links'][number]) =>
		`${exactly(amount)} from ${picture.nodes[from]!.name} to ${picture.nodes[to]!.name}, by ${step}`;
	/** The band or the place that is pointed at: what hangs together with it stands out. */
	let pointed = $state<{ link: number } | { node: number } | null>(null);
	const isPointed = (link: number): boolean => {
		if (!pointed) return false;
		if ('link' in pointed) return pointed.link === link;
		const { from, to } = picture.links[link]!;
		return from === pointed.node || to === pointed.node;
	};
	/** What brought amounts to the places of each column, and where that stands. */
	const columns = $derived(
		columnsOf(picture).map((stage) => ({
			name: headingOf(picture, stage),
			x: layout.bars.find(({ node }) => picture.nodes[node]!.stage === stage)?.x
		}))
	);
</script>

<div class="relative w-full" bind:clientWidth={width}>
	<div class="relative mb-1 h-9">
		{#each columns as { name, x }, place (place)}
			{#if x !== undefined}<span class="text-grey absolute top-0 line-clamp-2 max-w-44 text-xs" style="left: {x}px">{name}</span>{/if}
		{/each}
	</div>
	<svg bind:this={drawing} {width} {height} role="group" aria-label="Flow picture" class="block overflow-visible">
		{#each layout.bands as { link, path, thickness } (link)}
			{@const { to, amount } = picture.links[link]!}
			<a
				href={traceOf(picture.nodes[to]!, 'back')}
				aria-label={inWords(picture.links[link]!)}
				onpointerenter={() => (pointed = { link })}
				onpointerleave={() => (pointed = null)}
				onfocus={() => (pointed = { link })}
				onblur={() => (pointed = null)}
			>
				<path class={['band', amount < 0 && 'against', isPointed(link) && 'pointed']} d={path} stroke-width={Math.max(1, thickness)}
					><title>{inWords(picture.links[link]!)}</title></path
				>
			</a>
		{/each}
		{#each layout.bars as { node, x, y, width: wide, height: high } (node)}
			{@const place = picture.nodes[node]!}
			<a
				href={traceOf(place, place.stage === 0 ? 'forward' : 'back')}
				onpointerenter={() => (pointed = { node })}
				onpointerleave={() => (pointed = null)}
				onfocus={() => (pointed = { node })}
				onblur={() => (pointed = null)}
			>
				<rect class="bar" {x} {y} width={wide} height={Math.max(1, high)} />
				<text class="name" x={x + wide + 6} y={y + high / 2} dy="0.35em"
					>{place.name}
					<tspan class="amount">{whole(sizeOf(place))}</tspan></text
				>
			</a>
		{/each}
	</svg>
</div>

<style>
	.band {
		fill: none;
		stroke: var(--color-primary);
		stroke-opacity: 0.22;
	}
	.band.against {
		stroke: var(--color-error);
	}
	.band.pointed {
		stroke-opacity: 0.55;
	}
	.bar {
		fill: var(--soft);
	}
	.name {
		font-size: 12.5px;
		fill: var(--color-base-content);
		paint-order: stroke;
		stroke: var(--color-base-100);
		stroke-width: 3px;
	}
	.amount {
		fill: var(--soft);
	}
	a:focus-visible {
		outline: none;
	}
	a:focus-visible .band {
		stroke-opacity: 0.8;
	}
	a:focus-visible .bar {
		stroke: var(--color-primary);
		stroke-width: 3px;
	}
</style>
