<script lang="ts">
	import { at } from '$lib/ui/at';
	import type { RuleDetails, RuleToSet } from '$lib/server/import';
	import { SOURCE_DATE_FORMATS, type SourceDateFormat } from '$lib/core';
	import { request } from '../request';
	import { untrack } from 'svelte';
	import type { ImportDesk } from './import-desk.svelte';
	import LineFields from './LineFields.svelte';
	import MemberPick from './MemberPick.svelte';

	interface Props {
		desk: ImportDesk;
		rule: RuleDetails;
		mayWrite: boolean;
	}
	let { desk, rule, mayWrite }: Props = $props();

	const isPeriod = $derived(rule.kind === 'period');
	const headings = $derived(desk.check?.headings ?? []);
	const of = untrack(() => rule.rule);
	let from = $state<RuleToSet['from']>(of?.from ?? (untrack(() => isPeriod) ? 'date' : 'column'));
	let columns = $state<string[]>(of?.from === 'column' ? [...of.columns] : of?.from === 'date' ? [of.column] : ['']);
	let separator = $state(of?.from === 'column' ? of.separator : '');
	let label = $state(of?.from === 'column' ? (of.label ?? '') : '');
	let map = $state<number | 0>(of?.map ?? 0);
	let format = $state<SourceDateFormat>(of?.from === 'date' || of?.from === 'headings' ? of.format : 'YYYY-MM-DD');
	let variable = $state(of?.from === 'variable' ? of.variable : '');
	let adding = $state(false);
	let trial = $state('');
	let tried = $state.raw<{ value: string; lines: number[] } | null>(null);

	const maps = $derived(desk.details.maps.filter(({ dimension }) => dimension === rule.dimension));
	const variables = $derived(desk.details.variables.filter(({ dimension }) => dimension === rule.dimension));
	/** Columns to choose from; one that the file lacks stays in the list while it is chosen. */
	const choices = (chosen: string) => [...new Set([...(chosen === '' ? [] : [chosen]), ...headings])];

	const wanted = $derived.by((): RuleToSet | null => {
		const named = columns.filter((column) => column !== '');
		switch (from) {
			case 'column':
				return named.length === 0
					? null
					: { from, columns: named, separator, label: label === '' ? null : label, map: map === 0 ? null : map };
			case 'date':
				return named[0] ? { from, column: named[0], format } : null;
			case 'headings':
				return { from, format };
			case 'variable':
				return variable === '' ? null : { from, variable };
			case 'chosen':
				return { from };
			default:
				return null;
		}
	});
	const set = (to: RuleToSet) => desk.edit({ act: 'rule', dimension: rule.dimension, rule: to });

	async function tryOut(event: SubmitEvent) {
		event.preventDefault();
		const reply = await request<{ lines: number[] }>(`${desk.path}/try`, { dimension: rule.dimension, value: trial });
		if (reply.ok) tried = { value: trial, lines: reply.answer.lines };
	}
	const lineOf = (id: number) => rule.lines.find((line) => line.id === id);

	async function takeMap(file: File | undefined) {
		if (!file || !rule.map) return;
		const reply = await request<{ lines: number }>(`${desk.path}/map`, { map: rule.map.id, csv: await file.text() });
		if (reply.ok) {
			await desk.refresh();
			desk.done = { words: `${reply.answer.lines} lines were read from ${file.name}.`, undo: null };
		} else desk.fault = reply.message;
	}
</script>

<p class="text-grey text-xs">Dimension</p>
<h2 class="text-xl font-semibold tracking-tight">{rule.name}</h2>
<p class="text-grey text-[13px]">{rule.words}</p>

