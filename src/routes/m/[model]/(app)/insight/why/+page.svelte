<script lang="ts">
	import { goto } from '$app/navigation';
	import { page } from '$app/state';
	import { at } from '$lib/ui/at';
	import { formatFigure } from '$lib/ui/figures/format';
	import { waterfall } from '$lib/ui/insight/tile-data';
	import Waterfall from '$lib/ui/insight/Waterfall.svelte';
	import SelectorChip from '$lib/ui/pickers/SelectorChip.svelte';
	import { useShell } from '$lib/ui/shell/shell.svelte';

	let { data } = $props();
	const shell = useShell();
	shell.at({ name: 'Insight', path: '/insight' }, { name: 'Why different' });

	const names = $derived(data.page.names);
	const axes = $derived(data.page.axes);
	const nameAt = (index: number) => names[data.page.place[index]!] ?? '…';
	const account = $derived(axes.findIndex(({ kind }) => kind === 'account'));
	const scenario = $derived(axes.findIndex(({ kind }) => kind === 'scenario'));
	const against = $derived(data.page.againstChoices.find(({ key }) => key === data.asked.against)?.name ?? '');
	const path = $derived(
		Object.entries(data.asked.at).map(([dimension, member]) => ({ dimension: Number(dimension), member, name: names[member] ?? '…' }))
	);
	const amount = (value: number | null) =>
		value === null ? 'nothing' : formatFigure(value, { valueType: 'price', decimals: Math.abs(value) < 100 ? 2 : 0 }, data.person.locale);
	const exact = (value: number) => `${value > 0 ? '+' : ''}${formatFigure(value, { valueType: 'price', decimals: 2 }, data.person.locale)}`;
	const steps = $derived(
		data.found
			? waterfall({ ...data.found, lines: data.found.lines.slice(0, 9), more: restOf(data.found) }, { chosen: nameAt(scenario), against })
			: undefined
	);
	const largest = $derived(Math.max(0, ...(data.found?.lines ?? []).map(({ part }) => Math.abs(part))));

	function restOf({ lines, more }: { lines: { part: number }[]; more: { count: number; part: number } }) {
		const rest = lines.slice(9);
		return { count: rest.length + more.count, part: rest.reduce((sum, { part }) => sum + part, more.part) };
	}
	function go(change: (parameters: URLSearchParams) => void) {
		const url = new URL(page.url);
		change(url.searchParams);
		void goto(url, { keepFocus: true, noScroll: true });
	}
	function closer(member: number) {
		const dimension = data.found?.dimension;
		if (dimension === null || dimension === undefined) return;
		go((parameters) => {
			parameters.set(`c${dimension}`, String(member));
			parameters.delete('by');
		});
	}
	function back(from: number) {
		go((parameters) => {
			for (const { dimension } of path.slice(from)) parameters.delete(`c${dimension}`);
			parameters.delete('by');
		});
	}
	const explored = $derived(data.page.place.map((member, index) => data.asked.at[axes[index]!.id] ?? member).join('.'));
</script>

