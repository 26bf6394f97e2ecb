<script lang="ts">
	import { invalidateAll } from '$app/navigation';
	import { at } from '$lib/ui/at';
	import { request } from '$lib/ui/request';
	import { useShell } from '$lib/ui/shell/shell.svelte';
	import ChangeList from '$lib/ui/structure/ChangeList.svelte';
	import YearStrip from '$lib/ui/structure/YearStrip.svelte';

	let { data } = $props();
	useShell().at({ name: 'Structure', path: '/structure' }, { name: 'Calendar' });
	const locale = $derived(data.person.locale);
	const mayWrite = $derived(data.person.permissions.includes('structure.write'));
	const calendar = $derived(data.calendar);
	const leaves = $derived(calendar.periods.filter(({ leaf }) => leaf));
	const years = $derived(calendar.periods.filter(({ level }) => level === 'year'));

	let before = $state(0);
	let after = $state(1);
	let message = $state<{ text: string; kind: 'info' | 'error' } | null>(null);
	/** The scenario whose closing is seen and set; the first one to begin with. */
	let scenarioId = $state<number | null>(null);
	const scenario = $derived(calendar.scenarios.find(({ id }) => id === scenarioId) ?? calendar.scenarios[0]);
	const closed = $derived(new Set(leaves.filter(({ end }) => scenario?.closed && end <= scenario.closed).map(({ code }) => code)));
	const lastClosed = $derived(leaves.findLast(({ code }) => closed.has(code)));
	let renaming = $state<{ id: number; was: string; name: string } | null>(null);

	const monthName = $derived(
		new Intl.DateTimeFormat(locale, { month: 'long', timeZone: 'UTC' }).format(
			new Date(Date.UTC(2024, calendar.definition.fiscalStartMonth - 1, 1))
		)
	);
	const PATTERNS: Record<string, string> = { 'calendar months': 'calendar months', '13×4': 'thirteen months of four weeks' };

	async function act(verb: string, body: object, done: string) {
		const reply = await request(`/api/structure/calendar/${verb}`, body);
		message = reply.ok ? { text: done, kind: 'info' } : { text: reply.message, kind: 'error' };
		await invalidateAll();
		return reply.ok;
	}
	function rename(code: string) {
		const period = calendar.periods.find((each) => each.code === code);
		if (period && mayWrite) renaming = { id: period.id, was: period.name, name: period.name };
	}
	async function storeName(event: SubmitEvent) {
		event.preventDefault();
		if (!renaming) return;
		const { id, was, name } = renaming;
		if (await act('rename', { period: id, name, was }, `“${was}” is “${name.trim()}” now.`)) renaming = null;
	}
</script>

<main class="min-h-0 overflow-auto px-4.5 pt-3.5 pb-6">
	<h1 class="text-xl font-semibold tracking-tight">Calendar</h1>
	<p class="text-soft mb-3">
		{calendar.name}: {PATTERNS[calendar.definition.pattern] ?? `months of ${calendar.definition.pattern} weeks`}{calendar.definition
			.grain === 'month'
			? ''
			: `, down to the ${calendar.definition.grain}`}; the fiscal year begins in {monthName} and is named by its {calendar.definition
			.namedBy}.
		{years.length} years, {leaves.length.toLocaleString(locale)} periods at the bottom.
	</p>
	{#if message}<p class={['mb-2 text-[13px]', message.kind === 'error' ? 'text-error' : 'text-soft']} role="status">{message.text}</p>{/if}
	<div class="mb-4 flex max-w-5xl flex-wrap items-end gap-x-8 gap-y-3">
		{#if scenario}
			<div class="flex items-end gap-2">
				<label class="text-grey grid text-[13px]"
					>Closed periods of
					<select class="select select-sm w-40" value={scenario.id} onchange={(event) => (scenarioId = Number(event.currentTarget.value))}>
						{#each calendar.scenarios as each (each.id)}<option value={each.id}>{each.name}</option>{/each}
					</select></label
				>
				<p class="text-grey pb-1 text-[13px]">
					{lastClosed ? `up to ${lastClosed.name}: nobody enters before it.` : 'None is closed.'}
					{#if data.person.permissions.includes('access.read')}<a
							class="text-primary ml-1 font-semibold"
							href={at('/access/locks?layer=period+close')}>Close or reopen</a
						>{/if}
				</p>
			</div>
		{/if}
		{#if mayWrite}
			<form
				class="flex items-end gap-2"
				onsubmit={(event) => {
					event.preventDefault();
					void act('extend', { before: Number(before), after: Number(after) }, 'The calendar is longer now; what was there has not moved.');
				}}
			>
				<label class="text-grey grid text-[13px]"
					>Years before <input class="input input-sm bg-raised w-20" type="number" min="0" max="20" bind:value={before} /></label
				>
				<label class="text-grey grid text-[13px]"
					>Years after <input class="input input-sm bg-raised w-20" type="number" min="0" max="20" bind:value={after} /></label
				>
				<button class="btn btn-sm" disabled={Number(before) + Number(after) < 1}>Extend</button>
			</form>
		{/if}
	</div>
	{#if renaming}
		<form class="mb-3 flex items-center gap-2" onsubmit={storeName}>
			<label class="flex items-center gap-2"
				>Name of {renaming.was}
				<input
					class="input input-sm bg-raised w-48"
					maxlength="80"
					{@attach (node: HTMLInputElement) => node.select()}
					bind:value={renaming.name}
					onkeydown={(event) => event.key === 'Escape' && (renaming = null)}
				/></label
			>
			<button class="btn btn-sm btn-primary" disabled={renaming.name.trim() === ''}>Rename</button>
			<button type="button" class="btn btn-sm" onclick={() => (renaming = null)}>Cancel</button>
		</form>
	{/if}
	<div class="grid max-w-5xl gap-4">
		{#each years as year (year.code)}
			<YearStrip
				periods={calendar.periods.filter(({ fiscalYear }) => fiscalYear === year.fiscalYear)}
				{locale}
				{closed}
				onperiod={mayWrite ? rename : undefined}
			/>
		{/each}
	</div>
	{#if mayWrite}<p class="text-grey mt-3 text-[13px]">Choose a period to give it another name.</p>{/if}
	<ChangeList changes={data.changes} locale={data.person.locale} />
</main>