{#if mayWrite}
	<form
		class="mt-4 grid gap-2"
		onsubmit={(event) => {
			event.preventDefault();
			if (wanted) void set(wanted);
		}}
	>
		<label class="grid gap-0.5"
			><span class="text-grey text-xs">Its member comes from</span>
			<select class="select select-sm w-full" bind:value={from}>
				<option value="column">columns, through a map</option>
				{#if isPeriod}<option value="date">a date</option><option value="headings">the headings of the amount columns</option>{/if}
				<option value="fixed">one member for all</option>
				<option value="variable">a variable</option>
				<option value="chosen">whoever loads chooses</option>
			</select></label
		>
		{#if from === 'column' || from === 'date'}
			{#each columns as column, index (index)}
				<select
					class="select select-sm w-full"
					aria-label={from === 'date' ? 'Column with the date' : `Column ${index + 1}`}
					bind:value={columns[index]}
				>
					<option value="">(choose a column)</option>
					{#each choices(column) as heading (heading)}<option>{heading}</option>{/each}
				</select>
			{/each}
		{/if}
		{#if from === 'column'}
			<button type="button" class="text-primary justify-self-start text-[13px] font-semibold" onclick={() => columns.push('')}
				>Join one more column</button
			>
			{#if columns.filter((column) => column !== '').length > 1}
				<label class="flex items-center gap-2"
					><span class="text-grey text-xs whitespace-nowrap">Between them</span><input
						class="input input-sm w-16 font-mono"
						maxlength="5"
						bind:value={separator}
					/></label
				>
			{/if}
			<label class="grid gap-0.5"
				><span class="text-grey text-xs">Column that names the value in words</span>
				<select class="select select-sm w-full" bind:value={label}>
					<option value="">(none)</option>
					{#each choices(label) as heading (heading)}<option>{heading}</option>{/each}
				</select></label
			>
			<label class="grid gap-0.5"
				><span class="text-grey text-xs">Map</span>
				<select class="select select-sm w-full" bind:value={map}>
					<option value={0}>a new map</option>
					{#each maps as each (each.id)}<option value={each.id}>{each.name} ({each.lines})</option>{/each}
				</select></label
			>
		{/if}
		{#if from === 'date' || from === 'headings'}
			<select class="select select-sm w-full" aria-label="How dates are written" bind:value={format}>
				{#each SOURCE_DATE_FORMATS as each (each)}<option>{each}</option>{/each}
			</select>
		{/if}
		{#if from === 'variable'}
			<select class="select select-sm w-full" aria-label="Variable" bind:value={variable}>
				<option value="">(choose a variable)</option>
				{#each variables as each (each.name)}<option>{each.name}</option>{/each}
			</select>
		{/if}
		{#if from === 'fixed'}
			<MemberPick
				dimension={rule.dimension}
				label="Member for all rows"
				of={isPeriod && desk.details.source.amountColumns.length > 1 ? 'all' : 'leaves'}
				chosen={of?.from === 'fixed' ? rule.words.replace(/^always /, '') : ''}
				onpick={(member) => void set({ from: 'fixed', member: member.id })}
			/>
		{:else}
			<button class="btn btn-sm" disabled={!wanted}>Set</button>
		{/if}
	</form>
{/if}

{#if rule.rule?.from === 'chosen'}
	<h3 class="text-grey mt-5 mb-1 text-xs font-semibold">For this file</h3>
	<MemberPick
		dimension={rule.dimension}
		label="{rule.name} of this file"
		of={isPeriod && desk.details.source.amountColumns.length > 1 ? 'all' : 'leaves'}
		chosen={desk.chosenNames[rule.dimension] ?? ''}
		onpick={(member) => desk.choose(rule.dimension, member.id, member.name)}
	/>
{/if}

{#if rule.rule?.from === 'column' && rule.map}
	<h3 class="text-grey mt-5 mb-1 text-xs font-semibold">Map “{rule.map.name}”, {rule.lines.length} lines</h3>
	{#if rule.map.usedBy.length > 1}<p class="text-soft text-[13px]">
			Also used by {rule.map.usedBy.filter((name) => name !== desk.details.name).join(', ')}: a change counts there too.
		</p>{/if}
	<form class="mt-1 flex gap-2" onsubmit={tryOut}>
		<input class="input input-sm min-w-0 grow font-mono" placeholder="Try a value" aria-label="Try a value" bind:value={trial} />
		<button class="btn btn-sm">Try</button>
	</form>
	{#if tried}
		<p class="mt-1 text-[13px]" role="status">
			{#if tried.lines.length === 0}“{tried.value}” meets no line.{:else}
				“{tried.value}” meets
				{#each tried.lines as id, index (id)}{@const line = lineOf(id)}{#if line}<button
							class={['hover:underline', index === 0 && 'font-semibold']}
							onclick={() => (desk.selection = { kind: 'line', dimension: rule.dimension, line: id })}
							>{line.kind} {line.terms} → {line.member}</button
						>{index === 0 && tried.lines.length > 1 ? ', which wins over ' : index < tried.lines.length - 1 ? ', ' : '.'}{/if}{/each}
			{/if}
		</p>
	{/if}
	{#if mayWrite}
		{#if adding}
			<div class="border-hairline mt-3 border-t pt-2">
				<LineFields
					{rule}
					{headings}
					line={{ terms: { kind: 'single', value: '' }, member: null, skip: false, reverseSign: false }}
					memberName=""
					action="Add the line"
					onsave={async (line) => {
						if (await desk.addLine(rule.dimension, line, 'The line was added.')) adding = false;
					}}
				/>
			</div>
		{:else}<button class="btn btn-sm mt-3" onclick={() => (adding = true)}>Add a line</button>{/if}
	{/if}
	<p class="mt-3 flex gap-4 text-[13px]">
		<a class="text-primary font-semibold hover:underline" href={at(`/api/imports/${desk.details.code}/map/${rule.map.id}`)} download
			>Save as CSV</a
		>
		{#if mayWrite}
			<label class="text-primary cursor-pointer font-semibold hover:underline"
				>Replace by a CSV<input
					type="file"
					accept=".csv,text/csv"
					class="sr-only"
					onchange={(event) => void takeMap(event.currentTarget.files?.[0])}
				/></label
			>
		{/if}
	</p>
{/if}