<main class="min-w-0 overflow-y-auto px-4.5 pt-3 pb-6">
	<div class="flex flex-wrap items-center gap-2">
		<h1 class="min-w-0 grow text-xl font-semibold tracking-tight">Why {nameAt(account)} differs</h1>
		<a class="btn btn-sm" href={at(`/insight/explore?place=${explored}&in=${data.asked.currency}`)}>Explore the figure</a>
	</div>
	<p class="text-soft mt-0.5 text-[13px]">
		{axes
			.map((axis, index) => ({ axis, name: nameAt(index) }))
			.filter(({ axis }) => axis.kind !== 'account')
			.map(({ name }) => name)
			.join(' · ')}
	</p>
	<div class="mt-2 flex flex-wrap items-center gap-1.5" role="group" aria-label="What is compared">
		<SelectorChip
			name="Against"
			chosen={data.asked.against}
			choices={data.page.againstChoices.map(({ key, name }) => ({ value: key, name, depth: 0, parent: false }))}
			onchoose={(value) => go((parameters) => parameters.set('vs', value))}
		/>
		<SelectorChip
			name="In"
			chosen={data.asked.currency}
			choices={data.page.currencies.map((code) => ({
				value: code,
				name: code === 'local' ? 'local currency' : code,
				depth: 0,
				parent: false
			}))}
			onchoose={(value) => go((parameters) => parameters.set('in', value))}
		/>
		{#if data.found?.hasDraft}<span class="text-grey text-[13px]">What you have not saved is in it.</span>{/if}
	</div>
	{#if data.fault}<p class="text-error mt-3" role="alert">{data.fault}</p>{/if}
	{#if data.found}
		{@const found = data.found}
		{@const whole = (found.after ?? 0) - (found.before ?? 0)}
		<p class="mt-3 text-[15px]">
			{#if path.length > 0}<button class="text-primary font-semibold" onclick={() => back(0)}>All of it</button
				>{#each path as { name }, place (place)}
					<span class="text-grey">›</span>
					{#if place < path.length - 1}<button class="text-primary font-semibold" onclick={() => back(place + 1)}>{name}</button
						>{:else}{name}{/if}{/each}:
			{/if}{against}
			{amount(found.before)}, {nameAt(scenario)}
			{amount(found.after)}: <b class="font-semibold">{exact(whole)}</b>{#if found.before}<span class="text-grey ml-1"
					>({formatFigure(whole / Math.abs(found.before), { valueType: 'percent', decimals: 1 }, data.person.locale)})</span
				>{/if}
		</p>
		{#if found.cut.before || found.cut.after}<p class="text-warning text-[13px]">
				{[
					found.cut.after ? `${nameAt(scenario)} speaks about this period ${found.cut.after} only` : '',
					found.cut.before ? `${against} ${found.cut.before} only` : ''
				]
					.filter(Boolean)
					.join('; ')}.
			</p>{/if}
		{#if found.restricted}<p class="text-grey text-[13px]">Totals are of what you may read in this model, not of all of it.</p>{/if}
		{#if found.dimensions.length > 0}
			<div class="mt-2 flex flex-wrap items-center gap-2 text-[13px]">
				<span class="text-grey text-xs font-semibold">Taken apart by</span>
				<div class="join" role="group" aria-label="Taken apart by">
					{#each found.dimensions as { id, name } (id)}<button
							class={['btn btn-xs join-item', found.dimension === id && 'btn-primary']}
							aria-pressed={found.dimension === id}
							onclick={() => go((parameters) => parameters.set('by', String(id)))}>{name}</button
						>{/each}
				</div>
				{#if data.page.quantities.length > 0 && found.dimension !== null && found.dimension !== axes[account]?.id}
					<label class="flex items-center gap-1.5"
						>Volume, mix and price by<select
							class="select select-xs w-44"
							aria-label="Volume, mix and price by"
							value={String(data.asked.quantity ?? '')}
							onchange={(event) => {
								const { value } = event.currentTarget;
								go((parameters) => {
									if (value === '') parameters.delete('q');
									else parameters.set('q', value);
									parameters.set('by', String(found.dimension));
								});
							}}
							><option value="">no quantity</option>{#each data.page.quantities as { id, name } (id)}<option value={String(id)}
									>{name}</option
								>{/each}</select
						></label
					>
				{/if}
			</div>
		{/if}
		{#if found.priceVolumeMix}
			{@const parts = found.priceVolumeMix}
			<dl class="mt-2 flex flex-wrap gap-6 text-[13.5px]">
				{#each [['Volume', parts.volume], ['Mix', parts.mix], ['Price', parts.price], ['Without a quantity', parts.other]] as const as [name, value] (name)}
					{#if name !== 'Without a quantity' || value !== 0}<div>
							<dt class="text-grey text-xs">{name}</dt>
							<dd class="font-semibold tabular-nums">{exact(value)}</dd>
						</div>{/if}
				{/each}
			</dl>
		{/if}
		{#if steps && steps.length > 2}<div class="mt-2 max-w-5xl">
				<Waterfall
					{steps}
					favourable={found.favourable}
					shown={(value) => amount(value)}
					height={250}
					onpick={(member) => {
						const line = found.lines.find((each) => each.member === member);
						if (line?.isParent) closer(member);
					}}
				/>
			</div>{/if}
		{#if found.lines.length === 0 && found.exchange === 0}<p class="text-grey mt-3 text-[13px]">
				{found.dimensions.length > 0 ? 'Nothing beneath it differs.' : 'Nothing lies beneath it: it is a single figure.'}
			</p>
		{:else}
			<table class="mt-2 w-full max-w-5xl text-[13px]">
				<thead>
					<tr class="text-grey text-xs"
						><th scope="col" class="py-1 text-left font-normal">What makes it</th><th scope="col" class="w-2/5 text-left font-normal"
							>Share</th
						><th scope="col" class="text-right font-normal">{against}</th><th scope="col" class="text-right font-normal"
							>{nameAt(scenario)}</th
						><th scope="col" class="text-right font-normal">Adds</th></tr
					>
				</thead>
				<tbody>
					{#each found.lines as { member, name, before, after, part, isParent } (member)}
						<tr class="border-hairline border-t">
							<th scope="row" class="py-1 text-left font-normal"
								>{#if isParent}<button class="text-primary font-semibold" onclick={() => closer(member)}>{name}</button
									>{:else}{name}{/if}</th
							>
							<td
								><span
									class="block h-2.5 rounded-sm"
									style="width: {(Math.abs(part) / (largest || 1)) * 100}%; background: {part < 0
										? 'var(--color-accent)'
										: 'var(--color-secondary)'}"
								></span></td
							>
							<td class="text-right tabular-nums">{before === null ? '' : amount(before)}</td>
							<td class="text-right tabular-nums">{after === null ? '' : amount(after)}</td>
							<td class="text-right font-semibold tabular-nums">{exact(part)}</td>
						</tr>
					{/each}
					{#if found.more.count > 0}<tr class="border-hairline border-t"
							><th scope="row" class="py-1 text-left font-normal">{found.more.count} others</th><td></td><td></td><td></td><td
								class="text-right tabular-nums">{exact(found.more.part)}</td
							></tr
						>{/if}
					{#if found.exchange !== 0}<tr class="border-hairline border-t"
							><th scope="row" class="py-1 text-left font-normal">Exchange rates: the same at other rates</th><td></td><td></td><td></td><td
								class="text-right font-semibold tabular-nums">{exact(found.exchange)}</td
							></tr
						>{/if}
					<tr class="border-rule border-t-2"
						><th scope="row" class="py-1 text-left font-semibold">Together</th><td></td><td class="text-right tabular-nums"
							>{amount(found.before)}</td
						><td class="text-right tabular-nums">{amount(found.after)}</td><td class="text-right font-semibold tabular-nums"
							>{exact(whole)}</td
						></tr
					>
				</tbody>
			</table>
			{#if !found.addsUp}<p class="text-warning mt-1 text-[13px]">
					The parts do not add up to the whole: a ratio, an average or a price is not the sum of what lies beneath it.
				</p>{/if}
		{/if}
	{/if}
</main>
