<script lang="ts">
	import type { ChangeLine, LoadInBranch, MergeOutcome, RunInBranch } from '$lib/server/branch';
	import type { BranchChanges } from '$lib/server/engine';
	import { formatAmount, formatCount } from '../figures/format';
	import { request } from '../request';
	import { keyOfPlace, placeOf } from './branch-place';

	interface Props {
		branch: { id: number; name: string; rates: { ofName: string; byName: string } | null };
		runs: readonly RunInBranch[];
		loads: readonly LoadInBranch[];
		/** Of a branch with rates of its own: its totals, and what the plan makes of them. */
		atPlanRates: BranchChanges['atPlanRates'];
		/** The currency of those. */
		currency: string;
		/** Whether only some changes are shown. */
		isFiltered: boolean;
		filter: { find: string; account: number | null; person: number | null; movedOnly: boolean };
		/** What is ticked among the lines: only that is merged then. */
		chosen: ReadonlySet<string>;
		lines: readonly ChangeLine[];
		/** How many changes the filter leaves. */
		count: number;
		locale: string;
		ondone: (words: string) => void;
		oncancel: () => void;
	}
	let { branch, runs, loads, atPlanRates, currency, isFiltered, filter, chosen, lines, count, locale, ondone, oncancel }: Props = $props();
	const ticked = $derived(lines.filter((line) => chosen.has(keyOfPlace(line))));
	const isPart = $derived(ticked.length > 0 || isFiltered);
	/** What can be done again in the plan: all of it with a whole branch, with a part what is ticked. */
	const standingRuns = $derived(runs.filter(({ stands }) => stands).toReversed());
	const standingLoads = $derived(loads.filter(({ stands }) => stands).toReversed());
	let alsoRuns = $state<number[]>([]);
	let alsoLoads = $state<number[]>([]);
	const again = $derived(standingRuns.filter(({ id }) => !isPart || alsoRuns.includes(id)));
	const loadedAgain = $derived(standingLoads.filter(({ id }) => !isPart || alsoLoads.includes(id)));
	const stale = $derived(again.filter(({ outOfDate }) => outOfDate));
	let outcome = $state.raw<MergeOutcome | null>(null);
	let decides = $state<'branch' | 'plan' | null>(null);
	let fault = $state('');
	let busy = $state(false);
	const amount = (value: number | null) => (value === null ? 'nothing' : formatAmount(value, locale));
	const MOST_AT_RATES = 6;
	const total = (value: number | null) => (value === null ? 'nothing' : formatCount(Math.round(value), locale));
	const counted = (of: number) => (of === 1 ? 'one cell' : `${formatCount(of, locale)} cells`);

	async function merge(leavesRefused = false) {
		busy = true;
		const reply = await request<MergeOutcome>('/api/branches/merge', {
			id: branch.id,
			...filter,
			places: ticked.length > 0 ? ticked.map(placeOf) : null,
			decides,
			leavesRefused,
			...(isPart && { also: { runs: alsoRuns, loads: alsoLoads } })
		});
		busy = false;
		fault = reply.ok ? '' : reply.message;
		if (!reply.ok) return;
		outcome = reply.answer;
		if (outcome.kind === 'nothing') ondone('The plan shows all of this already. Nothing was written.');
		if (outcome.kind === 'merged') ondone(mergedInWords(outcome));
	}
	function mergedInWords({ cells, revision, left, runs }: Extract<MergeOutcome, { kind: 'merged' }>): string {
		const figures = revision === null ? [] : [`Merged ${counted(cells)} into the plan, as revision ${revision}.`];
		const stay = left > 0 ? [`${formatCount(left, locale)} stay in the branch.`] : [];
		const started = runs.filter((each) => 'run' in each).map(({ name }) => `“${name}”`);
		const run = started.length > 0 ? [`${started.join(', ')} ${started.length === 1 ? 'is' : 'are'} being loaded or run in the plan.`] : [];
		const faults = runs.flatMap((each) => ('fault' in each ? [`“${each.name}” is not done: ${each.fault}`] : []));
		return [...figures, ...stay, ...run, ...faults].join(' ');
	}
</script>

