<script lang="ts">
	import { formatMoment } from '../figures/format';
	import type { LockBoardState } from './lock-board.svelte';

	interface Props {
		board: LockBoardState;
		locale: string;
	}
	let { board, locale }: Props = $props();
	const slice = $derived(board.slice);
	const names = $derived.by(() => {
		const line = board.board?.rows[board.visible[board.focus.row] ?? -1];
		const across = board.board?.columns[board.focus.column];
		const above =
			line && line.members.length > 1
				? board.board?.rows.find(({ members }) => members.length === 1 && members[0] === line.members[0])
				: undefined;
		return [above?.name, line?.name, across?.name].filter((name) => name !== undefined).join(', ');
	});
	const layer = $derived(slice?.layers.find((each) => each.layer === board.layer));
	const LAYERS = { 'period close': 'Period close', cycle: 'Cycle', board: 'Board' };
</script>

<aside class="border-hairline w-75 shrink-0 overflow-auto border-l px-4 py-1" aria-label="Slice">
	{#if slice && layer}
		<p class="text-soft text-[13px] font-semibold">{names}</p>
		<p class="text-2xl font-semibold tracking-tight">{layer.state}</p>
		<p class="text-soft mb-3 text-[13px]">
			{layer.lock ? layer.lock.words : 'Nothing is set here or above.'}
			{#if layer.lock && !layer.isOwn}It is set above.{/if}
		</p>
		{#if slice.own && slice.own.state === 'held' && board.layer === 'board'}
			<h2 class="head">They may still write</h2>
			<ul class="mb-3">
				{#each slice.own.writerNames as name (name)}<li class="line">{name}</li>{/each}
			</ul>
		{/if}
		<h2 class="head">What the layers say</h2>
		<dl class="mb-3">
			{#each slice.layers as { layer: name, state } (name)}<div class="line flex justify-between">
					<dt>{LAYERS[name]}</dt>
					<dd class="font-semibold">{state}</dd>
				</div>{/each}
		</dl>
		<h2 class="head">Beneath</h2>
		{#if layer.exceptions.length === 0}<p class="text-soft mb-3 text-[13px]">Nothing differs.</p>
		{:else}<ul class="mb-3">
				{#each layer.exceptions as { id, name, state } (id)}<li class="line flex justify-between gap-2">
						<span>{name}</span><b class="font-semibold">{state}</b>
					</li>{/each}
			</ul>{/if}
		<h2 class="head">Before</h2>
		{#each slice.history as { id, at, person, words, reason } (id)}
			<div
				class="border-hairline relative ml-1 border-l pb-1.5 pl-3 before:absolute before:top-1.5 before:-left-1 before:size-2 before:rotate-45 before:bg-[var(--color-accent)] before:content-['']"
			>
				<p class="text-[13px]">{words}</p>
				<p class="text-soft text-xs">{person ?? 'by itself'}, {formatMoment(at, locale)}{reason ? ` · “${reason}”` : ''}</p>
			</div>
		{:else}<p class="text-soft text-[13px]">Nothing was set right here.</p>{/each}
	{/if}
</aside>

<style>
	.head {
		margin-bottom: 2px;
		color: var(--soft);
		font-size: 12px;
		font-weight: 600;
	}
	.line {
		padding: 3px 0;
		border-bottom: 1px dotted var(--mark);
		font-size: 13px;
	}
</style>
