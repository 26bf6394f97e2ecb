<script lang="ts">
	import { at } from '$lib/ui/at';
	import { goto, invalidateAll } from '$app/navigation';
	import { page } from '$app/state';
	import type { BatchDetails, Connection, ImportDetails, Reason } from '$lib/server/import';
	import type { StructureChange } from '$lib/server/structure';
	import BatchView from '$lib/ui/data-in/BatchView.svelte';
	import { ImportDesk } from '$lib/ui/data-in/import-desk.svelte';
	import LineInspector from '$lib/ui/data-in/LineInspector.svelte';
	import LoadPanel from '$lib/ui/data-in/LoadPanel.svelte';
	import MapCard from '$lib/ui/data-in/MapCard.svelte';
	import RowInspector from '$lib/ui/data-in/RowInspector.svelte';
	import RuleInspector from '$lib/ui/data-in/RuleInspector.svelte';
	import SampleTable from '$lib/ui/data-in/SampleTable.svelte';
	import SourceView from '$lib/ui/data-in/SourceView.svelte';
	import ValueInspector from '$lib/ui/data-in/ValueInspector.svelte';
	import { formatAmount, formatCount } from '$lib/ui/figures/format';
	import { request } from '$lib/ui/request';
	import { useShell } from '$lib/ui/shell/shell.svelte';
	import X from '@lucide/svelte/icons/x';
	import { onMount, untrack } from 'svelte';

	interface Props {
		details: ImportDetails;
		batch: BatchDetails | null;
		/** What was changed of the import and its maps, the latest first. */
		changes: StructureChange[];
		connections: Connection[];
		models: { id: number; name: string }[];
		model: number;
		person: { locale: string; permissions: string[] };
	}
	let { details, batch, changes, connections, models, model, person }: Props = $props();

	const shell = useShell();
	const desk = new ImportDesk(untrack(() => details));
	// Follows what the server says, not what was chosen here since.
	$effect(() => {
		const now = details;
		untrack(() => desk.take(now));
	});
	$effect.pre(() => shell.at({ name: 'Data in', path: '/data-in' }, { name: desk.details.name }));
	onMount(() => void desk.look());

	const locale = $derived(person.locale);
	const may = (permission: string) => person.permissions.includes(permission);
	const mayLoad = $derived(may('data.load'));
	const mayWrite = $derived(may('data.write'));
	const mayCreate = $derived(mayWrite && may('structure.write'));
	const VIEWS = { map: 'Map and check', batches: 'Batches', source: 'Source and schedule' } as const;
	const view = $derived((page.url.searchParams.get('view') ?? 'map') as keyof typeof VIEWS);
	const isFile = $derived(desk.details.source.place.kind === 'file');

	let picker = $state<HTMLInputElement>();
	let over = $state(false);
	let loading = $state(false);
	let reason = $state.raw<Reason | null>(null);
	let left = $state<HTMLElement>();
	let right = $state<HTMLElement>();
	// A new batch, other reasons.
	$effect(() => {
		void batch?.batch.id;
		reason = null;
	});

	const check = $derived(desk.check);
	const missing = $derived(desk.details.rules.filter(({ rule }) => rule === null).map(({ name }) => name));
	const count = (number: number) => formatCount(number, locale);
	/** Both tables show the same rows at the same height. */
	const scrollTogether = (other: HTMLElement | undefined, top: number) => {
		if (other && Math.abs(other.scrollTop - top) > 1) other.scrollTop = top;
	};

	async function upload(file: File | undefined) {
		if (!file || !mayLoad) return;
		loading = false;
		await desk.upload(file);
		if (picker) picker.value = '';
		if (view !== 'map' && !desk.fault) await goto(at(`/data-in/${desk.details.code}`), { noScroll: true });
	}
	/** Waits for a job and shows what came of it. */
	async function follow(job: number, batchId: number) {
		loading = false;
		await goto(at(`/data-in/${desk.details.code}?view=batches&batch=${batchId}`), { noScroll: true });
		const ended = await shell.jobs.until(job);
		await invalidateAll();
		desk.lookSoon();
		if (ended.state === 'failed') desk.fault = ended.words;
		else desk.done = { words: ended.words, undo: null };
	}
	async function fetchRows() {
		desk.fault = null;
		const reply = await request<{ job: number }>(`${desk.path}/fetch`, {});
		if (!reply.ok) {
			desk.fault = reply.message;
			return;
		}
		const ended = await shell.jobs.until(reply.answer.job);
		if (ended.state === 'done') {
			await desk.refresh();
			desk.done = { words: ended.words, undo: null };
		} else desk.fault = ended.words;
	}
	function showReason(chosen: Reason) {
		reason = chosen;
		desk.selection = { kind: 'value', dimension: chosen.dimension!, value: chosen.value };
	}
	const running = $derived(shell.jobs.running.find(({ kind }) => kind === 'load' || kind === 'fetch' || kind === 'take back'));
	const selectedRule = $derived(desk.selection && 'dimension' in desk.selection ? desk.rule(desk.selection.dimension) : undefined);
	const selectedLine = $derived.by(() => {
		const { selection } = desk;
		return selection?.kind === 'line' ? selectedRule?.lines.find(({ id }) => id === selection.line) : undefined;
	});
