<script lang="ts">
	import type { Connection, Detected } from '$lib/server/import';
	import type { StructureChange } from '$lib/server/structure';
	import { request } from '../request';
	import ChangeList from '../structure/ChangeList.svelte';
	import { untrack } from 'svelte';
	import type { ImportDesk } from './import-desk.svelte';
	import PlaceFields from './PlaceFields.svelte';
	import ScheduleFields from '../schedule/ScheduleFields.svelte';

	interface Props {
		desk: ImportDesk;
		changes: StructureChange[];
		connections: readonly Connection[];
		models: readonly { id: number; name: string }[];
		mayWrite: boolean;
		mayConnect: boolean;
		locale: string;
	}
	let { desk, changes, connections, models, mayWrite, mayConnect, locale }: Props = $props();

	type Source = typeof desk.details.source;
	let detected = $state.raw<Detected | null>(null);
	const source = $derived(desk.details.source);
	const isFile = $derived(source.place.kind === 'file' || source.place.kind === 'folder');
	const isWorkbook = $derived(desk.file?.format === 'workbook');
	const headings = $derived(desk.check?.headings ?? detected?.headings ?? []);
	let name = $state(untrack(() => desk.details.name));
	let description = $state(untrack(() => desk.details.description));

	// How the file at hand seems to be written, to be compared with what the import says.
	$effect(() => {
		const { file } = desk;
		const { sheet } = desk.details.source;
		if (file)
			void request<Detected>(`${desk.path}/detect`, { file: file.id, sheet }).then((reply) => {
				if (reply.ok && desk.file?.id === file.id) detected = reply.answer;
			});
	});

	const NAMES: Record<string, string> = {
		';': 'semicolon',
		',': 'comma',
		'\t': 'tab',
		'|': 'bar',
		'': 'nothing',
		' ': 'space',
		'.': 'point',
		"'": 'apostrophe'
	};
	const spoken = (text: string) => NAMES[text] ?? text;
	const set = (change: Partial<Omit<Source, 'place'>>) => desk.edit({ act: 'source', source: change });

	let chosenBefore = '';
	/** Takes a column of amounts or leaves it; with Shift alike all from the one before. */
	function chooseAmount(heading: string, through: boolean): void {
		const [from, to] = [headings.indexOf(through ? chosenBefore : heading), headings.indexOf(heading)];
		const taken = !source.amountColumns.includes(heading);
		const alike = from < 0 || to < 0 ? [heading] : headings.slice(Math.min(from, to), Math.max(from, to) + 1);
		chosenBefore = heading;
		const chosen = new Set(source.amountColumns);
		for (const each of alike)
			if (taken) chosen.add(each);
			else chosen.delete(each);
		void set({ amountColumns: headings.length > 0 ? headings.filter((each) => chosen.has(each)) : [...chosen] });
	}

	/** Settings in which the file at hand seems to be written otherwise. */
	const differences = $derived.by(() => {
		if (!detected || isWorkbook || !isFile) return [];
		const found: { words: string; change: Partial<Source> }[] = [];
		const { settings } = detected;
		const compare = (key: 'delimiter' | 'quote' | 'encoding' | 'headerRows' | 'decimal' | 'group', words: string) => {
			if (settings[key] !== source[key]) found.push({ words, change: { [key]: settings[key] } });
		};
		compare('encoding', `encoding ${settings.encoding}`);
		compare('delimiter', `${spoken(settings.delimiter)} between columns`);
		compare('quote', `fields in ${settings.quote}`);
		compare('headerRows', `${settings.headerRows} rows above the data`);
		compare('decimal', `decimal ${spoken(settings.decimal)}`);
		compare('group', `thousands by ${spoken(settings.group)}`);
		return found;
	});
	const KINDS = ['revenue', 'expense', 'asset', 'liability', 'equity', 'statistic', 'rate'] as const;
	const toggle = <Item,>(list: readonly Item[], item: Item) =>
		list.includes(item) ? list.filter((each) => each !== item) : [...list, item];
	const limits = $derived(desk.details.rules.filter(({ kind }) => kind !== 'scenario' && kind !== 'period'));
</script>

