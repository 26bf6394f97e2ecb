<script lang="ts">
	import { goto } from '$app/navigation';
	import { page } from '$app/state';
	import { at, atBranch } from '$lib/ui/at';
	import { differing, differenceOf, factsAt, shareOf } from '$lib/ui/branch/comparison';
	import ContributionsPanel from '$lib/ui/branch/ContributionsPanel.svelte';
	import Chart from '$lib/ui/figures/Chart.svelte';
	import { formatFigure } from '$lib/ui/figures/format';
	import SelectorChip from '$lib/ui/pickers/SelectorChip.svelte';
	import { useShell } from '$lib/ui/shell/shell.svelte';
	import type { ComparedSide } from '$lib/server/branch';

	let { data } = $props();
	const shell = useShell();
	$effect(() => shell.at({ name: 'What-if', path: '/branches' }, { name: 'Compare' }));
	const locale = $derived(data.person.locale);
	const comparison = $derived(data.comparison);
	const others = $derived(comparison?.sides.slice(1) ?? []);
	const first = $derived(comparison?.sides[0]);
	const onlyDiffering = $derived(others.length > 0 && !page.url.searchParams.has('all'));
	const as = $derived(page.url.searchParams.get('as') === 'share' ? 'share' : 'amount');
	const shown = $derived(comparison ? differing(comparison, onlyDiffering) : { rows: [], columns: [] });
	/** The row that is drawn. */
	const drawn = $derived.by(() => {
		const row = Number(page.url.searchParams.get('row') ?? Number.NaN);
		return comparison?.rows[row] ? row : null;
	});
	/** Months side by side; totals would dwarf them. */
	const drawnColumns = $derived.by(() => {
		const all = [...(comparison?.columns.keys() ?? [])];
		const leaves = all.filter((column) => !comparison!.columns[column]!.isTotal);
		return leaves.length > 0 ? leaves : all;
	});
	/** Other scenarios the form lets one choose. */
	const scenarios = $derived(
		(comparison?.selectors ?? [])
			.filter(({ dimension }) => dimension === comparison?.scenarios)
			.flatMap(({ choices, chosen }) => choices.filter(({ member, parent }) => member !== chosen && !parent))
			.map(({ member, name }) => ({ key: `m${member}`, name }))
	);
	const nameOf = (key: string): string =>
		key === 'plan'
			? 'Plan'
			: ([...data.branches, ...data.snapshots, ...scenarios].find((each) => each.key === key)?.name ??
				comparison?.sides.find((each) => each.key === key)?.name ??
				'it');

	/** A difference that is taken apart: the cell, and the side it is of. */
	let apart = $state.raw<{ row: number; column: number; key: string } | null>(null);
	const askedApart = $derived(
		apart && comparison && first && data.code && data.sides.includes(apart.key)
			? {
					...{ form: data.code, from: first.key, to: apart.key, row: apart.row, column: apart.column },
					choices: {
						members: Object.fromEntries(comparison.selectors.map(({ dimension, chosen }) => [dimension, chosen])),
						currency: comparison.currency
					}
				}
			: null
	);

	function show(name: string, value: string | null) {
		const next = new URLSearchParams(page.url.searchParams);
		if (value === null) next.delete(name);
		else next.set(name, value);
		void goto(`?${next}`, { keepFocus: true, noScroll: true });
	}
	function put(sides: readonly string[]) {
		const next = new URLSearchParams(page.url.searchParams);
		next.delete('side');
		for (const key of sides) next.append('side', key);
		void goto(`?${next}`, { keepFocus: true, noScroll: true });
	}
	/** What is shown, as a file is asked for. */
	const file = $derived.by(() => {
		const asked = new URLSearchParams(page.url.searchParams);
		asked.set('form', data.code ?? '');
		asked.delete('side');
		for (const key of data.sides) asked.append('side', key);
		return asked;
	});
	const offered = $derived(
		[
			{ words: 'Plan', list: [{ key: 'plan', name: 'The plan as it is' }] },
			{ words: 'Branches', list: data.branches },
			{ words: 'Snapshots', list: data.snapshots },
			{ words: 'The plan in another scenario', list: scenarios }
		]
			.map(({ words, list }) => ({ words, list: list.filter(({ key }) => !data.sides.includes(key)) }))
			.filter(({ list }) => list.length > 0)
	);
	/** The form of the first side, where it can be opened to be worked in. */
	const formOf = $derived.by(() => {
		const query = new URLSearchParams(page.url.searchParams);
		for (const name of ['form', 'side', 'all', 'as', 'row']) query.delete(name);
		const key = data.sides.find((each) => each.startsWith('b')) ?? 'plan';
		return atBranch(key === 'plan' ? null : Number(key.slice(1)), `/forms/${data.code}?${query}`);
	});
	/** A figure of one side in its own words, or as a number. */
	function said(row: number, column: number, { values, words }: ComparedSide): string {
		const cell = row * comparison!.columns.length + column;
		const value = values[cell] ?? null;
		return value === null ? '' : (words[cell] ?? amount(row, column, value));
	}
	function amount(row: number, column: number, value: number): string {
		const { valueType, shownDecimals } = factsAt(comparison!, row, column);
		const isPercent = valueType === 'percent';
		return formatFigure(
			value,
			{ valueType: isPercent ? 'percent' : 'price', decimals: isPercent ? 1 : Math.min(2, shownDecimals) },
			locale
		);
	}
	function inWords(row: number, column: number, difference: number | null, base: number | null): string {
		if (difference === null || factsAt(comparison!, row, column).inWords) return '';
		if (as === 'amount') return `${difference > 0 ? '+' : ''}${amount(row, column, difference)}`;
		const share = shareOf(difference, base);
		return share === null ? '' : `${share > 0 ? '+' : ''}${(share * 100).toLocaleString(locale, { maximumFractionDigits: 1 })} %`;
	}