<section class="border-rule mt-2 max-w-3xl border-t pt-2 text-[13.5px]" aria-labelledby="merge">
	<h2 id="merge" class="font-semibold">Merge into the plan</h2>
	<p class="text-soft">
		{#if count === 0}{isFiltered
				? 'No change is like what is looked for: nothing typed is merged.'
				: 'Nothing was typed in it that differs from the plan.'}{:else}{ticked.length > 0
				? `The ${ticked.length === 1 ? 'change that is' : `${formatCount(ticked.length, locale)} changes that are`} ticked`
				: count === 1
					? 'The one change that is shown'
					: `All ${formatCount(count, locale)} changes that are shown`} become entries of the plan, in one save that can be taken back. Locks
			and grants are respected.{/if}
	</p>
	{#if branch.rates}<p class="text-warning mt-1">
			The plan goes on at {branch.rates.ofName}: amounts are merged in their own currencies, and what is translated will differ from what
			the branch shows at {branch.rates.byName}.
		</p>
		{#if atPlanRates.length > 0}
			<table class="mt-1 w-full max-w-xl text-[13px]" aria-label="Totals here, and in the plan">
				<thead class="text-grey text-left text-xs"
					><tr
						><th class="font-normal">Total, in {currency}</th><th class="text-right font-normal">Here</th><th class="text-right font-normal"
							>In the plan</th
						></tr
					></thead
				>
				<tbody>
					{#each atPlanRates.slice(0, MOST_AT_RATES) as { account, scenario, period, before, after } (`${account} ${scenario} ${period}`)}
						<tr class="border-hairline border-b"
							><th scope="row" class="py-1 text-left font-normal">{account}<span class="text-soft text-xs"> {scenario}, {period}</span></th
							><td class="text-soft text-right tabular-nums">{total(before)}</td><td class="text-right font-semibold tabular-nums"
								>{total(after)}</td
							></tr
						>
					{/each}
				</tbody>
			</table>
			{#if again.length > 0}<p class="text-soft text-xs">What runs and loads make of the plan’s rates is not in it yet.</p>{/if}
		{/if}{/if}
	{#if isPart && standingLoads.length + standingRuns.length > 0}
		<fieldset class="mt-1">
			<legend class="text-soft">With this part, done in the plan too:</legend>
			{#each standingLoads as { id, name } (id)}<label class="mr-4 inline-flex items-center gap-1.5"
					><input type="checkbox" class="checkbox checkbox-xs" value={id} bind:group={alsoLoads} />load {name}</label
				>{/each}
			{#each standingRuns as { id, name } (id)}<label class="mr-4 inline-flex items-center gap-1.5"
					><input type="checkbox" class="checkbox checkbox-xs" value={id} bind:group={alsoRuns} />run {name}</label
				>{/each}
		</fieldset>
	{/if}
	{#if loadedAgain.length > 0}
		<p class="text-soft mt-1">
			{loadedAgain.map(({ name }) => `“${name}”`).join(', ')}
			{loadedAgain.length === 1 ? 'is' : 'are'} loaded into the plan from the same {loadedAgain.length === 1 ? 'file' : 'files'}, by the
			maps as they are now.
		</p>
	{/if}
	{#if again.length > 0}
		<p class="text-soft mt-1">
			Then {again.map(({ name }) => `“${name}”`).join(', ')}
			{again.length === 1 ? 'is' : 'are'} run in the plan, in the order {again.length === 1 ? 'it' : 'they'} ran here.
		</p>
		{#if stale.length > 0}<p class="text-warning mt-1">
				{stale.map(({ name }) => `“${name}”`).join(', ')}
				{stale.length === 1 ? 'is' : 'are'} out of date here: run in the plan, the figures will be others than the branch shows. Run it again
				here first to see them.
			</p>{/if}
	{/if}
	{#if fault}<p class="text-error mt-1" role="alert">{fault}</p>{/if}
	{#if outcome?.kind === 'moved'}
		<div class="mt-2" role="alert">
			<p class="text-warning">
				{outcome.count === 1 ? 'In one cell the plan has' : `In ${formatCount(outcome.count, locale)} cells the plan has`} moved since it was
				changed in the branch. Whose figure counts there?
			</p>
			<table class="mt-1 w-full text-[13px]">
				<thead class="text-grey text-left text-xs"
					><tr
						><th class="font-normal">Figure</th><th class="text-right font-normal">When it was changed</th><th
							class="text-right font-normal">Plan now</th
						><th class="text-right font-normal">Branch</th></tr
					></thead
				>
				<tbody>
					{#each outcome.moved.slice(0, 40) as line (keyOfPlace(line))}
						<tr class="border-hairline border-b"
							><th scope="row" class="py-1 text-left font-normal">{line.words}</th><td class="text-soft text-right tabular-nums"
								>{line.said ? line.said.seen || 'nothing' : amount(line.seen)}</td
							><td class="text-right tabular-nums">{line.said ? line.said.base || 'nothing' : amount(line.base)}</td><td
								class="text-right font-semibold tabular-nums">{line.said ? line.said.value || 'nothing' : amount(line.value)}</td
							></tr
						>
					{/each}
				</tbody>
			</table>
			<div class="mt-2 flex gap-4">
				<label class="flex gap-1.5"
					><input type="radio" class="radio radio-xs" name="decides" value="branch" bind:group={decides} />the branch’s</label
				>
				<label class="flex gap-1.5"
					><input type="radio" class="radio radio-xs" name="decides" value="plan" bind:group={decides} />the plan’s; the branch keeps its
					own</label
				>
			</div>
		</div>
	{:else if outcome?.kind === 'refused'}
		<div class="mt-2" role="alert">
			<p class="text-error">
				Nothing was merged: {outcome.count === 1 ? 'one cell is' : `${formatCount(outcome.count, locale)} cells are`} not yours to write, or closed.
			</p>
			<ul class="text-[13px]">
				{#each outcome.refused.slice(0, 20) as { words, reason } (words)}<li class="border-hairline border-b py-1">
						{words}<span class="text-soft block text-xs">{reason}</span>
					</li>{/each}
			</ul>
			<button class="btn btn-sm mt-2" disabled={busy} onclick={() => merge(true)}>Merge the others, leave these in the branch</button>
		</div>
	{/if}
	<div class="mt-3 flex gap-2">
		<button class="btn btn-primary btn-sm" disabled={busy || (outcome?.kind === 'moved' && decides === null)} onclick={() => merge()}
			>{outcome ? 'Merge again' : 'Merge'}</button
		>
		<button class="btn btn-sm" onclick={oncancel}>Leave the plan as it is</button>
	</div>
</section>
