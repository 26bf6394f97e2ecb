<script lang="ts">
	import { goto } from '$app/navigation';
	import { at } from '$lib/ui/at';
	import { formatFigure } from '$lib/ui/figures/format';
	import FlowPicture from '$lib/ui/flow/FlowPicture.svelte';
	import { savePicture } from '$lib/ui/flow/save-picture';
	import { useShell } from '$lib/ui/shell/shell.svelte';

	let { data } = $props();
	const { locale } = $derived(data.person);
	const { picture } = $derived(data);
	const shell = useShell();
	$effect(() => shell.at({ name: 'Rules', path: '/rules' }, { name: data.name, path: `/rules/${data.runbook}` }, { name: 'Flow' }));

	let drawing = $state<SVGSVGElement>();
	const amount = (value: number) => formatFigure(value, { valueType: 'price', decimals: 2, exactly: true }, locale);
	/** What was asked for and is still on its way: a second choice is made on top of it. */
	let underway: URLSearchParams | undefined;
	/** Looks at another period, or another member of a dimension. */
	async function look(next: { period?: number; dimension?: number; member?: number }) {
		const named = new URLSearchParams(
			underway ?? [['period', String(picture.period)], ...picture.slice.map(({ dimension, member }) => [`d${dimension}`, String(member)])]
		);
		if (next.period !== undefined) named.set('period', String(next.period));
		if (next.dimension !== undefined) named.set(`d${next.dimension}`, String(next.member));
		underway = named;
		await goto(at(`/rules/${data.runbook}/flow?${named}`), { keepFocus: true, noScroll: true });
		if (underway === named) underway = undefined;
	}
	const stays = (node: (typeof picture.nodes)[number]) => (node.stage === 0 ? 0 : node.in - node.out);
</script>

<main class="min-h-0 overflow-auto px-4.5 pt-3.5 pb-6">
	<div class="flex flex-wrap items-start gap-3">
		<div class="grow">
			<h1 class="text-xl font-semibold tracking-tight">Flow of “{data.name}”</h1>
			<p class="text-soft mb-2">
				What its steps share out, as it stands{picture.currency ? `, in ${picture.currency}` : ''}{picture.incomplete
					? '; without what has no rate'
					: ''}. A band or a name opens its trace.
			</p>
		</div>
		<button class="btn btn-sm" disabled={!drawing} onclick={() => drawing && savePicture(drawing, `${data.name}, flow`, 'svg')}>SVG</button>
		<button class="btn btn-sm" disabled={!drawing} onclick={() => drawing && savePicture(drawing, `${data.name}, flow`, 'png')}>PNG</button>
	</div>
	<div class="mb-3 flex flex-wrap gap-3">
		<label class="text-grey flex flex-col text-xs"
			>Period<select
				class="select select-sm text-base-content w-44"
				value={picture.period}
				onchange={(event) => look({ period: Number(event.currentTarget.value) })}
				>{#each picture.periods as { id, name } (id)}<option value={id}>{name}</option>{/each}</select
			></label
		>
		{#each picture.slice.filter(({ members }) => members.length > 1) as { dimension, name, member, members } (dimension)}
			<label class="text-grey flex flex-col text-xs"
				>{name}<select
					class="select select-sm text-base-content w-52"
					value={member}
					onchange={(event) => look({ dimension, member: Number(event.currentTarget.value) })}
					>{#each members as { id, name: own, depth } (id)}<option value={id}>{'\u2003'.repeat(depth)}{own}</option>{/each}</select
				></label
			>
		{/each}
	</div>
	{#if picture.links.length === 0}
		<p class="text-soft">Nothing was shared out there. Choose another period, or another part.</p>
	{:else}
		<FlowPicture {picture} {locale} bind:drawing />
		<details class="mt-4">
			<summary class="text-primary cursor-pointer font-semibold">As a table</summary>
			<table class="mt-2 text-[13.5px] tabular-nums" aria-label="Flows">
				<thead
					><tr class="text-grey border-rule border-b text-left text-xs"
						><th class="py-1 pr-4 font-normal">From</th><th class="pr-4 font-normal">To</th><th class="pr-4 font-normal">By</th><th
							class="text-right font-normal">Amount</th
						></tr
					></thead
				>
				<tbody>
					{#each picture.links as { from, to, step, amount: value }, index (index)}
						<tr class="border-hairline border-b"
							><td class="py-0.5 pr-4">{picture.nodes[from]!.name}</td><td class="pr-4">{picture.nodes[to]!.name}</td><td
								class="text-soft pr-4">{step}</td
							><td class="text-right">{amount(value)}</td></tr
						>
					{/each}
					{#each picture.nodes.filter((node) => Math.abs(stays(node)) > 0.005) as node, index (index)}
						<tr class="border-hairline border-b"
							><td class="py-0.5 pr-4">{node.name}</td><td class="text-soft pr-4" colspan="2"
								>{stays(node) > 0 ? 'stays there' : 'had of its own'}</td
							><td class="text-right">{amount(Math.abs(stays(node)))}</td></tr
						>
					{/each}
				</tbody>
			</table>
		</details>
	{/if}
</main>