</script>

<main class="grid min-h-0 grid-rows-[auto_minmax(0,1fr)] px-4.5 pt-3.5">
	<div>
		<h1 class="text-xl font-semibold tracking-tight">
			{data.sides.length > 1 ? `${data.sides.map(nameOf).join(', ')}, side by side` : nameOf(data.sides[0]!)}
		</h1>
		<div class="mt-2 flex flex-wrap items-center gap-2 text-[13px]">
			<select
				class="select select-sm w-56"
				aria-label="Form"
				value={data.code}
				onchange={(event) => show('form', event.currentTarget.value)}
				>{#each data.forms as { code, name } (code)}<option value={code}>{name}</option>{/each}</select
			>
			{#each comparison?.selectors ?? [] as selector (selector.dimension)}
				<SelectorChip
					name={selector.name}
					chosen={String(selector.chosen)}
					choices={selector.choices.map((choice) => ({ ...choice, value: String(choice.member) }))}
					asks={selector.asks}
					onchoose={(value) => show(`d${selector.dimension}`, value)}
				/>
			{/each}
			{#if comparison}<SelectorChip
					name="In"
					chosen={comparison.currency}
					choices={comparison.currencies.map((code) => ({
						value: code,
						name: code === 'local' ? 'local currency' : code,
						depth: 0,
						parent: false
					}))}
					asks={false}
					onchoose={(value) => show('in', value)}
				/>{/if}
		</div>
		<div class="mt-2 mb-2 flex flex-wrap items-center gap-x-4 gap-y-1.5 text-[13px]">
			{#each data.sides as key, place (key)}
				<span class="border-rule flex items-center gap-1.5 rounded-full border py-0.5 pr-1 pl-2.5"
					>{nameOf(key)}{#if place > 0}<button
							class="text-grey hover:text-base-content px-1"
							title="Hold the others against this one"
							onclick={() => put([key, ...data.sides.filter((each) => each !== key)])}
							>first<span class="sr-only">: hold the others against {nameOf(key)}</span></button
						>{/if}{#if data.sides.length > 1}<button
							class="text-grey hover:text-base-content px-1"
							aria-label="Without {nameOf(key)}"
							onclick={() => put(data.sides.filter((each) => each !== key))}>×</button
						>{/if}</span
				>
			{/each}
			{#if data.sides.length < 4 && offered.length > 0}
				<select
					class="select select-sm w-52"
					aria-label="Put something beside it"
					value=""
					onchange={(event) => event.currentTarget.value !== '' && put([...data.sides, event.currentTarget.value])}
				>
					<option value="">Put beside it…</option>
					{#each offered as { words, list } (words)}<optgroup label={words}
							>{#each list as { key, name } (key)}<option value={key}>{name}</option>{/each}</optgroup
						>{/each}
				</select>
			{/if}
			{#if others.length > 0}
				<label class="flex items-center gap-1"
					><input
						type="checkbox"
						class="checkbox checkbox-xs"
						checked={onlyDiffering}
						onchange={(event) => show('all', event.currentTarget.checked ? null : '1')}
					/>only what differs</label
				>
				<label class="flex items-center gap-1"
					><input
						type="checkbox"
						class="checkbox checkbox-xs"
						checked={as === 'share'}
						onchange={(event) => show('as', event.currentTarget.checked ? 'share' : null)}
					/>differences in %</label
				>
			{/if}
			<a class="text-primary font-semibold" href={formOf}>Open the form</a>
			{#if comparison}<a class="text-primary font-semibold" href={at(`/api/branches/comparison?${file}`)} download>Download as workbook</a
				>{/if}
		</div>
		{#each comparison?.sides.filter(({ beyond }) => beyond > 0) ?? [] as { key, name, beyond } (key)}
			<p class="text-warning text-[13px]">
				{beyond === 1 ? 'One line' : `${beyond} lines`} of {name}
				{beyond === 1 ? 'is' : 'are'} not among those of {first?.name}, and not shown.
			</p>
		{/each}
		{#if data.fault}<p class="text-error text-[13.5px]" role="alert">{data.fault}</p>{/if}
		{#if comparison && apart && askedApart}
			{@const { row, column, key } = apart}
			<ContributionsPanel
				asked={askedApart}
				title={`${comparison.rows[row]!.label}, ${comparison.columns[column]!.label}, ${nameOf(key)}`}
				amount={(value) => amount(row, column, value)}
				onclose={() => (apart = null)}
			/>
		{/if}
		{#if comparison && drawn !== null}
			<section class="border-rule mb-2 max-w-3xl border-t pt-1" aria-labelledby="drawn">
				<div class="flex items-baseline gap-3">
					<h2 id="drawn" class="font-semibold">{comparison.rows[drawn]!.label}</h2>
					<button class="text-primary text-[13px] font-semibold" onclick={() => show('row', null)}>Close the chart</button>
				</div>
				<Chart
					kind="line"
					height={220}
					series={comparison.sides.map(({ name, values }) => ({
						name,
						data: drawnColumns.map((column) => values[drawn * comparison.columns.length + column] ?? null)
					}))}
					columns={drawnColumns.map((column) => comparison.columns[column]!.label)}
					shown={(value) => amount(drawn, drawnColumns[0]!, value)}
				/>
			</section>
		{/if}
	</div>
	<!-- A table that is wider than the page is moved by the keyboard too. -->
	<!-- svelte-ignore a11y_no_noninteractive_tabindex -->
	<div class="overflow-auto pb-4" tabindex="0" role="region" aria-label="The figures side by side">
		{#if !comparison}
			{#if !data.fault}<p class="text-soft py-3">There is no form to look at yet.</p>{/if}
		{:else if shown.rows.length === 0}
			<p class="text-soft py-3">Nothing of this form differs for these choices.</p>
		{:else}
			<table class="text-[13px]" aria-label="Side by side">
				<thead class="bg-base-100 sticky top-0">
					<tr>
						<th scope="col" class="border-rule border-b"><span class="sr-only">Row</span></th>
						{#each shown.columns as column (column)}<th
								scope="colgroup"
								colspan={1 + 2 * others.length}
								class="border-rule border-b border-l px-2 py-1 text-center">{comparison.columns[column]!.label}</th
							>{/each}
					</tr>
					<tr class="text-grey text-xs">
						<td class="border-rule border-b"></td>
						{#each shown.columns as column (column)}
							<th scope="col" class="border-rule border-b border-l px-2 py-1 text-right font-normal">{first?.name}</th>
							{#each others as { name, key } (key)}
								<th scope="col" class="border-rule border-b px-2 text-right font-normal">{name}</th>
								<th scope="col" class="border-rule border-b px-2 text-right font-normal">{as === 'share' ? 'in %' : 'difference'}</th>
							{/each}
						{/each}
					</tr>
				</thead>
				<tbody>
					{#each shown.rows as row (row)}
						<tr class="border-hairline border-b">
							<th
								scope="row"
								class="bg-base-100 sticky left-0 py-1 pr-4 text-left font-normal whitespace-nowrap"
								style="padding-left: {comparison.rows[row]!.depth * 14}px"
								><button
									class="hover:underline"
									title="Draw this row"
									aria-pressed={drawn === row}
									onclick={() => show('row', drawn === row ? null : String(row))}>{comparison.rows[row]!.label}</button
								></th
							>
							{#each shown.columns as column (column)}
								{@const cell = row * comparison.columns.length + column}
								{@const base = comparison.sides[0]!.values[cell] ?? null}
								<td class="border-hairline text-soft border-l px-2 text-right tabular-nums">{said(row, column, comparison.sides[0]!)}</td>
								{#each others as side (side.key)}
									{@const difference = differenceOf(base, side.values[cell] ?? null)}
									<td class={['px-2 text-right tabular-nums', difference !== null && 'font-semibold']}>{said(row, column, side)}</td>
									<td class="text-accent px-2 text-right tabular-nums"
										>{#if difference !== null && !factsAt(comparison, row, column).inWords}<button
												class="hover:underline"
												title="What makes this difference"
												onclick={() => (apart = { row, column, key: side.key })}>{inWords(row, column, difference, base)}</button
											>{:else}{inWords(row, column, difference, base)}{/if}</td
									>
								{/each}
							{/each}
						</tr>
					{/each}
				</tbody>
			</table>
		{/if}
	</div>
</main>
