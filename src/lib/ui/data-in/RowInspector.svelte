<script lang="ts">
	import type { CheckOutcome } from '$lib/server/import';
	import { formatAmount } from '../figures/format';
	import type { ImportDesk } from './import-desk.svelte';

	interface Props {
		desk: ImportDesk;
		check: CheckOutcome;
		index: number;
		locale: string;
	}
	let { desk, check, index, locale }: Props = $props();
	const row = $derived(check.sample[index]);
	/** The map lines that decided what the row becomes. */
	const lines = $derived(
		desk.details.rules.flatMap((rule) => {
			const line = rule.lines.find(({ id }) => row?.winners.includes(id));
			return line ? [{ rule, line }] : [];
		})
	);
</script>

{#if row}
	<p class="text-grey text-xs">Line {row.line}</p>
	<h2 class={['text-lg font-semibold', row.outcome === 'rejected' && 'text-error']}>
		{row.outcome === 'loaded' ? 'Would load' : row.outcome === 'skipped' ? 'Left out' : 'Rejected'}
		{row.amount === null ? '' : formatAmount(row.amount, locale)}
	</h2>
	<p class="text-soft">{row.words}</p>
	{#if lines.length > 0}
		<h3 class="text-grey mt-4 mb-1 text-xs font-semibold">Lines that decided</h3>
		<ul>
			{#each lines as { rule, line } (line.id)}
				<li class="border-hairline border-b border-dotted py-0.5">
					<button
						class="text-left hover:underline"
						onclick={() => (desk.selection = { kind: 'line', dimension: rule.dimension, line: line.id })}
						><span class="text-grey text-xs">{rule.name}, {line.kind}</span>
						<span class="font-mono text-[12.5px]">{line.terms}</span> → {line.member}</button
					>
				</li>
			{/each}
		</ul>
	{/if}
	<h3 class="text-grey mt-4 mb-1 text-xs font-semibold">The row</h3>
	<dl>
		{#each check.headings as heading, place (heading)}
			<div class="border-hairline grid grid-cols-[7rem_1fr] gap-2 border-b py-1">
				<dt class="text-grey text-[13px]">{heading}</dt>
				<dd class="font-mono text-[12.5px] break-words whitespace-pre-wrap">{row.values[place] ?? ''}</dd>
			</div>
		{/each}
	</dl>
{/if}
