<script lang="ts">
	import { at } from '$lib/ui/at';
	import { goto, invalidateAll } from '$app/navigation';
	import { send } from '$lib/ui/data-in/import-desk.svelte';
	import { formatCount, formatMoment } from '$lib/ui/figures/format';
	import { readSheet, request } from '$lib/ui/request';
	import { useShell } from '$lib/ui/shell/shell.svelte';
	import PasteSheet from '$lib/ui/structure/PasteSheet.svelte';

	let { data } = $props();
	useShell().at({ name: 'Data in' });
	const locale = $derived(data.person.locale);
	const mayWrite = $derived(data.person.permissions.includes('data.write'));

	let making = $state(false);
	let name = $state('');
	let file = $state.raw<File | null>(null);
	let busy = $state(false);
	let fault = $state<string | null>(null);

	/** A new import; from a file its columns are proposed. */
	async function make(event: SubmitEvent) {
		event.preventDefault();
		busy = true;
		fault = null;
		try {
			const kept = file ? await send(`/api/files?name=${encodeURIComponent(file.name)}`, file, () => {}) : null;
			const reply = await request<{ code: string }>('/api/imports', { name, file: kept?.id ?? null });
			if (reply.ok) await goto(at(`/data-in/${reply.answer.code}`));
			else fault = reply.message;
		} catch (error) {
			fault = (error as Error).message;
		}
		busy = false;
	}

	let dimension = $state('');
	let members = $state.raw<{ grid: string[][]; source: string } | null>(null);
	let done = $state<string | null>(null);
	const chosen = $derived(data.dimensions.find(({ code }) => code === dimension));
	/** Members of a dimension from a file, looked at before anything changes. */
	async function takeMembers(picked: File | undefined) {
		if (!picked) return;
		done = null;
		const reply = await readSheet(picked);
		fault = reply.ok ? null : reply.message;
		members = reply.ok ? { grid: reply.answer.grid, source: `from ${picked.name}` } : null;
	}
	const WHERE = { file: 'file', folder: 'watched folder', query: 'query', model: 'another model', ledger: 'ledger service' } as const;
</script>

<main class="flex min-h-0 flex-col overflow-auto px-4.5 py-4">
	<div class="flex max-w-5xl items-start gap-4">
		<div class="grow">
			<h1 class="text-xl font-semibold tracking-tight">Data in</h1>
			<p class="text-soft">Saved imports: how the rows of another system become figures of this model.</p>
		</div>
		{#if mayWrite}<button class="btn btn-sm" aria-expanded={making} onclick={() => (making = !making)}>New import</button>{/if}
	</div>
	{#if fault}<p class="text-error mt-2" role="alert">{fault}</p>{/if}
	{#if making}
		<form class="bg-base-200 border-hairline mt-3 flex max-w-5xl flex-wrap items-end gap-3 rounded-md border px-3 py-2.5" onsubmit={make}>
			<label class="text-grey text-xs"
				>Name<input
					class="input input-sm text-base-content block w-64"
					bind:value={name}
					required
					maxlength="120"
					placeholder="Fuel invoices"
				/></label
			>
			<label class="text-grey text-xs"
				>A file to begin from, if there is one<input
					type="file"
					accept=".csv,.txt,.tsv,.xlsx,text/csv"
					class="file-input file-input-sm text-base-content block"
					onchange={(event) => (file = event.currentTarget.files?.[0] ?? null)}
				/></label
			>
			<button class="btn btn-primary btn-sm" disabled={busy}>{busy ? 'Looking at it…' : 'Make it'}</button>
			<p class="text-grey w-full text-[13px]">Its columns, dates and amounts are detected and proposed; nothing is loaded.</p>
		</form>
	{/if}

	<ul class="border-rule mt-4 max-w-5xl border-t">
		{#each data.imports as item (item.code)}
			{@const last = item.lastBatch}
			<li class="border-hairline border-b">
				<a href={at(`/data-in/${item.code}`)} class="hover:bg-base-200 grid grid-cols-[13rem_1fr_auto] items-baseline gap-4 px-2 py-2.5">
					<span class="font-semibold">{item.name}<span class="text-grey block text-xs font-normal">{WHERE[item.place]}</span></span>
					<span class="text-soft"
						>{item.description}{#if item.schedule?.next[0]}<span class="text-grey block text-xs"
								>runs by itself, next {formatMoment(item.schedule.next[0], locale)}</span
							>{/if}</span
					>
					<span class="text-grey text-right text-[13px] whitespace-nowrap">
						{#if last}
							{formatMoment(last.at, locale)}, {last.state === 'loaded' ? `${formatCount(last.rowsLoaded, locale)} rows` : last.state}
							{#if last.rowsRejected > 0}<span class="text-accent block font-semibold"
									>{formatCount(last.rowsRejected, locale)} rejected</span
								>{/if}
						{:else}not loaded here yet{/if}
					</span>
				</a>
			</li>
		{:else}
			<li class="text-soft py-3">There are no imports in this model yet. Make one from a file: its columns are proposed.</li>
		{/each}
	</ul>

	{#if data.dimensions.length > 0}
		<section class="mt-8 max-w-5xl" aria-labelledby="members">
			<h2 id="members" class="font-semibold">Members from a file</h2>
			<p class="text-soft">
				CSV or XLSX with headings such as code, name, parent and the attributes. Every row is shown with what it would change first.
			</p>
			<p class="mt-2 flex flex-wrap items-center gap-3">
				<select class="select select-sm w-56" aria-label="Dimension" bind:value={dimension} onchange={() => (members = null)}>
					<option value="">(choose a dimension)</option>
					{#each data.dimensions as each (each.code)}<option value={each.code}>{each.name}</option>{/each}
				</select>
				<input
					type="file"
					accept=".csv,.xlsx,text/csv"
					class="file-input file-input-sm"
					aria-label="File with members"
					disabled={!chosen}
					onchange={(event) => void takeMembers(event.currentTarget.files?.[0])}
				/>
				{#if done}<span role="status">{done}</span>{/if}
			</p>
		</section>
		{#if members && chosen}
			<div class="mt-2 flex min-h-80 flex-col">
				<PasteSheet
					code={chosen.code}
					name={chosen.name}
					grid={members.grid}
					source={members.source}
					{locale}
					onclose={(outcome) => {
						members = null;
						if (outcome) done = `${outcome.words} in ${chosen.name}.`;
						void invalidateAll();
					}}
				/>
			</div>
		{/if}
	{/if}
</main>
