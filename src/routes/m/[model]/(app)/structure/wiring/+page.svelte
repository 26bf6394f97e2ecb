<script lang="ts">
	import { at } from '$lib/ui/at';
	import { layOut } from '$lib/ui/structure/wiring-layout';
	import { useShell } from '$lib/ui/shell/shell.svelte';
	import WiringBox from '$lib/ui/structure/WiringBox.svelte';
	import { Background, SvelteFlow, type Edge, type Node } from '@xyflow/svelte';
	import '@xyflow/svelte/dist/style.css';
	import { onMount } from 'svelte';

	let { data } = $props();
	useShell().at({ name: 'Structure', path: '/structure' }, { name: 'Wiring' });

	const boxes = { box: WiringBox };
	let nodes = $state.raw<Node[]>([]);
	let edges = $state.raw<Edge[]>([]);
	let drawn = $state(false);
	const troubles = $derived(data.wiring.nodes.filter(({ trouble }) => trouble));

	onMount(async () => {
		const places = await layOut(data.wiring);
		nodes = data.wiring.nodes.map((node) => ({
			id: node.id,
			type: 'box',
			position: places.get(node.id) ?? { x: 0, y: 0 },
			data: { ...node }
		}));
		edges = data.wiring.edges.map(({ from, to }, index) => ({ id: `e${index}`, source: from, target: to }));
		drawn = true;
	});
</script>

<main class="flex min-h-0 flex-col px-4.5 pt-3.5">
	<h1 class="text-xl font-semibold tracking-tight">Wiring</h1>
	<p class="text-soft mb-2 text-[13px]">
		What feeds what, from left to right: imports and rates, dimensions, live formulas and runbooks, forms. Choose a box to go there.
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
				nodeTypes={boxes}
				fitView
				minZoom={0.2}
				nodesDraggable={false}
				nodesConnectable={false}
				elementsSelectable={false}
				nodesFocusable={false}
				edgesFocusable={false}
				proOptions={{ hideAttribution: true }}
			>
				<Background gap={24} />
			</SvelteFlow>
		{:else}<p class="text-grey py-3">Drawing…</p>{/if}
	</div>
</main>

<style>
	main :global(.svelte-flow) {
		--xy-background-color: var(--color-base-100);
		--xy-background-pattern-color: var(--hairline);
		--xy-edge-stroke: var(--mark);
	}
</style>
