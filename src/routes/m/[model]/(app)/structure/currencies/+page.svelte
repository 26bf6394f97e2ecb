<script lang="ts">
	import { tick } from 'svelte';
	import { invalidateAll } from '$app/navigation';
	import { readSheet, request } from '$lib/ui/request';
	import { useShell } from '$lib/ui/shell/shell.svelte';
	import ChangeList from '$lib/ui/structure/ChangeList.svelte';
	import RateSetGrid from '$lib/ui/structure/RateSetGrid.svelte';

	let { data } = $props();
	useShell().at({ name: 'Structure', path: '/structure' }, { name: 'Currencies and rates' });
	const locale = $derived(data.person.locale);
	const mayWrite = $derived(data.person.permissions.includes('structure.write'));
	const names = $derived(new Intl.DisplayNames(locale, { type: 'currency' }));
	const rates = $derived(data.rates);
	const [firstYear, lastYear] = $derived([Number(rates.horizon.from.slice(0, 4)), Number(rates.horizon.to.slice(0, 4))]);
	// svelte-ignore state_referenced_locally
	let year = $state(Math.min(Math.max(new Date().getFullYear(), firstYear), lastYear));
	let message = $state<{ text: string; kind: 'info' | 'error' } | null>(null);
	let newSet = $state('');
	/** The rate set that a new one begins as a copy of; 0: none. */
	let copyOf = $state(0);
	let newCurrency = $state('');
	let picker = $state<HTMLInputElement>();
	let target = $state(0);
	const grids: Record<number, RateSetGrid | undefined> = $state({});

	let cross = $state({ set: 0, from: '', to: '', kind: 'average' });
	let crossed = $state.raw<{ name: string; value: number | null }[]>([]);
	/** The model's own rate sets come first; another model's is shown when it is chosen by name. */
	const own = $derived(rates.sets.filter(({ usedBy, elsewhere }) => usedBy.length > 0 || elsewhere.length === 0));
	const others = $derived(rates.sets.filter((set) => !own.includes(set)));
	let chosen = $state<number[]>([]);
	const setId = $derived(cross.set || (rates.sets[0]?.id ?? 0));

	async function changed(news: { text: string; kind: 'info' | 'error' }) {
		message = news;
		await invalidateAll();
	}
	async function addSet(event: SubmitEvent) {
		event.preventDefault();
		const reply = await request('/api/structure/rates', { name: newSet, pivot: rates.reporting, copyOf: copyOf || null });
		const words = copyOf === 0 ? 'An empty rate set was started.' : 'The copy is there; change what is different.';
		if (reply.ok) newSet = '';
		await changed(reply.ok ? { text: words, kind: 'info' } : { text: reply.message, kind: 'error' });
	}
	async function addCurrency(event: SubmitEvent) {
		event.preventDefault();
		const code = newCurrency.trim().toUpperCase();
		const reply = await request('/api/structure/currencies', { currency: code });
		if (reply.ok) newCurrency = '';
		await changed(
			reply.ok
				? { text: `${names.of(code)} is a currency of this model now. Give it rates.`, kind: 'info' }
				: { text: reply.message, kind: 'error' }
		);
	}
	async function upload(file: File | undefined) {
		if (!file) return;
		const reply = await readSheet(file);
		const into = target || rates.sets[0]!.id;
		if (others.some(({ id }) => id === into) && !chosen.includes(into)) {
			chosen = [...chosen, into];
			await tick();
		}
		if (reply.ok) await grids[into]?.readTable(reply.answer.grid);
		else message = { text: reply.message, kind: 'error' };
		if (picker) picker.value = '';
	}
	async function look(event: SubmitEvent) {
		event.preventDefault();
		const reply = await request<{ months: typeof crossed }>(`/api/structure/rates/${setId}/cross`, {
			from: cross.from,
			to: cross.to,
			kind: cross.kind
		});
		if (reply.ok) crossed = reply.answer.months;
		else message = { text: reply.message, kind: 'error' };
	}
</script>

