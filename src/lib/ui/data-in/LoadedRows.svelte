<script lang="ts">
	import { at } from '$lib/ui/at';
	import type { RowsOfCell } from '$lib/server/import';
	import { formatAmount, formatCount } from '../figures/format';
	import { request } from '../request';
	import { onMount } from 'svelte';

	interface Props {
		cell: { members: number[]; period: number };
		locale: string;
		/** Looks at once, where its being there was asked for. */
		atOnce?: boolean;
	}
	let { cell, locale, atOnce = false }: Props = $props();

	let batches = $state.raw<readonly RowsOfCell[] | null>(null);
	let asked = $state(false);
	let fault = $state<string | null>(null);

	async function look() {
		asked = true;
		const reply = await request<{ batches: RowsOfCell[] }>('/api/imports/cell', cell);
		if (reply.ok) batches = reply.answer.batches;
		else fault = reply.message;
	}
	onMount(() => {
		if (atOnce) void look();
	});
</script>

<h3 class="text-grey mt-3.5 mb-0.5 text-xs font-semibold">Rows it was loaded from</h3>
{#if fault}<p class="text-error" role="alert">{fault}</p>
{:else if batches === null}
	<button class="text-primary font-semibold hover:underline" disabled={asked} onclick={look}
		>{asked ? 'Looking…' : 'Show the rows of the file'}</button
	>
{:else}
	{#each batches as batch (batch.batch)}
		<p class="text-soft">
			<a class="text-primary font-semibold hover:underline" href={at(`/data-in/${batch.import}?view=batches&batch=${batch.batch}`)}
				>Batch {batch.batch}</a
			>, {batch.fileName}:
			{formatCount(batch.count, locale)}
			{batch.count === 1 ? 'row' : 'rows'}, {formatAmount(batch.total, locale)} in all
		</p>
		<ul>
			{#each batch.rows.slice(0, 30) as row (row.line)}
				<li class="border-hairline border-b py-0.5">
					<span class="text-grey">line {row.line}</span> <b class="float-right font-semibold">{formatAmount(row.amount, locale)}</b>
					<span class="text-soft block font-mono text-[11.5px] leading-4 break-words">{row.values.join(' · ')}</span>
				</li>
			{/each}
		</ul>
	{:else}<p class="text-grey">The file of this load was not kept.</p>{/each}
{/if}
