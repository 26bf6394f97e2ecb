<script lang="ts">
	import { goto } from '$app/navigation';
	import { at } from '$lib/ui/at';
	import { sumsOf, type StepLog } from '$lib/core';
	import type { RunTotal } from '$lib/server/engine';
	import { formatCount, formatFigure, formatMoment } from '../figures/format';
	import type { Jobs } from '../shell/jobs.svelte';
	import AnswerFields from './AnswerFields.svelte';
	import RunDifferences from './RunDifferences.svelte';
	import type { Part, RunbookDesk } from './runbook-desk.svelte';

	interface Props {
		desk: RunbookDesk;
		jobs: Jobs;
		locale: string;
		mayRun: boolean;
	}
	let { desk, jobs, locale, mayRun }: Props = $props();

	const partKey = $derived(
		typeof desk.part === 'string' ? desk.part : desk.groups.includes(desk.part.group) ? `group ${desk.part.group}` : 'all'
	);
	const partOf = (key: string): Part => (key === 'step' ? 'step' : key.startsWith('group ') ? { group: key.slice(6) } : 'all');

	const amount = (value: number | null) => formatFigure(value, { valueType: 'price', decimals: 2, exactly: true }, locale);
	const whole = (value: number) => formatFigure(value, { valueType: 'money', decimals: 0, exactly: true }, locale);
	const cells = (count: number) => (count === 1 ? 'one cell' : `${formatCount(count, locale)} cells`);
	/** What is to be said of a step beside its counts; runs of before do not know all of it. */
	function saidOf(step: StepLog): string[] {
		const of = (count: number | undefined, words: string) => (count ? [`${formatCount(count, locale)} ${words}`] : []);
		return [
			...of(step.emptied, 'set to nothing, as the source has nothing there.'),
			...of(step.kept, 'kept as typed: the result stands beneath the entry.'),
			...of(step.beneath, 'stand beneath the result of a lower step.'),
			...of(step.replaced, step.written > 0 ? 'taken away that an earlier run wrote for members of both.' : 'taken away.'),
			...(step.notes ?? [])
		];
	}
	const STATES = { waiting: 'under way', done: 'done', failed: 'failed', 'taken back': 'taken back' } as const;
</script>

