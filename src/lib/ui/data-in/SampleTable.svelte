<script lang="ts">
	import type { CheckOutcome } from '$lib/server/import';
	import { formatAmount } from '../figures/format';
	import type { ImportDesk } from './import-desk.svelte';

	interface Props {
		desk: ImportDesk;
		check: CheckOutcome;
		/** Rows as they come, or what they become. */
		side: 'source' | 'outcome';
		locale: string;
		scroller: HTMLElement | undefined;
		onscrolled: (top: number) => void;
	}
	let { desk, check, side, locale, scroller = $bindable(), onscrolled }: Props = $props();

	/** In the order of the file. */
	const places = $derived(check.headings.flatMap((heading, place) => (check.used.includes(heading) ? [place] : [])));
	const amounts = $derived(new Set(desk.details.source.amountColumns));
	/** Amounts stay in sight at the right, however narrow the column. */
	const isAmount = (place: number) => amounts.has(check.headings[place]!);
	const at = $derived(desk.selection?.kind === 'row' ? desk.selection.index : -1);

	function onkeydown(event: KeyboardEvent) {
		const step = event.key === 'ArrowDown' ? 1 : event.key === 'ArrowUp' ? -1 : 0;
		if (step === 0) return;
		event.preventDefault();
		const next = Math.min(Math.max(at + step, 0), check.sample.length - 1);
		desk.selection = { kind: 'row', index: next };
		scroller?.querySelectorAll('tbody tr')[next]?.scrollIntoView({ block: 'nearest' });
	}
</script>

<!-- svelte-ignore a11y_no_noninteractive_tabindex, a11y_no_noninteractive_element_interactions -->
<div
	bind:this={scroller}
	class="min-h-0 overflow-auto"
	tabindex="0"
	role="region"
	aria-label={side === 'source' ? 'Rows as they come' : 'What they become'}
	onscroll={(event) => onscrolled(event.currentTarget.scrollTop)}
	{onkeydown}
>
	<table class={['w-full', side === 'source' && 'font-mono text-[12.5px]']}>
		<thead>
			<tr class="text-grey h-6 text-left text-xs">
				{#if side === 'source'}
					{#each places as place (place)}
						<th class={['max-w-28 truncate font-sans font-normal', isAmount(place) && 'amount']} scope="col" title={check.headings[place]}
							>{check.headings[place]}</th
						>
					{/each}
				{:else}
					<th class="font-normal" scope="col">Place in the model</th>
					<th class="text-right font-normal" scope="col">Amount</th>
				{/if}
			</tr>
		</thead>
		<tbody>
			{#each check.sample as row, index (row.line)}
				<tr
					class={[
						'border-hairline h-7 cursor-pointer border-b',
						row.outcome === 'rejected' && 'text-error',
						row.outcome === 'skipped' && 'text-grey',
						index === at && 'bg-base-200'
					]}
					aria-selected={index === at}
					onclick={() => (desk.selection = { kind: 'row', index })}
				>
					{#if side === 'source'}
						{#each places as place (place)}
							<td class={['max-w-28 truncate whitespace-pre', isAmount(place) && 'amount']} title={row.values[place]}
								>{row.values[place] ?? ''}</td
							>
						{/each}
					{:else}
						<td class="w-full max-w-0 truncate pr-2" title={row.words}>{row.words}</td>
						<td class="text-right font-semibold whitespace-nowrap">{row.amount === null ? '' : formatAmount(row.amount, locale)}</td>
					{/if}
				</tr>
			{/each}
		</tbody>
	</table>
</div>

<style>
	thead th {
		position: sticky;
		top: 0;
		z-index: 1;
		background: var(--color-base-100);
		border-bottom: 1px solid var(--rule);
	}
	/* Columns are told apart, however full they are. */
	th:not(:last-child),
	td:not(:last-child) {
		padding-right: 12px;
	}
	thead .amount {
		z-index: 2;
	}
	.amount {
		position: sticky;
		right: 0;
		padding-left: 6px;
		background: var(--color-base-100);
		text-align: right;
	}
	tr[aria-selected='true'] .amount {
		background: var(--color-base-200);
	}
</style>
