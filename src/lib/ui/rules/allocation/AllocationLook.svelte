<script lang="ts">
	// How the step would go, while it is being edited.
	import { page } from '$app/state';
	import { sumsOf, type Proof } from '$lib/core';
	import type { StepDraft } from '$lib/server/runbook';
	import { formatCount, formatFigure } from '../../figures/format';
	import type { RunbookDesk } from '../runbook-desk.svelte';

	let { desk, step }: { desk: RunbookDesk; step: StepDraft } = $props();

	const locale = $derived((page.data.person as { locale: string }).locale);
	const amount = (value: number) => formatFigure(value, { valueType: 'price', decimals: 2, exactly: true }, locale);
	const plain = (value: number) => formatFigure(value, { valueType: 'quantity', decimals: Number.isInteger(value) ? 0 : 2 }, locale);
	const percent = (share: number) => `${formatFigure(share * 100, { valueType: 'price', decimals: 2, exactly: true }, locale)} %`;

	let proof = $state.raw<Proof | null>(null);
	let why = $state<string | null>(null);
	let busy = $state(false);
	const PAUSE = 500;
	/** Whether one is under way, and whether something was changed since it began: there is never more than one at once. */
	let running = false;
	let isStale = false;
	async function look(): Promise<void> {
		if (running) {
			isStale = true;
			return;
		}
		running = true;
		const found = await desk.tryStep();
		running = false;
		if (isStale) {
			isStale = false;
			return look();
		}
		busy = false;
		proof = typeof found === 'string' ? null : (found.proof ?? null);
		why = typeof found === 'string' ? found : null;
	}
	const asking = $derived(JSON.stringify([step, desk.answers, desk.picked, desk.onDraft]));
	$effect(() => {
		void asking;
		busy = true;
		const timer = setTimeout(() => void look(), PAUSE);
		return () => clearTimeout(timer);
	});
	const sums = $derived(proof ? sumsOf(proof.rows) : []);
	const widthOf = (part: number, whole: number) => `${Math.max(0, Math.min(100, (Math.abs(part) / Math.abs(whole)) * 100))}%`;
</script>

<section class="border-rule bg-base-200 flex flex-col gap-2 rounded-md border px-3 py-2.5" aria-label="How it would go" aria-busy={busy}>
	<h2 class="text-grey text-[13px] font-semibold">How it would go{busy ? ' …' : ''}</h2>
	{#if why}<p class="text-error text-[13px]" role="status">{why}</p>
	{:else if proof && sums.length === 0}<p class="text-soft text-[13px]" role="status">The pool is empty: there is nothing to share out.</p>
	{:else if proof}
		{#each sums as sum (sum.currency)}
			<div role="status">
				<p class="text-[13px]">
					<strong class="font-semibold">{amount(sum.in)}</strong>
					{sum.currency ?? ''} in the pool, <strong class="font-semibold">{amount(sum.out)}</strong> to receivers{#if sum.kept !== 0}, <span
							class="text-warning">{amount(sum.kept)} kept</span
						>{/if}{#if sum.stranded !== 0}, <span class="text-warning">{amount(sum.stranded)} stranded</span>{/if}{sum.incomplete
						? ', without what has no rate'
						: ''}
				</p>
				<div class="bg-base-300 mt-1 flex h-2 w-full overflow-hidden rounded-sm" aria-hidden="true">
					<span class="bg-primary h-full" style:width={widthOf(sum.out, sum.in)}></span>
				</div>
			</div>
		{/each}
		{#each proof.stranded.slice(0, 5) as { line, where, period, amount: left, why: reason }, index (index)}
			<p class="border-warning text-warning border-l-2 pl-2 text-[13px]">
				{amount(left)} of {where || line} in {period} stranded. {reason}
			</p>
		{/each}
		{#if proof.stranded.length > 5}<p class="text-grey text-xs">and {formatCount(proof.stranded.length - 5, locale)} more</p>{/if}
		{#each proof.samples as sample (sample.line)}
			<table class="w-full text-[13px]">
				<caption class="text-soft pb-0.5 text-left text-xs"
					>{proof.samples.length > 1 ? `${sample.line}: ` : ''}{sample.where}, {sample.period}: {amount(sample.amount)}
					{sample.currency ?? ''}, the largest amount that is shared out</caption
				>
				<thead
					><tr class="text-grey text-right text-xs"
						><th class="text-left font-normal">Receiver</th><th class="font-normal">weighs</th><th class="font-normal">share</th><th
							class="font-normal">amount</th
						></tr
					></thead
				>
				<tbody>
					{#each sample.receivers.slice(0, 8) as receiver (receiver.name)}
						<tr class="border-hairline border-t text-right"
							><td class="max-w-44 truncate text-left" title={receiver.name}>{receiver.name}</td><td>{plain(receiver.driver)}</td><td
								class="text-soft">{percent(receiver.share)}</td
							><td>{amount(receiver.amount)}</td></tr
						>
					{/each}
				</tbody>
			</table>
			{#if sample.count > 8}<p class="text-grey text-xs">and {formatCount(sample.count - 8, locale)} more receivers</p>{/if}
		{/each}
	{/if}
</section>
