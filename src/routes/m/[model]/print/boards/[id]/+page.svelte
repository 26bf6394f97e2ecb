<script lang="ts">
	import { formatMoment } from '$lib/ui/figures/format';
	import TileBody from '$lib/ui/insight/TileBody.svelte';

	let { data } = $props();
	const ROW = 70;
	const chosen = $derived(
		data.pages[0]!.selectors.map(
			({ name, choices, chosen: member }) => `${name}: ${choices.find((choice) => choice.member === member)?.name ?? ''}`
		)
	);
</script>

<svelte:head><title>{data.board.name}</title></svelte:head>

<main class="text-base-content mx-auto max-w-[1100px] bg-white p-6">
	<div class="no-print mb-4 flex gap-2"><button class="btn btn-primary btn-sm" onclick={() => print()}>Print</button></div>
	{#each data.board.content.tabs as tab, place (place)}
		{@const figures = data.pages[place]!}
		<section class={[place > 0 && 'page']}>
			<h1 class="text-xl font-semibold">{data.board.name}{data.board.content.tabs.length > 1 ? `: ${tab.name}` : ''}</h1>
			<p class="text-grey text-xs">
				{chosen.join(' · ')} · in {figures.currency}{data.board.content.scale > 1
					? data.board.content.scale === 1_000
						? ', thousands'
						: ', millions'
					: ''}{figures.against ? ` · against ${figures.against.name}` : ''} · revision {figures.revision}, {formatMoment(
					data.now,
					data.locale
				)}, as {data.person} reads it
			</p>
			<div class="board border-hairline mt-2 border-t">
				{#each tab.tiles as tile (tile.id)}
					<div
						class="tile border-hairline @container flex min-w-0 flex-col border-b px-3 py-2"
						style="--w: {tile.width}; --h: {tile.height}"
					>
						<h2 class="text-soft mb-1 text-[12.5px] font-semibold">{tile.title}</h2>
						<TileBody
							{tile}
							answer={figures.tiles.find(({ id }) => id === tile.id)}
							asTable={false}
							height={tile.height * ROW - 50}
							scale={data.board.content.scale}
							locale={data.locale}
							currency={figures.currency}
							onopen={() => {}}
							onwhy={() => {}}
						/>
					</div>
				{/each}
			</div>
		</section>
	{/each}
</main>

<style>
	.board {
		display: grid;
		grid-template-columns: repeat(12, minmax(0, 1fr));
		grid-auto-rows: minmax(70px, auto);
		grid-auto-flow: row dense;
	}
	.tile {
		grid-column: span var(--w);
		grid-row: span var(--h);
		break-inside: avoid;
	}
	.page {
		break-before: page;
	}
	@media print {
		.no-print {
			display: none;
		}
	}
	@page {
		size: A4 landscape;
		margin: 12mm;
	}
</style>
