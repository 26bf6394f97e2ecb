<script lang="ts">
	import { rollup } from 'd3-array';
	import { invalidateAll } from '$app/navigation';
	import { page } from '$app/state';
	import { at } from '$lib/ui/at';
	import { CycleBoardState, FILTERS } from '$lib/ui/cycle/cycle-board.svelte';
	import Timeline from '$lib/ui/cycle/Timeline.svelte';
	import UnitPanel from '$lib/ui/cycle/UnitPanel.svelte';
	import UnitTable from '$lib/ui/cycle/UnitTable.svelte';
	import { formatDay } from '$lib/ui/figures/format';
	import Markdown from '$lib/ui/Markdown.svelte';
	import { untrack } from 'svelte';
	import { useShell } from '$lib/ui/shell/shell.svelte';

	let { data } = $props();
	const shell = useShell();
	$effect(() => shell.at({ name: 'Cycle', path: '/cycle?all' }, { name: data.board.round.name }));
	// svelte-ignore state_referenced_locally
	const board = new CycleBoardState(data.board, invalidateAll);
	$effect(() => {
		board.board = data.board;
	});
	$effect(() => {
		const asked = Number(page.url.searchParams.get('unit'));
		// What choosing reads and writes is no reason to choose again.
		untrack(() => {
			if (asked && board.board.units.some(({ id }) => id === asked)) void board.choose(asked);
		});
	});
	const round = $derived(data.board.round);
	const units = $derived(data.board.units);
	const parents = $derived(board.parents);
	const leaves = $derived(units.filter(({ id }) => !parents.has(id)));
	const count = (state: string) => units.filter((unit) => unit.state === state).length;
	const late = $derived(units.filter(({ isLate }) => isLate).length);
	const last = $derived(
		units
			.map(({ due }) => due)
			.filter((due) => due !== null)
			.sort()
			.at(-1)
	);
	const filled = $derived(leaves.reduce((sum, unit) => sum + unit.filled, 0));
	const expected = $derived(leaves.reduce((sum, unit) => sum + unit.expected, 0));
	const days = $derived(
		[
			...rollup(
				units.filter(({ due }) => due !== null),
				(of) => of.length,
				({ due }) => due!
			)
		].map(([on, of]) => ({ on, units: of }))
	);
	const daysLeft = $derived(
		last
			? Math.round((Date.parse(`${last}T00:00:00Z`) - Date.parse(`${new Date().toISOString().slice(0, 10)}T00:00:00Z`)) / 86_400_000)
			: null
	);
	const NAMES = { all: 'All', mine: 'Mine', late: 'Late', review: 'To review' };
	let ending = $state(false);
</script>

<main class="flex min-h-0 flex-col px-4.5 pt-3.5">
	<div class="flex flex-wrap items-start justify-between gap-3">
		<div>
			<h1 class="text-xl font-semibold tracking-tight">{round.name}</h1>
			<p class="text-soft text-[13px]">
				{round.scenario}, {round.from} to {round.to}{round.startedAt
					? ` · begun ${formatDay(round.startedAt.slice(0, 10), data.person.locale)}`
					: ''}{round.state === 'ended' ? ' · ended' : last ? ` · the last unit is due ${formatDay(last, data.person.locale)}` : ''} · {units.length}
				units, {count('approved')} approved, {count('submitted')} waiting for review{late > 0 ? `, ${late} late` : ''}
			</p>
		</div>
		<div class="flex gap-2">
			<a class="btn btn-sm" href={at('/cycle/messages')}>Messages</a>
			{#if data.board.leads}<button class="btn btn-sm" aria-expanded={ending} onclick={() => (ending = !ending)}>End the round</button>{/if}
			{#if board.toReview > 0}<button class="btn btn-primary btn-sm" onclick={() => (board.filter = 'review')}
					>Review {board.toReview}</button
				>{/if}
		</div>
	</div>
	{#if ending && data.board.leads}
		<div class="bg-base-200 border-hairline my-2 flex max-w-3xl flex-wrap items-center gap-2 rounded-md border px-3 py-2">
			<span class="grow">{units.length - count('approved')} of {units.length} units are not approved.</span>
			<button class="btn btn-primary btn-sm" onclick={() => board.end(true)}>End it and close all of them</button>
			<button class="btn btn-sm" onclick={() => board.end(false)}>End it and leave them open</button>
			<button class="btn btn-ghost btn-sm" onclick={() => (ending = false)}>Go on</button>
		</div>
	{/if}
	{#if round.instructions}<details class="mt-1">
			<summary class="text-soft cursor-pointer text-[13px]">Instructions</summary>
			<div class="max-w-3xl text-[13px]"><Markdown text={round.instructions} /></div>
		</details>{/if}
	<div class="my-2.5 flex flex-wrap items-center gap-3">
		<div class="border-rule flex overflow-hidden rounded-md border" role="group" aria-label="Which units">
			{#each FILTERS as filter (filter)}<button
					class={[
						'border-rule border-r px-3 py-1 last:border-r-0',
						board.filter === filter ? 'bg-base-200 text-primary font-semibold' : 'text-soft'
					]}
					aria-pressed={board.filter === filter}
					onclick={() => (board.filter = filter)}>{NAMES[filter]}</button
				>{/each}
		</div>
		{#if board.told}<p class={board.told.isFault ? 'text-error' : 'text-success'} role={board.told.isFault ? 'alert' : 'status'}>
				{board.told.words}
			</p>{/if}
	</div>
	{#if days.length > 0}<Timeline startedAt={round.startedAt} {days} locale={data.person.locale} />{/if}
	<div class="flex min-h-0 grow">
		<UnitTable {board} locale={data.person.locale} />
		<UnitPanel {board} people={data.people} locale={data.person.locale} />
	</div>
	<footer class="border-rule text-soft -mx-4.5 flex h-7 shrink-0 items-center gap-5 border-t px-4.5 text-[13px]">
		<span
			>Filled <b class="text-base-content font-semibold">{expected > 0 ? Math.round((filled / expected) * 100) : 0} %</b> of what is expected</span
		>
		{#if daysLeft !== null && daysLeft >= 0}<span>Days left <b class="text-base-content font-semibold">{daysLeft}</b></span>{/if}
		{#if board.chosen.size > 1}<span>{board.chosen.size} units chosen</span>{/if}
		<span class="ml-auto">A unit completes after those beneath it</span>
	</footer>
</main>