<div class="overflow-auto px-4.5 py-3">
	<fieldset disabled={!mayWrite} class="grid max-w-4xl gap-x-10 gap-y-6 lg:grid-cols-2">
		<section aria-labelledby="where">
			<h2 id="where">Where rows come from</h2>
			<PlaceFields {desk} {connections} {models} {mayConnect} />
		</section>
		<section aria-labelledby="by-itself">
			<h2 id="by-itself">When it runs by itself</h2>
			{#if desk.details.source.place.kind === 'file'}
				<p class="text-soft text-[13px]">
					Files that people choose are loaded by people. Rows from a folder, the ledger, a model or a query can be fetched and loaded at set
					times.
				</p>
			{:else}
				<ScheduleFields
					schedule={desk.details.schedule}
					{locale}
					watch={desk.details.source.place.kind === 'folder'}
					onset={async (schedule) => {
						const reply = await request<object>(`${desk.path}/schedule`, { schedule });
						if (reply.ok) await desk.refresh();
						return reply.ok ? null : reply.message;
					}}
				/>
			{/if}
		</section>

		<section aria-labelledby="written">
			<h2 id="written">How the file is written</h2>
			{#if differences.length > 0}
				<p class="bg-base-200 mb-2 rounded-md px-2.5 py-1.5 text-[13px]">
					{desk.file?.name} looks different: {differences.map(({ words }) => words).join(', ')}.
					<button
						class="text-primary font-semibold hover:underline"
						onclick={() => set(Object.assign({}, ...differences.map(({ change }) => change)))}>Use that</button
					>
				</p>
			{/if}
			{#if isWorkbook && desk.file}
				<label
					>Sheet <select
						class="select select-sm"
						value={source.sheet || desk.file.sheets[0]}
						onchange={(event) => set({ sheet: event.currentTarget.value })}
						>{#each desk.file.sheets as sheet (sheet)}<option>{sheet}</option>{/each}</select
					></label
				>
				<label
					>Range <input
						class="input input-sm w-28 font-mono"
						placeholder="all, or B3:H900"
						value={source.range}
						onchange={(event) => set({ range: event.currentTarget.value.trim().toUpperCase() })}
					/></label
				>
			{:else if isFile}
				<label
					>Encoding <select
						class="select select-sm"
						value={source.encoding}
						onchange={(event) => set({ encoding: event.currentTarget.value as Source['encoding'] })}
						><option>utf-8</option><option>utf-16le</option><option>utf-16be</option><option>windows-1252</option><option>iso-8859-1</option
						></select
					></label
				>
				<label
					>Between columns <select
						class="select select-sm"
						value={source.delimiter}
						onchange={(event) => set({ delimiter: event.currentTarget.value })}
						>{#each [...new Set([';', ',', '\t', '|', source.delimiter])] as mark (mark)}<option value={mark}>{spoken(mark)}</option
							>{/each}</select
					></label
				>
				<label
					>Around texts <select
						class="select select-sm"
						value={source.quote}
						onchange={(event) => set({ quote: event.currentTarget.value as '"' | "'" })}
						><option value="&quot;">"</option><option value="'">'</option></select
					></label
				>
			{:else}<p class="text-soft text-[13px]">
					Rows the server fetches arrive with headings, dates as 2026-09-30 and a decimal point.
				</p>{/if}
			{#if isFile}
				<label
					>Rows above the data <input
						class="input input-sm w-16"
						type="number"
						min="0"
						max="100"
						value={source.headerRows}
						onchange={(event) => set({ headerRows: Number(event.currentTarget.value) })}
					/></label
				>
				<label
					>Decimal <select
						class="select select-sm"
						value={source.decimal}
						onchange={(event) => set({ decimal: event.currentTarget.value as '.' | ',' })}
						><option value=".">point: 1.5</option><option value=",">comma: 1,5</option></select
					></label
				>
				<label
					>Thousands <select class="select select-sm" value={source.group} onchange={(event) => set({ group: event.currentTarget.value })}
						>{#each ['', '.', ',', ' ', "'", '’'] as mark (mark)}<option value={mark}
								>{mark === '’' ? 'curly apostrophe' : spoken(mark)}</option
							>{/each}</select
					></label
				>
			{/if}
		</section>

		<section aria-labelledby="amounts">
			<h2 id="amounts">Amounts</h2>
			<div>
				<span class="text-grey text-xs">In {source.amountColumns.length > 1 ? 'a column per period' : 'the column'}</span>
				<div class="mt-0.5 flex flex-wrap gap-1">
					{#each [...new Set([...headings, ...source.amountColumns])] as heading (heading)}
						<label
							class={[
								'border-rule cursor-pointer rounded-md border px-1.5 py-0.5 text-[13px]',
								source.amountColumns.includes(heading) && 'bg-base-300 font-semibold'
							]}
							><input
								type="checkbox"
								class="sr-only"
								checked={source.amountColumns.includes(heading)}
								onclick={(event) => chooseAmount(heading, event.shiftKey)}
							/>{heading}</label
						>
					{:else}<span class="text-soft text-[13px]">Choose a file first: its columns are listed here.</span>{/each}
				</div>
				{#if headings.length > 2}<p class="text-soft mt-1 text-[13px]">
						Shift takes all from the one chosen before: a click on January, Shift and a click on December.
					</p>{/if}
				{#if source.amountColumns.length > 1}<p class="text-soft mt-1 text-[13px]">
						In the order of the file. The period says where they begin, or comes from the headings.
					</p>{/if}
			</div>
			<label
				>Currency column <select
					class="select select-sm"
					value={source.currencyColumn ?? ''}
					onchange={(event) => set({ currencyColumn: event.currentTarget.value || null })}
					><option value="">none: each entity’s own</option
					>{#each [...new Set([...headings, ...(source.currencyColumn ? [source.currencyColumn] : [])])] as heading (heading)}<option
							>{heading}</option
						>{/each}</select
				></label
			>
			<label
				>They are <select
					class="select select-sm"
					value={source.amounts}
					onchange={(event) => set({ amounts: event.currentTarget.value as Source['amounts'] })}
					><option value="movement">each period’s own</option><option value="to date">run up since the year began</option></select
				></label
			>
			<label class="flex items-center gap-1.5 text-[13px]"
				><input
					type="checkbox"
					class="checkbox checkbox-xs"
					checked={source.extendsSpan}
					onchange={(event) => set({ extendsSpan: event.currentTarget.checked })}
				/> periods after the scenario’s last one become part of it</label
			>
			<div>
				<span class="text-grey text-xs">Reverse sign for accounts of the kind</span>
				<div class="mt-0.5 flex flex-wrap gap-1">
					{#each KINDS as kind (kind)}
						<label
							class={[
								'border-rule cursor-pointer rounded-md border px-1.5 py-0.5 text-[13px]',
								source.reversedKinds.includes(kind) && 'bg-base-300 font-semibold'
							]}
							><input
								type="checkbox"
								class="sr-only"
								checked={source.reversedKinds.includes(kind)}
								onchange={() => set({ reversedKinds: toggle(source.reversedKinds, kind) })}
							/>{kind}</label
						>
					{/each}
				</div>
			</div>
		</section>

		<section aria-labelledby="loading">
			<h2 id="loading">Loading</h2>
			<label
				>A load <select
					class="select select-sm"
					value={source.way}
					onchange={(event) => set({ way: event.currentTarget.value as Source['way'] })}
					><option value="replace">replaces what it loaded before</option><option value="add" disabled={source.amounts === 'to date'}
						>adds on top</option
					></select
				></label
			>
			<label
				>When rows are rejected <select
					class="select select-sm"
					value={source.rejects}
					onchange={(event) => set({ rejects: event.currentTarget.value as Source['rejects'] })}
					><option value="stop">stop: all or nothing</option><option value="load good rows">load good rows</option></select
				></label
			>
			<div>
				<span class="text-grey text-xs">Replaces within the scenarios and periods of the file, and of these only for the members in it</span
				>
				<div class="mt-0.5 flex flex-wrap gap-1">
					{#each limits as { dimension, name } (dimension)}
						<label
							class={[
								'border-rule cursor-pointer rounded-md border px-1.5 py-0.5 text-[13px]',
								source.extent.includes(dimension) && 'bg-base-300 font-semibold'
							]}
							><input
								type="checkbox"
								class="sr-only"
								checked={source.extent.includes(dimension)}
								onchange={() => set({ extent: toggle(source.extent, dimension) })}
							/>{name}</label
						>
					{/each}
				</div>
			</div>
		</section>

		<section aria-labelledby="named">
			<h2 id="named">Name</h2>
			<form
				class="grid gap-1.5"
				onsubmit={(event) => {
					event.preventDefault();
					void desk.edit({ act: 'name', name, description });
				}}
			>
				<input class="input input-sm w-full" aria-label="Name" bind:value={name} maxlength="120" required />
				<textarea class="textarea textarea-sm w-full" aria-label="What it is for" rows="2" bind:value={description} maxlength="500"
				></textarea>
				<button class="btn btn-sm justify-self-start">Keep</button>
			</form>
		</section>
	</fieldset>
	<ChangeList {changes} {locale} />
</div>

<style>
	h2 {
		margin-bottom: 6px;
		padding-bottom: 3px;
		border-bottom: 1px solid var(--rule);
		font-weight: 600;
	}
	section > label {
		display: flex;
		align-items: center;
		justify-content: space-between;
		gap: 12px;
		padding: 3px 0;
	}
	section > label:has(> .checkbox) {
		justify-content: flex-start;
		gap: 6px;
	}
	section > label :global(.select) {
		width: auto;
		max-width: 15rem;
	}
	section > div {
		padding: 3px 0;
	}
	label:has(input.sr-only:focus-visible) {
		outline: 2px solid var(--color-primary);
	}
</style>
