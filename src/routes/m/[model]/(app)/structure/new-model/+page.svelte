<script lang="ts">
	import { at } from '$lib/ui/at';
	import { generatePeriods, type CalendarDefinition } from '$lib/core';
	import { request } from '$lib/ui/request';
	import { useShell } from '$lib/ui/shell/shell.svelte';
	import YearStrip from '$lib/ui/structure/YearStrip.svelte';
	import Plus from '@lucide/svelte/icons/plus';
	import X from '@lucide/svelte/icons/x';

	let { data } = $props();
	useShell().at({ name: 'Structure', path: '/structure' }, { name: 'New model' });
	const locale = $derived(data.person.locale);

	const thisYear = new Date().getFullYear();
	let name = $state('');
	let calendar = $state({
		grain: 'month' as CalendarDefinition['grain'],
		pattern: 'calendar months' as CalendarDefinition['pattern'],
		fiscalStartMonth: 1,
		weekStart: 1,
		namedBy: 'last year' as CalendarDefinition['namedBy'],
		firstYear: thisYear,
		years: 3,
		half: false,
		quarter: true
	});
	let reporting = $state('EUR');
	let currencies = $state<string[]>([]);
	let addCurrency = $state('');
	let scenarios = $state([
		{ name: 'Actual', firstYear: thisYear, lastYear: thisYear + 2, takesEntries: true },
		{ name: `Budget ${thisYear + 1}`, firstYear: thisYear + 1, lastYear: thisYear + 1, takesEntries: true },
		{ name: `Outlook ${thisYear}`, firstYear: thisYear, lastYear: thisYear, takesEntries: true }
	]);
	/** The first year that the scenarios below are proposed for. */
	let proposedFor = thisYear;
	/** Scenarios speak about years of the calendar: they move along with its first one, by name too. */
	function followFirstYear() {
		const moved = Number(calendar.firstYear) - proposedFor;
		if (!Number.isInteger(moved) || calendar.firstYear < 1_950 || calendar.firstYear > 2_150) return;
		proposedFor += moved;
		scenarios = scenarios.map((scenario) => ({
			...scenario,
			name: scenario.name.replaceAll(/\b(?:19|20|21)\d{2}\b/g, (year) => String(Number(year) + moved)),
			firstYear: Number(scenario.firstYear) + moved,
			lastYear: Number(scenario.lastYear) + moved
		}));
	}
	let accounts = $state('');
	let entities = $state('');
	let entityName = $state('Entity');
	let sharedGeneral = $state<string[]>([]);
	let fresh = $state<string[]>(['Department']);
	let newDimension = $state('');
	let fault = $state<string | null>(null);
	let busy = $state(false);
	let strip = $state(0);

	const WEEKS = ['4-4-5', '4-5-4', '5-4-4', '13×4'] as const;
	const DAYS = [1, 2, 3, 4, 5, 6, 7];
	const weekday = (number: number) =>
		new Intl.DateTimeFormat(locale, { weekday: 'long', timeZone: 'UTC' }).format(new Date(Date.UTC(2024, 0, number)));
	const monthName = (number: number) =>
		new Intl.DateTimeFormat(locale, { month: 'long', timeZone: 'UTC' }).format(new Date(Date.UTC(2024, number - 1, 1)));
	const currencyNames = $derived(new Intl.DisplayNames(locale, { type: 'currency' }));
	const allCurrencies = Intl.supportedValuesOf('currency');

	const definition = $derived.by((): CalendarDefinition => {
		const weeks = calendar.pattern !== 'calendar months';
		return {
			grain: calendar.grain,
			pattern: calendar.pattern,
			fiscalStartMonth: calendar.fiscalStartMonth,
			...(weeks && { weekStart: calendar.weekStart }),
			namedBy: calendar.namedBy,
			firstYear: Number(calendar.firstYear),
			years: Number(calendar.years),
			levels: [
				...(calendar.half && calendar.pattern !== '13×4' ? (['half'] as const) : []),
				...(calendar.quarter && calendar.pattern !== '13×4' ? (['quarter'] as const) : []),
				...(calendar.grain === 'week' || calendar.grain === 'day' ? (['month'] as const) : []),
				...(calendar.grain === 'day' && weeks ? (['week'] as const) : [])
			]
		};
	});
	/** The periods the choices would make, or why they make none. */
	const made = $derived.by(() => {
		try {
			const periods = generatePeriods(definition);
			return { periods, fault: null };
		} catch (error) {
			return { periods: [], fault: (error as Error).message };
		}
	});
	const years = $derived(Array.from({ length: definition.years }, (_, index) => definition.firstYear + index));
	const shownYear = $derived(years[Math.min(strip, years.length - 1)]);
	const stripPeriods = $derived(made.periods.filter(({ fiscalYear }) => fiscalYear === shownYear));
	const leaves = $derived.by(() => {
		const parents = new Set(made.periods.map(({ parent }) => parent));
		return made.periods.filter(({ code }) => !parents.has(code)).length;
	});
	const general = $derived(data.choices.dimensions.filter(({ kind }) => kind === 'general'));
	const ofKind = (kind: string) => data.choices.dimensions.filter((dimension) => dimension.kind === kind);
	const label = ({ name: title, members, models }: { name: string; members: number; models: string[] }) =>
		`${title} of ${models.join(', ')} (${members.toLocaleString(locale)} members)`;
	/** The dimensions the model will have, in words. */
	const picture = $derived([
		{ name: 'Account', note: accounts ? 'shared' : 'Result, revenue, cost, headcount to begin with' },
		{ name: 'Period', note: `${leaves.toLocaleString(locale)} ${definition.grain === 'month' ? 'months' : `${definition.grain}s`}` },
		{ name: 'Scenario', note: scenarios.map((scenario) => scenario.name).join(', ') },
		...(entities === 'none'
			? []
			: [
					{
						name: entities ? (ofKind('entity').find(({ code }) => code === entities)?.name ?? '') : entityName,
						note: entities ? 'shared' : 'new'
					}
				]),
		...sharedGeneral.map((code) => ({ name: general.find((dimension) => dimension.code === code)?.name ?? code, note: 'shared' })),
		...fresh.map((title) => ({ name: title, note: 'new' }))
	]);

	function takeCurrency() {
		const code = addCurrency.trim().toUpperCase().slice(0, 3);
		if (!allCurrencies.includes(code)) fault = `“${addCurrency}” is no currency of ISO 4217.`;
		else {
			if (code !== reporting && !currencies.includes(code)) currencies = [...currencies, code];
			addCurrency = '';
			fault = null;
		}
	}
	function takeDimension() {
		const title = newDimension.trim();
		if (title && !fresh.includes(title)) fresh = [...fresh, title];
		newDimension = '';
	}
	function pattern(value: CalendarDefinition['pattern']) {
		calendar.pattern = value;
		if (value === 'calendar months' && calendar.grain === 'week') calendar.grain = 'month';
		if (value === '13×4') calendar.quarter = calendar.half = false;
		else if (calendar.pattern !== '13×4') calendar.quarter = true;
	}

	async function create(event: SubmitEvent) {
		event.preventDefault();
		busy = true;
		const reply = await request<{ code: string; form: string }>('/api/structure/model', {
			name,
			reportingCurrency: reporting,
			currencies,
			calendar: definition,
			scenarios: scenarios.map((scenario) => ({ ...scenario, firstYear: Number(scenario.firstYear), lastYear: Number(scenario.lastYear) })),
			shared: [accounts, entities === 'none' ? '' : entities, ...sharedGeneral].filter(Boolean),
			fresh,
			entityName,
			entities: entities !== 'none'
		});
		if (!reply.ok) {
			fault = reply.message;
			busy = false;
			return;
		}
		// The whole shell belongs to the model: it is loaded anew.
		location.assign(`/m/${encodeURIComponent(reply.answer.code)}/forms/${reply.answer.form}`);
	}
