<script lang="ts">
	import type { TraceBack, TraceNode, TraceSource } from '$lib/server/engine';
	import ChevronRight from '@lucide/svelte/icons/chevron-right';
	import { formatFigure } from '../figures/format';
	import LoadedRows from '../data-in/LoadedRows.svelte';
	import { request } from '../request';
	import Self from './TraceStage.svelte';

	interface Props {
		trace: TraceBack;
		/** What it is about. */
		node: TraceNode;
		way: 'back' | 'forward';
		locale: string;
	}
	let { trace, node, way, locale }: Props = $props();

	const amount = (value: number) => formatFigure(value, { valueType: 'price', decimals: 2, exactly: true }, locale);
	const plain = (value: number) => formatFigure(value, { valueType: 'quantity', decimals: Number.isInteger(value) ? 0 : 2 }, locale);
	const most = $derived(Math.max(0, ...trace.sources.map(({ part }) => Math.abs(part))));
	/** What was opened, by its place: where it comes from, or why that cannot be said. */
	let opened = $state.raw<Readonly<Record<number, TraceBack | string | null>>>({});
	let rows = $state.raw<Readonly<Record<number, boolean>>>({});
	let showsAll = $state(false);
	const FIRST = 12;
	const shown = $derived(showsAll ? trace.sources : trace.sources.slice(0, FIRST));

	async function toggle(place: number, source: TraceSource) {
		if (opened[place] !== undefined && typeof opened[place] !== 'string') {
			const { [place]: _, ...rest } = opened;
			opened = rest;
			return;
		}
		opened = { ...opened, [place]: null };
		const reply = await request<TraceBack>('/api/trace', { ...source.node!, way, by: source.origin, amount: source.part });
		// Folded again meanwhile.
		if (opened[place] === undefined) return;
		opened = { ...opened, [place]: reply.ok ? reply.answer : reply.message };
	}
	const KINDS: Record<TraceSource['kind'], string> = {
		entry: 'typed',
		load: 'loaded',
		result: 'computed by',
		pool: '',
		live: 'computed by live formulas',
		'taken out': 'taken out by',
		receiver: '',
		stays: 'stays here'
	};
</script>

<ul class="border-rule ml-1.5 border-l">
	{#each shown as source, place (place)}
		<li>
			<div class="flex items-baseline gap-2 py-0.5 pl-2 text-[13.5px]">
				{#if source.node}
					<button
						class="text-grey hover:text-base-content shrink-0 self-center"
						aria-label="Where {amount(source.part)} of {source.where || source.line} {way === 'back' ? 'comes from' : 'went'}"
						aria-expanded={opened[place] !== undefined}
						onclick={() => void toggle(place, source)}
						><ChevronRight size={14} class={opened[place] !== undefined ? 'rotate-90' : ''} aria-hidden="true" /></button
					>
				{:else}<span class="inline-block w-3.5 shrink-0"></span>{/if}
				<span class="w-28 shrink-0 text-right font-semibold tabular-nums">{amount(source.part)}</span>
				<span class="bg-base-300 h-1.5 w-20 shrink-0 self-center rounded-sm" aria-hidden="true"
					><span class="bg-primary block h-full rounded-sm" style:width={`${most === 0 ? 0 : (Math.abs(source.part) / most) * 100}%`}
					></span></span
				>
				<span class="min-w-0">
					{#if source.kind === 'pool' || source.kind === 'receiver'}
						<strong class="font-semibold">{source.where || source.line}</strong>
						<span class="text-soft"
							>{source.name}, {source.by}{source.weight !== null && source.weights !== null
								? `: ${plain(source.weight)} of ${plain(source.weights)}`
								: ''}{source.of === null ? '' : `, of a pool of ${amount(source.of)}`}</span
						>
					{:else}
						<span class="text-grey">{KINDS[source.kind]}</span> <strong class="font-semibold">{source.name}</strong>
						{#if source.part !== source.amount}<span class="text-soft">of {amount(source.amount)}</span>{/if}
						{#if source.kind === 'load' && trace.isCell}
							<button
								class="text-primary ml-1 underline"
								aria-expanded={rows[place] ?? false}
								onclick={() => (rows = { ...rows, [place]: !rows[place] })}>rows of the file</button
							>
						{/if}
					{/if}
				</span>
			</div>
			{#if rows[place]}<div class="ml-8 max-w-xl">
					<LoadedRows cell={{ members: [...node.members], period: node.period }} {locale} atOnce />
				</div>{/if}
			{#if opened[place] !== undefined}
				<div class="ml-6">
					{#if opened[place] === null}<p class="text-grey pl-2 text-[13px]">…</p>
					{:else if typeof opened[place] === 'string'}<p class="text-error pl-2 text-[13px]" role="alert">{opened[place]}</p>
					{:else}<Self trace={opened[place]} node={source.node!} {way} {locale} />{/if}
				</div>
			{/if}
		</li>
	{:else}<li class="text-soft pl-3">{way === 'back' ? 'Nothing stands here.' : 'No step shared it out.'}</li>{/each}
</ul>
{#if trace.sources.length > FIRST && !showsAll}
	<button class="text-primary ml-3 text-[13px] underline" onclick={() => (showsAll = true)}
		>and {trace.sources.length - FIRST} smaller parts</button
	>
{/if}
