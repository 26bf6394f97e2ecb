<script lang="ts">
	import type { CheckOutcome } from '$lib/server/import';
	import { formatAmount } from '../figures/format';

	interface Props {
		check: CheckOutcome;
		index: number;
		locale: string;
	}
	let { check, index, locale }: Props = $props();
	const row = $derived(check.sample[index]);
</script>

{#if row}
	<p class="text-grey text-xs">Line {row.line}</p>
	<h2 class={['text-lg font-semibold', row.outcome === 'rejected' && 'text-error']}>
		{row.outcome === 'loaded' ? 'Would load' : row.outcome === 'skipped' ? 'Left out' : 'Rejected'}
		{row.amount === null ? '' : formatAmount(row.amount, locale)}
	</h2>
	<p class="text-soft">{row.words}</p>
	<dl class="mt-4">
		{#each check.headings as heading, place (heading)}
			<div class="border-hairline grid grid-cols-[7rem_1fr] gap-2 border-b py-1">
				<dt class="text-grey text-[13px]">{heading}</dt>
				<dd class="font-mono text-[12.5px] break-words whitespace-pre-wrap">{row.values[place] ?? ''}</dd>
			</div>
		{/each}
	</dl>
{/if}