</script>

<main class="min-h-0 overflow-auto px-4.5 pt-3.5 pb-8">
	<h1 class="text-xl font-semibold tracking-tight">New model</h1>
	<p class="text-soft mb-4 max-w-2xl">
		Everything here can be changed later, except the grain of the calendar and which dimensions the model has. The model can be used at
		once: you land in a form over all of it.
	</p>
	<form class="grid max-w-5xl gap-5" onsubmit={create}>
		<label class="flex items-center gap-3"
			><span class="w-32 font-semibold">Name</span><input
				class="input input-sm bg-raised w-80"
				required
				maxlength="80"
				placeholder="Group plan"
				bind:value={name}
			/></label
		>

		<fieldset>
			<legend>Calendar</legend>
			<div class="flex flex-wrap items-center gap-x-4 gap-y-2">
				<label
					>Months
					<select
						class="select select-sm w-40"
						value={calendar.pattern}
						onchange={(event) => pattern(event.currentTarget.value as CalendarDefinition['pattern'])}
						aria-label="Pattern of months"
					>
						<option value="calendar months">calendar months</option>
						{#each WEEKS as each (each)}<option value={each}>{each === '13×4' ? '13 of four weeks' : `${each} weeks`}</option>{/each}
					</select></label
				>
				<label
					>Smallest period
					<select class="select select-sm w-28" bind:value={calendar.grain} aria-label="Smallest period">
						<option value="quarter" disabled={calendar.pattern === '13×4'}>quarter</option>
						<option value="month">month</option>
						<option value="week" disabled={calendar.pattern === 'calendar months'}>week</option>
						<option value="day">day</option>
					</select></label
				>
				<label
					>Year begins in
					<select class="select select-sm w-32" bind:value={calendar.fiscalStartMonth} aria-label="Month in which the year begins">
						{#each { length: 12 }, index (index)}<option value={index + 1}>{monthName(index + 1)}</option>{/each}
					</select></label
				>
				{#if calendar.pattern !== 'calendar months'}
					<label
						>Weeks begin on
						<select class="select select-sm w-32" bind:value={calendar.weekStart} aria-label="Day on which weeks begin">
							{#each DAYS as day (day)}<option value={day}>{weekday(day)}</option>{/each}
						</select></label
					>
				{/if}
				<label
					>Named by its
					<select class="select select-sm w-32" bind:value={calendar.namedBy} aria-label="Which calendar year names the fiscal year">
						<option value="first year">first year</option>
						<option value="last year">last year</option>
					</select></label
				>
				<label
					>First year <input
						class="input input-sm bg-raised w-20"
						type="number"
						min="1950"
						max="2150"
						bind:value={calendar.firstYear}
						onchange={followFirstYear}
					/></label
				>
				<label>Years <input class="input input-sm bg-raised w-16" type="number" min="1" max="40" bind:value={calendar.years} /></label>
				<label class="flex items-center gap-1.5"
					><input type="checkbox" class="checkbox checkbox-xs" bind:checked={calendar.half} disabled={calendar.pattern === '13×4'} /> half-years</label
				>
				<label class="flex items-center gap-1.5"
					><input
						type="checkbox"
						class="checkbox checkbox-xs"
						bind:checked={calendar.quarter}
						disabled={calendar.pattern === '13×4' || calendar.grain === 'quarter'}
					/> quarters</label
				>
			</div>
			{#if made.fault}<p class="text-error mt-2" role="alert">{made.fault}</p>
			{:else}
				<div class="border-hairline bg-raised mt-2.5 rounded-md border px-3 py-2">
					<div class="mb-1.5 flex flex-wrap gap-1">
						{#each years.slice(0, 12) as year, index (year)}
							<button
								type="button"
								class={['rounded px-1.5 text-xs', year === shownYear ? 'bg-base-300 font-semibold' : 'text-soft hover:bg-base-200']}
								aria-pressed={year === shownYear}
								onclick={() => (strip = index)}>FY{year}</button
							>
						{/each}
						<span class="text-grey ml-auto text-xs">{made.periods.length.toLocaleString(locale)} periods in all</span>
					</div>
					<YearStrip periods={stripPeriods} {locale} />
				</div>
			{/if}
		</fieldset>

		<fieldset>
			<legend>Currencies</legend>
			<div class="flex flex-wrap items-center gap-3">
				<label
					>Reporting
					<select class="select select-sm w-56" bind:value={reporting} aria-label="Reporting currency">
						{#each allCurrencies as code (code)}<option value={code}>{code} – {currencyNames.of(code)}</option>{/each}
					</select></label
				>
				{#each currencies as code (code)}
					<span class="border-rule bg-raised flex items-center gap-1 rounded-md border px-2 py-0.5"
						>{code}
						<button type="button" aria-label="Leave out {code}" onclick={() => (currencies = currencies.filter((each) => each !== code))}
							><X size={13} /></button
						></span
					>
				{/each}
				<input
					class="input input-sm bg-raised w-44"
					list="all-currencies"
					placeholder="Another currency"
					aria-label="Another currency"
					bind:value={addCurrency}
					onkeydown={(event) => {
						if (event.key === 'Enter') {
							event.preventDefault();
							takeCurrency();
						}
					}}
					onchange={takeCurrency}
				/>
				<datalist id="all-currencies"
					>{#each allCurrencies as code (code)}<option value={code}>{currencyNames.of(code)}</option>{/each}</datalist
				>
			</div>
		</fieldset>

		<fieldset>
			<legend>Scenarios</legend>
			<div class="grid gap-1.5">
				{#each scenarios as scenario, index (index)}
					<div class="flex flex-wrap items-center gap-3">
						<input
							class="input input-sm bg-raised w-48"
							aria-label="Name of scenario {index + 1}"
							maxlength="80"
							required
							bind:value={scenario.name}
						/>
						<span class="text-grey">speaks about</span>
						<input
							class="input input-sm bg-raised w-20"
							type="number"
							aria-label="First year of {scenario.name}"
							bind:value={scenario.firstYear}
						/>
						<span class="text-grey">to</span>
						<input
							class="input input-sm bg-raised w-20"
							type="number"
							aria-label="Last year of {scenario.name}"
							bind:value={scenario.lastYear}
						/>
						<label class="flex items-center gap-1.5"
							><input type="checkbox" class="checkbox checkbox-xs" bind:checked={scenario.takesEntries} /> takes entries</label
						>
						<button
							type="button"
							class="text-grey hover:text-error"
							aria-label="Leave out {scenario.name}"
							disabled={scenarios.length === 1}
							onclick={() => (scenarios = scenarios.filter((each) => each !== scenario))}><X size={14} /></button
						>
					</div>
				{/each}
				<div>
					<button
						type="button"
						class="btn btn-xs"
						onclick={() =>
							(scenarios = [
								...scenarios,
								{
									name: `Scenario ${scenarios.length + 1}`,
									firstYear: definition.firstYear,
									lastYear: definition.firstYear + definition.years - 1,
									takesEntries: true
								}
							])}><Plus size={12} /> Another scenario</button
					>
				</div>
			</div>
		</fieldset>

		<fieldset>
			<legend>Dimensions</legend>
			<div class="grid gap-2">
				<label class="flex items-center gap-3"
					><span class="w-28">Accounts</span>
					<select class="select select-sm w-96" bind:value={accounts} aria-label="Accounts">
						<option value="">start new ones</option>
						{#each ofKind('account') as dimension (dimension.code)}<option value={dimension.code}>share {label(dimension)}</option>{/each}
					</select></label
				>
				<div class="flex items-center gap-3">
					<label class="flex items-center gap-3"
						><span class="w-28">Entities</span>
						<select class="select select-sm w-96" bind:value={entities} aria-label="Entities">
							<option value="">start new ones, each with its currency</option>
							<option value="none">none: one currency, no companies or units</option>
							{#each ofKind('entity') as dimension (dimension.code)}<option value={dimension.code}>share {label(dimension)}</option>{/each}
						</select></label
					>
					{#if entities === ''}
						<label class="flex items-center gap-2"
							>named <input
								class="input input-sm bg-raised w-40"
								maxlength="80"
								aria-label="Name of the entity dimension"
								bind:value={entityName}
							/></label
						>
					{/if}
				</div>
				<div class="flex flex-wrap items-center gap-2">
					<span class="w-28">Others</span>
					{#each general as dimension (dimension.code)}
						<label class="border-rule flex items-center gap-1.5 rounded-md border px-2 py-0.5"
							><input type="checkbox" class="checkbox checkbox-xs" value={dimension.code} bind:group={sharedGeneral} /> share {label(
								dimension
							)}</label
						>
					{/each}
				</div>
				<div class="flex flex-wrap items-center gap-2">
					<span class="w-28">New ones</span>
					{#each fresh as title (title)}
						<span class="border-rule bg-raised flex items-center gap-1 rounded-md border px-2 py-0.5"
							>{title}
							<button type="button" aria-label="Leave out {title}" onclick={() => (fresh = fresh.filter((each) => each !== title))}
								><X size={13} /></button
							></span
						>
					{/each}
					<input
						class="input input-sm bg-raised w-44"
						placeholder="Another dimension"
						aria-label="Another dimension"
						maxlength="80"
						bind:value={newDimension}
						onkeydown={(event) => {
							if (event.key === 'Enter') {
								event.preventDefault();
								takeDimension();
							}
						}}
						onchange={takeDimension}
					/>
				</div>
			</div>
			<ol class="mt-3 flex flex-wrap gap-1.5 text-[13px]" aria-label="The dimensions of the model">
				{#each picture as { name: title, note } (title)}
					<li class="border-l-primary bg-raised rounded-r-md border-l-2 py-1 pr-3 pl-2.5">
						<b class="font-semibold">{title}</b> <span class="text-grey">{note}</span>
					</li>
				{/each}
			</ol>
		</fieldset>

		{#if fault}<p class="text-error" role="alert">{fault}</p>{/if}
		<div class="flex gap-2">
			<button class="btn btn-primary" disabled={busy || made.fault !== null || name.trim() === ''}
				>{busy ? 'Making it…' : 'Make the model'}</button
			>
			<a class="btn" href={at('/structure')}>Cancel</a>
		</div>
	</form>
</main>

<style>
	legend {
		margin-bottom: 6px;
		font-weight: 600;
	}
	label:has(> select, > input[type='number']) {
		color: var(--soft);
	}
</style>
