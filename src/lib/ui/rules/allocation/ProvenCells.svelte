<script lang="ts">
	import type { ProofRow } from '$lib/core';
	import type { ProvenCell } from '$lib/server/engine';
	import { at } from '../../at';
	import { formatFigure } from '../../figures/format';
	import { request } from '../../request';

	interface Props {
		run: number;
		step: number;
		row: ProofRow;
		side: 'in' | 'out';
		locale: string;
	}
	let { run, step, row, side, locale }: Props = $props();

	type Reply = { cells: ProvenCell[]; count: number };
	const asked = $derived(
		request<Reply>(`/api/runs/${run}/cells`, { step, line: row.line, period: row.period, scenario: row.scenario, side })
	);
	const amount = (value: number) => formatFigure(value, { valueType: 'price', decimals: 2, exactly: true }, locale);
	const traceOf = ({ figure }: ProvenCell) =>
		figure ? at(`/trace?members=${figure.members.join('.')}&period=${figure.period}&way=${side === 'in' ? 'back' : 'forward'}`) : undefined;
	const MOST = 40;
	/** Of pools that serve one another a part goes round: then the cells come to less than the figure. */
	const wentRound = ({ cells, count }: Reply) =>
		count === cells.length && Math.abs(cells.reduce((sum, cell) => sum + cell.amount, 0) - row[side]) > 0.01;
</script>

<div class="border-rule my-1 ml-5 border-l pl-3 text-left text-[13px]" role="status" aria-label="Cells behind it">
	{#await asked}<span class="text-grey">…</span>{:then reply}
		{#if reply.ok}
			<p class="text-grey text-xs">
				{side === 'in' ? 'Where it came from' : 'Where it went'}, {reply.answer.count === 1
					? 'one cell'
					: `${reply.answer.count} cells`}{reply.answer.count > MOST ? `; the ${MOST} largest` : ''}.{wentRound(reply.answer)
					? ' Where it began, and who got it in the end: what went round between the pools is left out.'
					: ''}
			</p>
			<ul>
				{#each reply.answer.cells.slice(0, MOST) as cell, index (index)}
					<li class="flex max-w-3xl gap-3 py-px">
						<span class="w-32 shrink-0 text-right tabular-nums"
							>{amount(cell.amount)} <span class="text-grey text-xs">{cell.currency}</span></span
						>
						{#if traceOf(cell)}<a class="text-primary min-w-0 hover:underline" href={traceOf(cell)}>{cell.where}</a>{:else}<span
								class="text-soft min-w-0">{cell.where}</span
							>{/if}
					</li>
				{/each}
			</ul>
		{:else}<p class="text-error">{reply.message}</p>{/if}
	{/await}
</div>
