<script lang="ts">
	import { chainOf, isTied, proofsOf, sumsOf, type ProofRow, type ProofSum, type StepLog } from '$lib/core';
	import { formatFigure } from '../../figures/format';
	import ProvenCells from './ProvenCells.svelte';

	let { run, log, locale }: { run: number; log: readonly StepLog[]; locale: string } = $props();

	const proofs = $derived(proofsOf(log));
	const stranded = $derived(log.flatMap(({ name, proof }) => (proof?.stranded ?? []).map((pool) => ({ step: name, ...pool }))));
	/** Steps whose lines and periods are shown. */
	let opened = $state.raw<Readonly<Record<number, boolean>>>({});
	/** The figure of a line and period whose cells are shown: by step, line and column. */
	let shown = $state<{ place: number; index: number; side: 'in' | 'out' } | null>(null);
	const isShown = (place: number, index: number, side: 'in' | 'out') =>
		shown !== null && shown.place === place && shown.index === index && shown.side === side;
	const amount = (value: number) => formatFigure(value, { valueType: 'price', decimals: 2, exactly: true }, locale);
	const said = ({ evenly, incomplete }: ProofRow) =>
		[...(evenly ? ['evenly, since nothing weighed'] : []), ...(incomplete ? ['without what has no rate'] : [])].join('; ');
</script>

{#snippet figures(sum: ProofSum, soft = false, line?: { place: number; index: number })}
	{#each [sum.in, sum.out, sum.kept, sum.stranded, sum.rounding, sum.difference] as value, column (column)}
		{@const side = column === 0 ? 'in' : column === 1 ? 'out' : undefined}
		<td class={['pl-4', value === 0 ? 'text-grey' : column === 3 || column === 5 ? 'text-warning' : soft ? 'text-soft' : '']}
			>{#if line && side && value !== 0}<button
					class="hover:underline"
					aria-expanded={isShown(line.place, line.index, side)}
					title="The cells behind it"
					onclick={() => (shown = isShown(line.place, line.index, side) ? null : { ...line, side })}>{amount(value)}</button
				>{:else}{amount(value)}{/if}</td
		>
	{/each}
{/snippet}

<table class="w-full max-w-5xl text-right text-[13.5px] tabular-nums" aria-label="Tie-out">
	<thead
		><tr class="text-grey border-rule border-b text-xs"
			><th class="py-1 text-left font-normal">Step</th><th class="text-left font-normal">Currency</th
			>{#each ['In', 'Out', 'Kept', 'Stranded', 'Rounding', 'Difference', 'Tied out'] as heading (heading)}<th class="pl-4 font-normal"
					>{heading}</th
				>{/each}</tr
		></thead
	>
	<tbody>
		{#each proofs as { step, of, rows, sums }, place (place)}
			{#each sums as sum (sum.currency)}
				<tr class="border-hairline border-b">
					<td class="py-1 text-left"
						><button
							class="text-left hover:underline"
							aria-expanded={opened[place] ?? false}
							onclick={() => (opened = { ...opened, [place]: !opened[place] })}><span class="text-grey">{place + 1}</span> {step}</button
						></td
					>
					<td class="text-grey text-left text-xs">{sum.currency ?? ''}</td>
					{@render figures(sum)}
					<td class="pl-4"
						><span class={['inline-block min-w-16 px-1', isTied(sum) ? 'border-base-content border-b-4 border-double' : 'text-warning']}
							>{isTied(sum) ? 'yes' : 'not yet'}</span
						></td
					>
				</tr>
				{#if opened[place]}
					{#each rows.filter(({ currency }) => currency === sum.currency) as row, index (index)}
						<tr class="text-[13px]">
							<td class="py-px pl-5 text-left" colspan="2"
								>{row.line || 'kept, of all lines'} <span class="text-grey">{row.scenario}, {row.period}</span>
								{#if said(row)}<span class="text-warning">{said(row)}</span>{/if}</td
							>
							{@render figures(sumsOf([row])[0]!, true, row.line ? { place, index } : undefined)}
							<td></td>
						</tr>
						{#if shown && row.line && isShown(place, index, shown.side)}
							<tr><td colspan="9"><ProvenCells {run} step={of} {row} side={shown.side} {locale} /></td></tr>
						{/if}
					{/each}
				{/if}
			{/each}
		{:else}<tr><td colspan="9" class="text-soft py-2 text-left">No step of this run shares anything out.</td></tr>{/each}
	</tbody>
</table>

{#if proofs.length > 1}
	<dl class="mt-3 flex flex-wrap gap-x-6 gap-y-1 text-[13.5px]" aria-label="The chain">
		{#each chainOf(proofs) as chain (chain.currency)}
			{#each [['First in', chain.firstIn], ['Final out', chain.finalOut], ['Passed through', chain.passedThrough], ['Kept', chain.kept], ['Stranded', chain.stranded]] as const as [words, value] (words)}
				<div class="flex gap-1.5">
					<dt class="text-soft">{words}</dt>
					<dd class={['font-semibold tabular-nums', words === 'Stranded' && value !== 0 && 'text-warning']}>{amount(value)}</dd>
				</div>
			{/each}
			<div class="text-grey">{chain.currency ?? ''}</div>
		{/each}
	</dl>
{/if}

{#if stranded.length > 0}
	<h2 class="mt-5 mb-1 font-semibold">Stranded</h2>
	<table class="w-full max-w-5xl text-[13.5px]" aria-label="Stranded">
		<thead
			><tr class="text-grey border-rule border-b text-left text-xs"
				><th class="py-1 font-normal">Step</th><th class="font-normal">Where</th><th class="font-normal">Period</th><th
					class="text-right font-normal">Amount</th
				><th class="pl-4 font-normal">Why</th></tr
			></thead
		>
		<tbody>
			{#each stranded as { step, line, where, period, amount: left, why }, index (index)}
				<tr class="border-hairline border-b"
					><td class="py-0.5">{step}{line ? `, ${line}` : ''}</td><td>{where}</td><td>{period}</td><td
						class="text-warning text-right tabular-nums">{amount(left)}</td
					><td class="text-soft pl-4">{why}</td></tr
				>
			{/each}
		</tbody>
	</table>
{/if}
