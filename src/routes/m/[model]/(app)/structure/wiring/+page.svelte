<script lang="ts">
	import { at } from '$lib/ui/at';
	import { drawWiring, lit } from '$lib/ui/structure/wiring-layout';
	import { useShell } from '$lib/ui/shell/shell.svelte';
	import WiringBox from '$lib/ui/structure/WiringBox.svelte';
	import WiringJoint from '$lib/ui/structure/WiringJoint.svelte';
	import { SvelteFlow, type Edge, type Node } from '@xyflow/svelte';
	import '@xyflow/svelte/dist/style.css';
	import { onMount } from 'svelte';

	let { data } = $props();
	useShell().at({ name: 'Structure', path: '/structure' }, { name: 'Wiring' });

	const kinds = { box: WiringBox, joint: WiringJoint };
	let nodes = $state.raw<Node[]>([]);
	let edges = $state.raw<Edge[]>([]);
	let chosen = $state<string | null>(null);
	let drawn = $state(false);
	const troubles = $derived(data.wiring.nodes.filter(({ trouble }) => trouble));
	const picture = $derived(drawWiring(data.wiring));
	const named = $derived(new Map(data.wiring.nodes.map((node) => [node.id, node])));
	const box = $derived(chosen === null ? undefined : named.get(chosen));
	const namesOf = (ids: readonly string[]) =>
		ids.length === 0 ? 'nothing' : ids.length > 5 ? `${ids.length} parts` : ids.map((id) => named.get(id)?.name ?? '').join(', ');
	const feeds = $derived(data.wiring.edges.filter(({ from }) => from === chosen).map(({ to }) => to));
	const fedBy = $derived(data.wiring.edges.filter(({ to }) => to === chosen).map(({ from }) => from));

	onMount(() => (drawn = true));
	$effect(() => {
		const shining = chosen === null ? null : lit(data.wiring, chosen);
		nodes = [
			...data.wiring.nodes.map((node) => ({
				id: node.id,
				type: 'box',
				position: picture.boxes.get(node.id)!,
				data: {
					...node,
					look: shining === null ? 'plain' : node.id === chosen ? 'chosen' : shining.has(node.id) ? 'lit' : 'back',
					onchoose: () => (chosen = chosen === node.id ? null : node.id)
				}
			})),
			...[...picture.joints].map(([id, position]) => ({ id, type: 'joint', position, data: {} }))
		];
		edges = [
			...picture.bundles.map(({ from, to }, index) => ({
				id: `b${index}`,
				source: from,
				target: to,
				class: shining === null ? 'bundle' : 'bundle back'
			})),
			...(chosen === null
				? []
				: data.wiring.edges
						.filter(({ from, to }) => from === chosen || to === chosen)
						.map(({ from, to }, index) => ({ id: `e${index}`, source: from, target: to, class: 'lit' })))
		];
	});
</script>

<svelte:window
	onkeydown={(event) => {
		if (event.key === 'Escape') chosen = null;
	}}
/>

<main class="flex min-h-0 flex-col px-4.5 pt-3.5">
	<h1 class="text-xl font-semibold tracking-tight">Wiring</h1>
	<p class="text-soft mb-2 text-[13px]" role="status">
		{#if box}
			<b class="font-semibold">{box.name}</b> is fed by {namesOf(fedBy)} and feeds {namesOf(feeds)}.
			<a class="text-primary font-semibold underline" href={at(box.path)}>Open {box.name}</a>
		{:else}
			What feeds what, from left to right: imports and rates, dimensions, live formulas and runbooks, forms. Choose a box to see what it
			feeds and what feeds it.
		{/if}
	</p>
	{#if troubles.length > 0}
		<ul class="mb-2 flex flex-wrap gap-x-5 text-[13px]" aria-label="Unfinished or failing">
			{#each troubles as { id, name, trouble, path } (id)}<li class="text-warning">
					<a class="underline" href={at(path)}>{name}</a>: {trouble}
				</li>{/each}
		</ul>
	{/if}
	<div class="border-rule min-h-0 grow border-t" data-drawn={drawn || undefined}>
		{#if drawn}
			<SvelteFlow
				bind:nodes
				bind:edges
				nodeTypes={kinds}
				initialViewport={{ x: 0, y: 12, zoom: 1 }}
				minZoom={0.4}
				maxZoom={1.5}
				panOnScroll
				zoomOnDoubleClick={false}
				nodesDraggable={false}
				nodesConnectable={false}
				elementsSelectable={false}
				nodesFocusable={false}
				edgesFocusable={false}
				proOptions={{ hideAttribution: true }}
				onpaneclick={() => (chosen = null)}
			/>
		{/if}
	</div>
</main>

<style>
	main :global(.svelte-flow) {
		--xy-background-color: var(--color-base-100);
		--xy-edge-stroke: var(--mark);
	}
	main :global(.svelte-flow__edge.bundle .svelte-flow__edge-path) {
		stroke: var(--rule);
		stroke-width: 1.5;
	}
	main :global(.svelte-flow__edge.bundle.back .svelte-flow__edge-path) {
		opacity: 0.35;
	}
	main :global(.svelte-flow__edge.lit .svelte-flow__edge-path) {
		stroke: var(--color-primary);
		stroke-width: 1.5;
	}
</style>
