<script lang="ts">
	import { goto } from '$app/navigation';
	import { page } from '$app/state';
	import { at } from '$lib/ui/at';
	import { differing, differenceOf, factsAt, shareOf } from '$lib/ui/branch/comparison';
	import { formatFigure } from '$lib/ui/figures/format';
	import SelectorChip from '$lib/ui/pickers/SelectorChip.svelte';
	import { useShell } from '$lib/ui/shell/shell.svelte';

	type Side = NonNullable<typeof data.comparison>['sides'][number];
	let { data } = $props();
	const shell = useShell();
	$effect(() =>
		shell.at({ name: 'What-if', path: '/branches' }, { name: data.shown.name, path: `/branches/${data.shown.id}` }, { name: 'Compare' })
	);
	const locale = $derived(data.person.locale);
	const comparison = $derived(data.comparison);
	const onlyDiffering = $derived(!page.url.searchParams.has('all'));
	const as = $derived(page.url.searchParams.get('as') === 'share' ? 'share' : 'amount');
	const shown = $derived(comparison ? differing(comparison, onlyDiffering) : { rows: [], columns: [] });
	const branches = $derived(comparison?.sides.slice(1) ?? []);

	function show(name: string, value: string | null) {
		const next = new URLSearchParams(page.url.searchParams);
		if (value === null) next.delete(name);
		else next.set(name, value);
		void goto(`?${next}`, { keepFocus: true, noScroll: true });
	}
	/** What is shown, as a file is asked for. */
	const file = $derived.by(() => {
		const asked = new URLSearchParams(page.url.searchParams);
		asked.set('form', data.code ?? '');
		asked.delete('with');
		for (const id of [data.shown.id, ...data.beside]) asked.append('with', String(id));
		return asked;
	});
	function beside(id: string) {
		const next = new URLSearchParams(page.url.searchParams);
		if (id !== '') next.append('with', id);
		void goto(`?${next}`, { keepFocus: true });
	}
	function without(id: number) {
		const next = new URLSearchParams(page.url.searchParams);
		next.delete('with', String(id));
		void goto(`?${next}`, { keepFocus: true });
	}
	/** A figure of one side in its own words, or as a number. */
	function said(row: number, column: number, { values, words }: Side): string {
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
		<h1 class="text-xl font-semibold tracking-tight">The plan and {branches.map(({ name }) => `“${name}”`).join(', ')}</h1>
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
		<div class="mt-2 mb-2 flex flex-wrap items-center gap-4 text-[13px]">
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
			{#each data.beside as id (id)}<button class="text-primary font-semibold" onclick={() => without(id)}
					>Without {data.others.find((other) => other.id === id)?.name ?? 'it'}</button
				>{/each}
			{#if data.beside.length < 2 && data.others.some(({ id }) => !data.beside.includes(id))}
				<select
					class="select select-sm w-52"
					aria-label="Another branch beside it"
					value=""
					onchange={(event) => beside(event.currentTarget.value)}
					><option value="">Another branch beside it…</option
					>{#each data.others.filter(({ id }) => !data.beside.includes(id)) as { id, name } (id)}<option value={id}>{name}</option
						>{/each}</select
				>
			{/if}
			<a class="text-primary font-semibold" href={at(`/forms/${data.code}?${page.url.searchParams}`)}>Open the form</a>
			<a class="text-primary font-semibold" href={at(`/api/branches/comparison?${file}`)} download>Download as workbook</a>
		</div>
	</div>
	<!-- A table that is wider than the page is moved by the keyboard too. -->
	<!-- svelte-ignore a11y_no_noninteractive_tabindex -->
	<div class="overflow-auto pb-4" tabindex="0" role="region" aria-label="The figures side by side">
		{#if !comparison || shown.rows.length === 0}
			<p class="text-soft py-3">Nothing of this form differs for these choices.</p>
		{:else}
			<table class="text-[13px]" aria-label="The plan and its branches">
				<thead class="bg-base-100 sticky top-0">
					<tr>
						<th scope="col" class="border-rule border-b"><span class="sr-only">Row</span></th>
						{#each shown.columns as column (column)}<th
								scope="colgroup"
								colspan={1 + 2 * branches.length}
								class="border-rule border-b border-l px-2 py-1 text-center">{comparison.columns[column]!.label}</th
							>{/each}
					</tr>
					<tr class="text-grey text-xs">
						<td class="border-rule border-b"></td>
						{#each shown.columns as column (column)}
							<th scope="col" class="border-rule border-b border-l px-2 py-1 text-right font-normal">Plan</th>
							{#each branches as { name, branch } (branch)}
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
								style="padding-left: {comparison.rows[row]!.depth * 14}px">{comparison.rows[row]!.label}</th
							>
							{#each shown.columns as column (column)}
								{@const cell = row * comparison.columns.length + column}
								{@const base = comparison.sides[0]!.values[cell] ?? null}
								<td class="border-hairline text-soft border-l px-2 text-right tabular-nums">{said(row, column, comparison.sides[0]!)}</td>
								{#each branches as side (side.branch)}
									{@const difference = differenceOf(base, side.values[cell] ?? null)}
									<td class={['px-2 text-right tabular-nums', difference !== null && 'font-semibold']}>{said(row, column, side)}</td>
									<td class="text-accent px-2 text-right tabular-nums">{inWords(row, column, difference, base)}</td>
								{/each}
							{/each}
						</tr>
					{/each}
				</tbody>
			</table>
		{/if}
	</div>
</main>