</script>

<main
	class="grid min-h-0 grid-cols-[minmax(0,1fr)_auto] grid-rows-[minmax(0,1fr)]"
	ondragover={(event) => {
		event.preventDefault();
		over = mayLoad && isFile;
	}}
	ondragleave={() => (over = false)}
	ondrop={(event) => {
		event.preventDefault();
		over = false;
		if (isFile) void upload(event.dataTransfer?.files[0]);
	}}
>
	<div class="grid min-h-0 min-w-0 grid-rows-[auto_auto_auto_minmax(0,1fr)_auto]">
		<header class={['border-hairline flex flex-wrap items-start gap-x-4 gap-y-2 border-b px-4.5 pt-3.5', over && 'bg-base-200']}>
			<div class="min-w-0 grow">
				<h1 class="text-xl font-semibold tracking-tight">{desk.details.name}</h1>
				<p class="text-grey text-[13px]">
					{#if desk.uploading}Sending {desk.uploading.name}, {count(Math.round(desk.uploading.share * 100))} %
					{:else if desk.file}
						{desk.file.name}{check
							? ` · ${count(check.rows.read)}${check.complete ? '' : ' first'} rows · goes to ${check.extent.words}`
							: ''}
					{:else}{desk.details.description || 'No file is chosen yet.'}{/if}
				</p>
			</div>
			<div class="flex gap-2">
				{#if mayLoad && isFile}
					<input
						bind:this={picker}
						type="file"
						accept=".csv,.txt,.tsv,.xlsx,text/csv"
						class="sr-only"
						aria-label="File to load"
						tabindex="-1"
						onchange={(event) => upload(event.currentTarget.files?.[0])}
					/>
					<button class="btn btn-sm" disabled={desk.uploading !== null} onclick={() => picker?.click()}
						>{desk.file ? 'Another file' : 'Choose a file'}</button
					>
				{:else if mayLoad}
					<button class="btn btn-sm" disabled={running !== undefined} onclick={fetchRows}>Fetch rows</button>
				{/if}
				{#if desk.file}
					{#if check && !check.complete}<button class="btn btn-sm" disabled={desk.checking} onclick={() => desk.look(true)}
							>{desk.checking ? 'Checking…' : 'Check all rows'}</button
						>{/if}
					{#if mayLoad}
						<button
							class="btn btn-primary btn-sm"
							disabled={!check || check.rows.loaded === 0 || check.missing.length > 0 || running !== undefined}
							aria-expanded={loading}
							onclick={() => (loading = !loading)}
							>Load {check && check.missing.length === 0
								? `${count(check.rows.loaded)}${check.complete ? '' : '+'} ${check.rows.loaded === 1 && check.complete ? 'row' : 'rows'}`
								: ''}</button
						>
					{/if}
				{/if}
			</div>
			<nav class="-mb-px flex w-full gap-5" aria-label="Views">
				{#each Object.entries(VIEWS) as [key, name] (key)}
					<a
						href={at(`/data-in/${desk.details.code}${key === 'map' ? '' : `?view=${key}`}`)}
						aria-current={view === key ? 'page' : undefined}
						class={[
							'border-b-2 pt-0.5 pb-1.5 text-[13px]',
							view === key ? 'border-primary text-primary font-semibold' : 'text-soft border-transparent hover:text-base-content'
						]}>{name}{key === 'batches' && desk.details.batches.length > 0 ? ` (${desk.details.batches.length})` : ''}</a
					>
				{/each}
			</nav>
		</header>

		<div>
			{#if loading}<LoadPanel
					{desk}
					{locale}
					onclose={() => (loading = false)}
					onstarted={({ job, batch: started }) => void follow(job, started)}
				/>{/if}
		</div>
		<div aria-live="polite">
			{#if check && check.missing.length > 0}
				<p class="text-error border-hairline border-b px-4.5 py-1.5" role="alert">Nothing can be loaded yet. {check.missing.join(' ')}</p>
			{/if}
			{#if running}
				<p class="bg-base-200 border-hairline flex items-center gap-3 border-b px-4.5 py-1.5">
					<span class="loading loading-spinner loading-xs text-primary"></span>
					{running.title}: {running.state === 'waiting'
						? 'waiting for its turn'
						: `${running.words || 'beginning'}${running.kind === 'load' && running.done > 0 ? `, ${count(running.done)} rows` : ''}`}
					{#if mayLoad && running.state !== 'done'}<button
							class="text-primary ml-auto font-semibold hover:underline"
							onclick={() => void shell.jobs.cancel(running.id)}>Cancel</button
						>{/if}
				</p>
			{/if}
			{#if desk.fault}
				<p class="text-error border-hairline flex gap-3 border-b px-4.5 py-1.5" role="alert">
					<span class="grow">{desk.fault}</span><button class="font-semibold" onclick={() => (desk.fault = null)}>Dismiss</button>
				</p>
			{:else if desk.done}
				<p class="border-hairline flex gap-3 border-b px-4.5 py-1.5">
					<span>{desk.done.words}</span>
					{#if desk.done.undo}<button class="text-primary font-semibold hover:underline" onclick={() => void desk.undo()}>Undo</button>{/if}
				</p>
			{/if}
		</div>

		{#if view === 'batches'}
			<BatchView
				{desk}
				details={batch}
				selected={reason}
				{mayLoad}
				{locale}
				onreason={showReason}
				onjob={(job, id) => void follow(job, id)}
			/>
		{:else if view === 'source'}
			<SourceView
				{desk}
				{changes}
				{connections}
				models={models.filter(({ id }) => id !== model)}
				{mayWrite}
				mayConnect={may('structure.write')}
				{locale}
			/>
		{:else}
			<div class="grid min-h-0 grid-cols-[minmax(10rem,0.85fr)_minmax(19rem,1.6fr)_minmax(10rem,0.9fr)] overflow-x-auto overflow-y-hidden">
				<section class="border-hairline grid min-h-0 grid-rows-[auto_minmax(0,1fr)] border-r px-3.5" aria-label="Source">
					<h2 class="flex justify-between gap-2 py-2.5 font-semibold whitespace-nowrap">
						Rows as they come {#if check}<span class="text-grey text-xs font-normal"
								>{count(check.sample.length)} of {count(check.rows.read)}</span
							>{/if}
					</h2>
					{#if check}<SampleTable
							{desk}
							{check}
							side="source"
							{locale}
							bind:scroller={left}
							onscrolled={(top) => scrollTogether(right, top)}
						/>
					{:else if desk.checkFault}<p class="text-error text-[13px]">{desk.checkFault}</p>
					{:else if desk.file}<p class="text-grey text-[13px]">Looking at {desk.file.name}…</p>
					{:else}<p class="text-soft text-[13px]">
							{isFile
								? 'Choose a file, or drop it on this page. Nothing is loaded before you say so.'
								: 'Fetch rows to see them here. Nothing is loaded before you say so.'}
							{#if isFile && (desk.details.code === 'ledger' || desk.details.code === 'ticketing')}The demo brings one:
								<code class="font-mono break-all">demo/files/{desk.details.code}-2026-09.csv</code>{/if}
						</p>{/if}
				</section>
				<section class="border-hairline overflow-auto border-r px-3.5 pb-4" aria-label="Maps">
					<h2 class="flex justify-between py-2.5 font-semibold">
						Maps <span class="text-grey text-xs font-normal">column to dimension</span>
					</h2>
					{#if missing.length > 0}<p class="text-error mb-2 text-[13px]">
							Say where {missing.join(', ')}
							{missing.length === 1 ? 'comes' : 'come'} from.
						</p>{/if}
					{#each desk.details.rules as rule (rule.dimension)}<MapCard {desk} {rule} {mayWrite} {mayCreate} {locale} />{/each}
					{#if check && check.reasons.length > 0}
						<h3 class="text-grey mt-3 mb-1 text-xs font-semibold">Other reasons rows would be rejected for</h3>
						<ul class="text-[13px]">
							{#each check.reasons as each (each.message)}
								<li class="border-hairline flex gap-3 border-b py-1">
									<span class="w-14 shrink-0 font-semibold">{count(each.rows)} {each.rows === 1 ? 'row' : 'rows'}</span><span class="grow"
										>{each.message}</span
									><span class="text-grey">line {each.lines.slice(0, 3).join(', ')}</span>
								</li>
							{/each}
						</ul>
					{/if}
				</section>
				<section class="grid min-h-0 grid-rows-[auto_minmax(0,1fr)] px-3.5" aria-label="Outcome">
					<h2 class="flex justify-between py-2.5 font-semibold">
						What they become <span class="text-grey text-xs font-normal">{desk.checking ? 'looking…' : 'live'}</span>
					</h2>
					{#if check}<SampleTable
							{desk}
							{check}
							side="outcome"
							{locale}
							bind:scroller={right}
							onscrolled={(top) => scrollTogether(left, top)}
						/>{/if}
				</section>
			</div>
		{/if}

		{#if view === 'map' && check}
			<footer class="bg-base-200 border-hairline text-soft flex flex-wrap gap-x-5 border-t px-4.5 text-[13px] leading-6">
				<span>Would load <b class="font-semibold">{count(check.rows.loaded)}</b></span>
				<span>Rejected <b class={['font-semibold', check.rows.rejected > 0 && 'text-error']}>{count(check.rows.rejected)}</b></span>
				{#if check.rows.skipped > 0}<span>Left out <b class="font-semibold">{count(check.rows.skipped)}</b></span>{/if}
				<span
					>Control total <b class="font-semibold">{formatAmount(check.amounts.read, locale)}</b
					>{#if check.rows.rejected + check.rows.skipped > 0}{` = ${formatAmount(check.amounts.loaded, locale)}`}{check.rows.rejected > 0
							? ` + ${formatAmount(check.amounts.rejected, locale)} rejected`
							: ''}{check.rows.skipped > 0 ? ` + ${formatAmount(check.amounts.skipped, locale)} left out` : ''}{:else}, as in the file{/if}</span
				>
				{#if !desk.selection}<span class="text-grey ml-auto">Nothing is written before you load</span>{/if}
			</footer>
		{/if}
	</div>

	{#if desk.selection && view !== 'source'}
		<aside class="border-hairline w-72 overflow-auto border-l px-4 py-3" aria-label="Details">
			<button class="text-grey hover:bg-base-300 float-right rounded-md p-1" aria-label="Close" onclick={() => (desk.selection = null)}
				><X size={15} aria-hidden="true" /></button
			>
			{#if desk.selection.kind === 'row'}
				{#if check}<RowInspector {desk} {check} index={desk.selection.index} {locale} />{/if}
			{:else if selectedRule}
				{#if desk.selection.kind === 'value'}
					{#key desk.selection.value}<ValueInspector
							{desk}
							rule={selectedRule}
							value={desk.selection.value}
							{...reason && { from: reason }}
							{mayWrite}
							{mayCreate}
							{locale}
						/>{/key}
				{:else if selectedLine}
					{#key selectedLine}<LineInspector {desk} rule={selectedRule} line={selectedLine} {mayWrite} {locale} />{/key}
				{:else}
					{#key `${selectedRule.dimension} ${JSON.stringify(selectedRule.rule && { ...selectedRule.rule, lines: 0 })}`}<RuleInspector
							{desk}
							rule={selectedRule}
							{mayWrite}
						/>{/key}
				{/if}
			{/if}
		</aside>
	{/if}
</main>
