<script lang="ts">
	import { blockName } from './block-name';
	import { selectionInWords } from '$lib/core';
	import { dndzone } from 'svelte-dnd-action';
	import { tick } from 'svelte';
	import type { DesignDesk } from './design-desk.svelte';
	import { addBlock, orderAxis, orderBlocks, placeDimension, trayDimensions, type Tray } from './edit-layout';

	let { desk, tray, title, hint }: { desk: DesignDesk; tray: Tray | 'unplaced'; title: string; hint: string } = $props();

	const axis = $derived(tray === 'rows' || tray === 'columns' ? tray : null);
	const ids = $derived(
		tray === 'unplaced'
			? desk.unplaced
			: // A selector of a dimension that stands on an axis is shown too: the reader chooses, the axis follows.
				trayDimensions(desk.layout, tray)
	);
	/** While something is dragged, the list as it would be. */
	let moving = $state.raw<{ id: number }[] | null>(null);
	let movingBlocks = $state.raw<{ id: number }[] | null>(null);
	const items = $derived(moving ?? ids.map((id) => ({ id })));
	const blocks = $derived(movingBlocks ?? (axis ? desk.layout[axis].map(({ id }) => ({ id })) : []));

	function ondrop(event: CustomEvent<{ items: { id: number }[]; info: { id: string } }>) {
		const dropped = Number(event.detail.info.id);
		const order = event.detail.items.map(({ id }) => id);
		moving = null;
		if (tray === 'unplaced' || !order.includes(dropped)) return;
		const at = order.indexOf(dropped);
		if (ids.includes(dropped)) {
			if (axis) desk.arrange((layout) => orderAxis(layout, axis, order));
			else
				desk.arrange((layout) => ({
					...layout,
					[tray]: [...layout[tray as 'pinned']].sort((a, b) => order.indexOf(a.dimension) - order.indexOf(b.dimension))
				}));
		} else desk.arrange((layout) => placeDimension(layout, dropped, tray, at, desk.start(dropped)));
		void refocus(`dimension-${tray}-${dropped}`);
	}
	function ondropblock(event: CustomEvent<{ items: { id: number }[]; info: { id: string } }>) {
		const order = event.detail.items.map(({ id }) => id);
		movingBlocks = null;
		if (axis) desk.arrange((layout) => orderBlocks(layout, axis, order));
		void refocus(`block-${tray}-${event.detail.info.id}`);
	}
	async function refocus(id: string) {
		await tick();
		setTimeout(() => document.getElementById(id)?.focus(), 60);
	}
	function add(kind: 'cells' | 'derived' | 'text') {
		if (!axis) return;
		let made = 0;
		desk.arrange((layout) => {
			const { layout: next, id } = addBlock(layout, axis, kind);
			made = id;
			return next;
		});
		desk.picked = { kind: 'block', axis, id: made };
	}
	function wordsOf(id: number): string {
		if (!axis) {
			const part = tray === 'pinned' ? desk.layout.pinned.find(({ dimension }) => dimension === id) : undefined;
			return part ? (desk.names.get(part.member) ?? 'nothing') : '';
		}
		return '';
	}
	const isPicked = (id: number) => desk.picked.kind === 'dimension' && desk.picked.dimension === id;
	const isPickedBlock = (id: number) => desk.picked.kind === 'block' && desk.picked.axis === axis && desk.picked.id === id;
</script>

<section class="border-rule bg-base-100 flex min-w-0 flex-col rounded-md border px-2.5 py-1.5 text-[13px]" aria-label={title}>
	<div class="flex items-center">
		<h2 class="text-grey grow text-xs font-semibold">{title}</h2>
		{#if axis && (desk.layout[axis].length > 0 || ids.length > 0)}
			<div class="join shrink-0">
				<button
					class="btn btn-xs join-item"
					title="More lines read from the model"
					aria-label="Add lines to {title}"
					onclick={() => add('cells')}>+ Lines</button
				>
				<button
					class="btn btn-xs join-item"
					title="Lines computed from others"
					aria-label="Add computed lines to {title}"
					onclick={() => add('derived')}>+ Computed</button
				>
				<button
					class="btn btn-xs join-item"
					title="A heading or an empty line"
					aria-label="Add a heading to {title}"
					onclick={() => add('text')}>+ Heading</button
				>
			</div>
		{/if}
	</div>
	<div
		class="mt-1 flex min-h-7 flex-wrap gap-1"
		role="list"
		aria-label="Dimensions in {title}"
		use:dndzone={{ items, type: 'dimension', flipDurationMs: 0, dropTargetStyle: { outline: '1.5px dashed var(--color-secondary)' } }}
		onconsider={(event) => (moving = event.detail.items as { id: number }[])}
		onfinalize={ondrop}
	>
		{#each items as { id } (id)}
			<div
				role="listitem"
				id="dimension-{tray}-{id}"
				onfocus={() => (desk.picked = { kind: 'dimension', dimension: id })}
				onpointerup={() => (desk.picked = { kind: 'dimension', dimension: id })}
				class={[
					'bg-raised max-w-full cursor-grab truncate rounded border px-2 py-0.5',
					isPicked(id) ? 'border-primary text-primary' : 'border-rule'
				]}
			>
				{desk.dimension(id)?.name ?? ''}{#if wordsOf(id)}: <b class="font-semibold">{wordsOf(id)}</b>{/if}
			</div>
		{/each}
	</div>
	{#if ids.length === 0 && !moving}<p class="text-grey -mt-6 pl-1 text-xs leading-6">{hint}</p>{/if}
	{#if axis && (desk.layout[axis].length > 0 || ids.length > 0)}
		<div class="mt-1.5 flex min-h-0 items-start gap-1 overflow-y-auto">
			<div
				class="flex min-w-0 grow flex-wrap gap-1"
				role="list"
				aria-label="Blocks on {title}"
				use:dndzone={{
					items: blocks,
					type: `block-${axis}`,
					flipDurationMs: 0,
					dropTargetStyle: { outline: '1.5px dashed var(--color-secondary)' }
				}}
				onconsider={(event) => (movingBlocks = event.detail.items as { id: number }[])}
				onfinalize={ondropblock}
			>
				{#each blocks as { id }, index (id)}
					{@const block = desk.block(axis, id)}
					<div
						role="listitem"
						id="block-{tray}-{id}"
						title={block?.kind === 'cells' ? block.parts.map(({ selection }) => selectionInWords(selection, desk.names)).join(' by ') : ''}
						onfocus={() => (desk.picked = { kind: 'block', axis, id })}
						onpointerup={() => (desk.picked = { kind: 'block', axis, id })}
						class={[
							'max-w-full cursor-grab truncate rounded-sm border-l-2 px-1.5 py-0.5',
							block?.kind === 'derived'
								? 'border-accent bg-base-200'
								: block?.kind === 'text'
									? 'border-mark bg-base-200'
									: 'border-secondary bg-base-200',
							isPickedBlock(id) && 'text-primary font-semibold'
						]}
					>
						{block ? blockName(block, index, desk.names) : ''}
					</div>
				{/each}
			</div>
		</div>
	{/if}
</section>