{#snippet log(steps: readonly StepLog[])}
	<table class="w-full text-[13px]">
		<thead
			><tr class="text-grey text-right text-xs"
				><th class="text-left font-normal">Step</th><th class="pl-2 font-normal">Written</th><th class="pl-2 font-normal">Left out</th><th
					class="pl-2 font-normal">ms</th
				></tr
			></thead
		>
		<tbody>
			{#each steps as step, index (index)}
				<tr class="border-hairline border-t text-right">
					<td class="max-w-32 truncate text-left" title={step.name}>{step.name}</td>
					<td>{formatCount(step.written, locale)}</td>
					<td>{step.skipped > 0 ? formatCount(step.skipped, locale) : ''}</td>
					<td class="text-grey">{formatCount(step.milliseconds, locale)}</td>
				</tr>
				{#each step.reasons as { reason, cells: count } (reason)}<tr
						><td colspan="4" class="text-warning pb-1 text-xs">{formatCount(count, locale)} × {reason}</td></tr
					>{/each}
				{#each step.proof ? sumsOf(step.proof.rows) : [] as sum (sum.currency)}<tr
						><td colspan="4" class="pb-1 text-xs"
							><strong class="font-semibold">{amount(sum.in)}</strong>
							{sum.currency ?? ''} in, {sum.out === sum.in ? 'out the same' : `${amount(sum.out)} out`}{#if sum.kept !== 0}, {amount(
									sum.kept
								)} kept{/if}{#if sum.stranded !== 0}, <span class="text-warning">{amount(sum.stranded)} stranded</span>{/if}</td
						></tr
					>{/each}
				{#each saidOf(step) as words (words)}<tr><td colspan="4" class="text-soft pb-1 text-xs">{words}</td></tr>{/each}
				{#if step.missingRates > 0}<tr
						><td colspan="4" class="text-warning pb-1 text-xs"
							>{formatCount(step.missingRates, locale)} amounts had no rate and were left out.</td
						></tr
					>{/if}
			{/each}
		</tbody>
	</table>
{/snippet}
{#snippet totals(list: readonly RunTotal[])}
	<table class="mt-2 w-full text-[13px]">
		<thead
			><tr class="text-grey text-right text-xs"
				><th class="text-left font-normal">Changed cells of</th><th class="font-normal">before</th><th class="font-normal">after</th><th
					class="pl-1 text-left font-normal"><span class="sr-only">Currency</span></th
				></tr
			></thead
		>
		<tbody>
			{#each list.slice(0, 12) as line (line.account)}
				<tr class="border-hairline border-t text-right"
					><td class="max-w-28 truncate text-left" title={line.account}>{line.account}</td>
					{#if line.after === null}<td colspan="2" class="text-soft">{cells(line.cells)}</td><td></td>{:else}<td class="pl-2"
							>{line.incomplete ? '≈ ' : ''}{whole(line.before ?? 0)}</td
						><td class="pl-2">{line.incomplete ? '≈ ' : ''}{whole(line.after)}</td><td class="text-grey pl-1 text-left text-xs"
							>{line.currency ?? ''}</td
						>{/if}</tr
				>
			{/each}
		</tbody>
	</table>
	{#if list.length > 12}<p class="text-grey text-xs">and {list.length - 12} more accounts</p>{/if}
{/snippet}

<section aria-label="Run">
	{#if desk.draft.parameters.length > 0}
		<h2 class="text-grey mb-1 text-[13px] font-semibold">For</h2>
		<AnswerFields
			parameters={desk.draft.parameters}
			vocabulary={desk.vocabulary}
			answers={desk.answers}
			onchange={(answers) => (desk.answers = answers)}
		/>
	{/if}
	<select
		class="select select-sm mb-1.5 w-full"
		aria-label="What is looked at and run"
		value={partKey}
		onchange={(event) => (desk.part = partOf(event.currentTarget.value))}
		><option value="all">All steps</option>{#each desk.groups as group (group)}<option value="group {group}">The steps of “{group}”</option
			>{/each}{#if desk.step}<option value="step">“{desk.step.name}” alone</option>{/if}</select
	>
	<div class="flex flex-wrap gap-1.5">
		<button class="btn btn-sm" disabled={desk.busy || desk.draft.steps.length === 0} onclick={() => desk.check()}>Check</button>
		<button class="btn btn-sm" disabled={desk.busy || desk.draft.steps.length === 0} onclick={() => desk.look()}>Preview</button>
		{#if mayRun}<button
				class="btn btn-primary btn-sm"
				disabled={desk.busy || desk.running !== null || desk.draft.steps.length === 0}
				onclick={() => desk.start(jobs)}>{desk.isChanged ? 'Save and run' : 'Run'}</button
			>{/if}
		{#if mayRun && desk.runs.length > 0}<button
				class="btn btn-ghost btn-sm"
				title="Shows what taking away its results would change; nothing is written yet"
				disabled={desk.busy || desk.running !== null}
				onclick={() => desk.look(true)}>Clear…</button
			>{/if}
		{#if desk.running !== null}<button class="btn btn-ghost btn-sm" onclick={() => jobs.cancel(desk.running!)}>Cancel the run</button>{/if}
	</div>
	<label class="text-soft mt-1.5 flex items-center gap-1.5 text-[13px]"
		><input type="checkbox" class="checkbox checkbox-xs" bind:checked={desk.onDraft} /> preview on what I have typed and not saved</label
	>

	{#if desk.checked}
		<div class="mt-3" role="status" aria-label="Found before the run">
			<p class="font-semibold">
				{desk.checked.length === 0
					? 'Nothing stands in the way.'
					: desk.checked.some(({ severity }) => severity === 'error')
						? 'To be mended before it runs'
						: 'Worth a look before it runs'}
			</p>
			<ul class="text-[13px]">
				{#each desk.checked as { step, severity, message }, index (index)}
					<li class={['border-hairline border-t py-0.5', severity === 'error' ? 'text-error' : 'text-warning']}>
						{#if step !== null}<button class="font-semibold underline" onclick={() => (desk.picked = step)}
								>{step + 1} {desk.draft.steps[step]?.name}</button
							>{/if}
						{message}
					</li>
				{/each}
			</ul>
		</div>
	{/if}
	{#if desk.preview}
		{@const { plan, of, clears } = desk.preview}
		<div class="mt-3" role="status">
			<p class="font-semibold">
				{clears ? `Clearing ${of.replace(/^(All|The)/, (word) => word.toLowerCase())}` : of === 'All steps' ? 'A run' : of} would change {cells(
					plan.cells
				)}.
			</p>
			<p class="text-grey mb-1.5 text-xs">Nothing is written.</p>
			{#if clears && plan.cells > 0 && mayRun}<button
					class="btn btn-primary btn-sm mb-1.5"
					disabled={desk.busy || desk.running !== null}
					onclick={() => desk.start(jobs, true)}>{desk.isChanged ? 'Save and clear' : 'Clear'}</button
				>{/if}
			{@render log(plan.log)}
			{#if plan.totals.length > 0}{@render totals(plan.totals)}{/if}
			{#if plan.samples.length > 0}
				<h3 class="text-grey mt-2 text-xs">Some of the cells</h3>
				<ul class="text-[13px]">
					{#each plan.samples.slice(0, 8) as { words, before, after }, index (index)}
						<li class="border-hairline border-t py-0.5">
							<span class="text-soft block truncate" title={words}>{words}</span>{amount(before) || 'empty'} →
							<strong class="font-semibold">{amount(after) || 'empty'}</strong>
						</li>
					{/each}
				</ul>
			{/if}
		</div>
	{:else if desk.run}
		{@const { run } = desk}
		<div class="mt-3">
			<div class="flex items-baseline gap-2">
				<h2 class="grow font-semibold">Run of {formatMoment(run.at, locale)}</h2>
				<button class="text-grey text-xs underline" onclick={() => (desk.run = null)}>Close</button>
			</div>
			<p class={run.state === 'failed' ? 'text-error' : 'text-soft'}>{run.words || STATES[run.state]}</p>
			<p class="text-grey text-xs">
				{run.person ?? 'By schedule'}{run.revision === null ? '' : ` · revision ${run.revision}`}{run.outOfDate
					? ' · out of date: something beneath it changed since'
					: ''}
			</p>
			{@render log(run.log)}
			{#if run.log.some(({ proof }) => proof)}<a
					class="text-primary mt-1 inline-block font-semibold underline"
					href={at(`/rules/${desk.id}/tie-out/${run.id}`)}>Tie-out</a
				>{/if}
			{#if run.totals.length > 0}{@render totals(run.totals)}{/if}
			{#if run.state === 'done' && run.revision !== null}
				{#if run.later.length > 0}
					<p class="text-warning mt-2 text-xs">
						{run.later.length === 1 ? 'One later run' : `${run.later.length} later runs`} may have read what it wrote and will count as out of
						date: {run.later.map(({ name }) => name).join(', ')}.
					</p>
				{/if}
				{#if mayRun}<button class="btn btn-sm mt-2" onclick={() => desk.takeBack()}>Take back this run</button>{/if}
			{/if}
			<label class="text-grey mt-2 flex flex-col text-xs"
				>Compare its rules with<select
					class="select select-sm text-base-content w-full"
					value=""
					onchange={(event) => {
						const { value } = event.currentTarget;
						if (value) void desk.compare(value === 'today' ? null : Number(value));
					}}
					><option value="">…</option><option value="today">those on this page</option
					>{#each desk.runs.filter(({ id }) => id !== run.id) as other (other.id)}<option value={String(other.id)}
							>the run of {formatMoment(other.at, locale)}</option
						>{/each}</select
				></label
			>
			{#if desk.differences}<RunDifferences differences={desk.differences} />{/if}
			{#if desk.mayWrite}<button
					class="btn btn-ghost btn-sm mt-2"
					onclick={async () => {
						const made = await desk.keep();
						if (made !== null) await goto(at(`/rules/${made}`));
					}}>Make a runbook of them</button
				><button class="btn btn-ghost btn-sm mt-2" onclick={() => desk.restore(run.definition as Parameters<typeof desk.restore>[0])}
					>Show the steps as they stood</button
				>{/if}
		</div>
	{/if}

	{#if desk.draft.steps.some(({ kind }) => kind === 'allocation') && desk.runs.some(({ state }) => state === 'done')}<a
			class="text-primary mt-3 inline-block font-semibold underline"
			href={at(`/rules/${desk.id}/flow`)}>Flow picture</a
		>{/if}
	<h2 class="text-grey mt-4 mb-1 text-[13px] font-semibold">Runs</h2>
	{#if desk.movedThrough}<p class="text-warning mb-1 text-[13px]">
			The latest run is out of date: “{desk.movedThrough}” has changed what it read since.
		</p>{/if}
	<ul>
		{#each desk.runs as run (run.id)}
			<li class="border-hairline border-t">
				<button class="hover:bg-base-200 w-full px-1 py-1 text-left text-[13px]" onclick={() => desk.open(run.id)}>
					<span class={['block', run.state === 'failed' && 'text-error', run.state === 'taken back' && 'text-grey line-through']}
						>{run.words || STATES[run.state]}</span
					>
					<span class="text-grey text-xs"
						>{formatMoment(run.at, locale)} · {run.person ?? 'By schedule'}{run.outOfDate ? ' · out of date' : ''}</span
					>
				</button>
			</li>
		{:else}<li class="text-soft text-[13px]">It has not run yet.</li>{/each}
	</ul>
</section>