<main class="min-h-0 overflow-auto px-4.5 pt-3.5 pb-6">
	<div class="mb-2 flex flex-wrap items-end gap-3">
		<div class="mr-auto">
			<h1 class="text-xl font-semibold tracking-tight">Currencies and rates</h1>
			<p class="text-soft text-[13px]">
				Figures are stored in each entity’s own currency and translated when they are read; the reporting currency is {names.of(
					rates.reporting
				)}. In use: {rates.currencies.map((code) => `${names.of(code)} (${code})`).join(', ')}.
			</p>
		</div>
		<div class="join" role="group" aria-label="Year">
			<button class="btn btn-sm join-item" disabled={year <= firstYear} aria-label="The year before" onclick={() => year--}>‹</button>
			<span class="btn btn-sm join-item pointer-events-none font-semibold" aria-live="polite">{year}</span>
			<button class="btn btn-sm join-item" disabled={year >= lastYear} aria-label="The next year" onclick={() => year++}>›</button>
		</div>
	</div>
	{#if message}<p class={['mb-2 text-[13px]', message.kind === 'error' ? 'text-error' : 'text-soft']} role="status">{message.text}</p>{/if}
	{#each [...own, ...others.filter(({ id }) => chosen.includes(id))] as set (set.id)}
		<RateSetGrid bind:this={grids[set.id]} {set} {year} horizon={rates.horizon} {mayWrite} {locale} onchanged={changed} />
	{/each}
	{#if others.length > 0}
		<p class="mb-3 flex items-center gap-2 text-[13px]">
			Rate sets of other models:
			<select
				class="select select-sm w-72"
				aria-label="Show a rate set of another model"
				value=""
				onchange={(event) => {
					const id = Number(event.currentTarget.value);
					if (id) chosen = chosen.includes(id) ? chosen : [...chosen, id];
					event.currentTarget.value = '';
				}}
			>
				<option value="">Choose one by name…</option>
				{#each others as set (set.id)}<option value={set.id}>{set.name} ({set.elsewhere.join(', ')})</option>{/each}
			</select>
		</p>
	{/if}
	{#if mayWrite}
		<div class="border-hairline flex flex-wrap items-center gap-x-6 gap-y-2 border-t pt-3 text-[13px]">
			<form class="flex items-center gap-2" onsubmit={addSet}>
				<input
					class="input input-sm bg-raised w-48"
					placeholder="Name of a rate set"
					aria-label="Name of a new rate set"
					maxlength="80"
					bind:value={newSet}
				/>
				{#if rates.sets.length > 0}
					<select class="select select-sm w-44" aria-label="Begin as a copy of" bind:value={copyOf}>
						<option value={0}>empty</option>
						{#each rates.sets as set (set.id)}<option value={set.id}>a copy of {set.name}</option>{/each}
					</select>
				{/if}
				<button class="btn btn-sm" disabled={newSet.trim() === ''}>Start a rate set</button>
			</form>
			<form class="flex items-center gap-2" onsubmit={addCurrency}>
				<input
					class="input input-sm bg-raised w-24 uppercase"
					placeholder="SEK"
					aria-label="Code of a currency to add"
					maxlength="3"
					bind:value={newCurrency}
				/>
				<button class="btn btn-sm" disabled={newCurrency.trim().length !== 3}>Add the currency</button>
			</form>
			{#if rates.sets.length > 0}
				<span class="flex items-center gap-2">
					Load a file into
					<select class="select select-sm w-48" aria-label="Rate set to load into" bind:value={target}>
						{#each own as set, index (set.id)}<option value={index === 0 ? 0 : set.id}>{set.name}</option>{/each}
						{#each others as set (set.id)}<option value={set.id}>{set.name} (of {set.elsewhere.join(', ')})</option>{/each}
					</select>
					<button class="btn btn-sm" onclick={() => picker?.click()}>Choose CSV or XLSX…</button>
					<input
						bind:this={picker}
						class="hidden"
						type="file"
						accept=".csv,.txt,.xlsx"
						aria-label="File with rates"
						onchange={(event) => void upload(event.currentTarget.files?.[0])}
					/>
				</span>
			{/if}
			<p class="text-grey basis-full">
				A table has the columns Currency, Kind, From, To, Rate; or From and a column a currency. It can be pasted into a grid too, and so
				can a plain block of figures.
			</p>
		</div>
	{/if}
	{#if rates.sets.length > 0 && rates.currencies.length > 1}
		<section class="border-hairline mt-4 border-t pt-3 text-[13px]" aria-label="Cross rates">
			<form class="flex flex-wrap items-center gap-2" onsubmit={look}>
				What one
				<select class="select select-sm w-24" aria-label="From currency" required bind:value={cross.from}>
					<option value="">…</option>{#each rates.currencies as code (code)}<option>{code}</option>{/each}
				</select>
				is worth in
				<select class="select select-sm w-24" aria-label="To currency" required bind:value={cross.to}>
					<option value="">…</option>{#each rates.currencies as code (code)}<option>{code}</option>{/each}
				</select>
				at
				<select class="select select-sm w-28" aria-label="Kind of rate" bind:value={cross.kind}
					><option>average</option><option>closing</option><option>historical</option></select
				>
				of
				<select
					class="select select-sm w-48"
					aria-label="Rate set"
					value={setId}
					onchange={(event) => (cross.set = Number(event.currentTarget.value))}
				>
					{#each rates.sets as set (set.id)}<option value={set.id}>{set.name}</option>{/each}
				</select>
				<button class="btn btn-sm">Show</button>
			</form>
			{#if crossed.length > 0}
				<ul class="mt-2 grid max-w-4xl grid-cols-6 gap-x-5">
					{#each crossed as { name, value } (name)}
						<li class="border-hairline flex justify-between border-b">
							<span class="text-grey">{name}</span>
							{#if value === null}<span class="text-warning">missing</span>{:else}{value.toLocaleString(locale, {
									maximumFractionDigits: 6
								})}{/if}
						</li>
					{/each}
				</ul>
			{/if}
		</section>
	{/if}
	<ChangeList changes={data.changes} locale={data.person.locale} />
</main>
