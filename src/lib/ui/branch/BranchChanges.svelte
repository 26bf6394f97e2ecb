<script lang="ts">
	import { goto } from '$app/navigation';
	import { page as here } from '$app/state';
	import type { BranchChangesPage } from '$lib/server/branch';
	import type { BranchPlace } from '$lib/server/engine';
	import { formatAmount, formatCount, formatMoment } from '../figures/format';
	import { keyOfPlace, placeOf } from './branch-place';

	interface Props {
		page: BranchChangesPage;
		filter: { find: string; account: number | null; person: number | null; movedOnly: boolean };
		from: number;
		mayPutBack: boolean;
		locale: string;
		/** Which changes are ticked, by their place. */
		chosen: ReadonlySet<string>;
		onputback: (places: BranchPlace[] | null, words: string) => void;
	}
	let { page, filter, from, mayPutBack, locale, chosen = $bindable(), onputback }: Props = $props();
	const narrowed = $derived(filter.find !== '' || filter.account !== null || filter.person !== null || filter.movedOnly);
	const ticked = $derived(page.lines.filter((line) => chosen.has(keyOfPlace(line))));
	/** Whole numbers where they are large: cents do not matter beside millions. */
	const written = (value: number) => (Math.abs(value) >= 1_000 ? formatCount(value, locale) : formatAmount(value, locale));
	const amount = (value: number | null) => (value === null ? 'nothing' : written(value));
	function tick(key: string) {
		const next = new Set(chosen);
		if (!next.delete(key)) next.add(key);
		chosen = next;
	}
	function show(changes: Record<string, string | null>) {
		const next = new URLSearchParams(here.url.searchParams);
		if (!('from' in changes)) next.delete('from');
		for (const [name, value] of Object.entries(changes))
			if (value === null || value === '') next.delete(name);
			else next.set(name, value);
		void goto(`?${next}`, { keepFocus: true, noScroll: true });
	}
	const counted = (count: number) => (count === 1 ? 'One change is' : `${formatCount(count, locale)} changes are`);
</script>

<div class="flex flex-wrap items-center gap-2 py-2 text-[13px]">
	<input
		class="input input-sm w-52"
		type="search"
		placeholder="Find by name"
		aria-label="Find among the changes"
		value={filter.find}
		onchange={(event) => show({ find: event.currentTarget.value })}
	/>
	{#if page.people.length > 1}
		<select
			class="select select-sm w-44"
			aria-label="Changed by"
			value={filter.person ?? ''}
			onchange={(event) => show({ by: event.currentTarget.value })}
			><option value="">by anybody</option>{#each page.people as { id, name } (id)}<option value={id}>{name}</option>{/each}</select
		>
	{/if}
	<label class="flex items-center gap-1"
		><input
			type="checkbox"
			class="checkbox checkbox-xs"
			checked={filter.movedOnly}
			onchange={(event) => show({ moved: event.currentTarget.checked ? '1' : null })}
		/>only where the plan has moved since</label
	>
	{#if narrowed}<a class="text-primary font-semibold" href="?">Show all</a>{/if}
	{#if mayPutBack && page.count > 0}
		<span class="ml-auto flex gap-2">
			{#if ticked.length > 0}<button
					class="btn btn-sm"
					onclick={() => onputback(ticked.map(placeOf), `${counted(ticked.length)} as in the plan again.`)}
					>Put back {ticked.length === 1 ? 'one' : formatCount(ticked.length, locale)}</button
				>
			{:else}<button class="btn btn-sm" onclick={() => onputback(null, `${counted(page.count)} as in the plan again.`)}
					>{narrowed ? `Put back these ${formatCount(page.count, locale)}` : 'Put all back'}</button
				>{/if}
		</span>
	{/if}
</div>
<table class="w-full text-[13px]" aria-label="Changes of the branch">
	<thead class="text-grey border-rule border-b text-left text-xs">
		<tr>
			<th scope="col" class="w-6"><span class="sr-only">Ticked</span></th>
			<th scope="col" class="py-1 font-normal">Figure</th>
			<th scope="col" class="px-2 text-right font-normal">Plan</th>
			<th scope="col" class="px-2 text-right font-normal">Branch</th>
			<th scope="col" class="px-2 text-right font-normal">Difference</th>
			<th scope="col" class="pl-4 font-normal">By</th>
		</tr>
	</thead>
	<tbody>
		{#each page.lines as line (keyOfPlace(line))}
			<tr class="border-hairline border-b align-baseline">
				<td
					><input
						type="checkbox"
						class="checkbox checkbox-xs"
						aria-label="Tick {line.words}"
						checked={chosen.has(keyOfPlace(line))}
						onchange={() => tick(keyOfPlace(line))}
					/></td
				>
				<th scope="row" class="py-1.5 pr-3 text-left font-normal"
					>{line.words}{#if line.currency}<span class="text-soft">, {line.currency}</span>{/if}{#if line.moved}<span
							class="text-warning block text-xs"
							>The plan has moved since: it showed {line.said ? line.said.seen || 'nothing' : amount(line.seen)} when this was changed.</span
						>{/if}</th
				>
				<td class="text-soft px-2 text-right tabular-nums">{line.said ? line.said.base : amount(line.base)}</td>
				<td class="px-2 text-right font-semibold tabular-nums">{line.said ? line.said.value || 'nothing' : amount(line.value)}</td>
				<td class="px-2 text-right tabular-nums"
					>{#if !line.said}{(line.value ?? 0) > (line.base ?? 0) ? '+' : ''}{written((line.value ?? 0) - (line.base ?? 0))}{/if}</td
				>
				<td class="text-soft pl-4"
					>{line.person ?? ''}{#if line.at}<span class="block text-xs">{formatMoment(line.at, locale)}, {line.through}</span>{/if}</td
				>
			</tr>
		{:else}
			<tr
				><td colspan="6" class="text-soft py-3"
					>{narrowed
						? 'No change is like this.'
						: 'Nothing differs from the plan yet. Open a form in the branch and type: the plan stays as it is.'}</td
				></tr
			>
		{/each}
	</tbody>
</table>
{#if page.count > from + page.lines.length || from > 0}
	<p class="flex gap-3 py-2 text-[13px]">
		<span class="text-soft"
			>{formatCount(from + 1, locale)} to {formatCount(from + page.lines.length, locale)} of {formatCount(page.count, locale)}</span
		>
		{#if from > 0}<button class="text-primary font-semibold" onclick={() => show({ from: String(Math.max(0, from - 200)) })}
				>Earlier ones</button
			>{/if}
		{#if page.count > from + page.lines.length}<button
				class="text-primary font-semibold"
				onclick={() => show({ from: String(from + page.lines.length) })}>Further ones</button
			>{/if}
	</p>
{/if}
