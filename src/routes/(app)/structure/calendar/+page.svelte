<script lang="ts">
	import { useShell } from '$lib/ui/shell/shell.svelte';

	let { data } = $props();
	useShell().at({ name: 'Structure', path: '/structure' }, { name: 'Calendar' });
	const monthName = $derived(
		new Intl.DateTimeFormat(data.person.locale, { month: 'long', timeZone: 'UTC' }).format(
			new Date(Date.UTC(2024, data.calendar.fiscalStartMonth - 1, 1))
		)
	);
	const day = (date: string) =>
		new Intl.DateTimeFormat(data.person.locale, { day: 'numeric', month: 'short', year: 'numeric', timeZone: 'UTC' }).format(
			new Date(`${date}T00:00:00Z`)
		);
</script>

<main class="min-h-0 overflow-auto px-4.5 pt-3.5 pb-6">
	<h1 class="text-xl font-semibold tracking-tight">Calendar</h1>
	<p class="text-soft mb-4">
		{data.calendar.name}: calendar months; the fiscal year begins in {monthName} and is named by its {data.calendar.namedBy}.
	</p>
	{#each data.calendar.years as year (year.name)}
		<section class="mb-3.5 max-w-4xl" aria-label={year.name}>
			<h2 class="text-[13px]">
				<b class="font-semibold">{year.name}</b> <span class="text-grey">{day(year.start)} – {day(year.end)}</span>
			</h2>
			<ol class="mt-1 grid grid-cols-12">
				{#each year.months as month, index (month.name)}
					<li
						class={[
							'border-rule border-y border-r px-1.5 py-1 text-[12.5px]',
							index % 3 === 0 && 'border-l-mark border-l-2',
							Math.floor(index / 3) % 2 === 0 ? 'bg-base-200' : 'bg-base-100'
						]}
						title="{month.name}, {month.quarter}"
					>
						<span class="text-grey block text-[11px] leading-3.5">{index % 3 === 0 ? month.quarter.split(' ')[0] : ' '}</span>
						{month.name.split(' ')[0]}
					</li>
				{/each}
			</ol>
		</section>
	{/each}
</main>
