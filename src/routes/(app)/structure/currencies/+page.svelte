<script lang="ts">
	import { useShell } from '$lib/ui/shell/shell.svelte';
	import RateLine from '$lib/ui/structure/RateLine.svelte';

	let { data } = $props();
	useShell().at({ name: 'Structure', path: '/structure' }, { name: 'Currencies and rates' });
	const names = $derived(new Intl.DisplayNames(data.person.locale, { type: 'currency' }));
</script>

<main class="min-h-0 overflow-auto px-4.5 pt-3.5 pb-6">
	<h1 class="text-xl font-semibold tracking-tight">Currencies and rates</h1>
	<p class="text-soft mb-4">
		Figures are stored in each line’s own currency and translated when they are read; the reporting currency is {names.of(
			data.rates.reporting
		)}. In use: {data.rates.currencies.map((code) => `${names.of(code)} (${code})`).join(', ')}.
	</p>
	{#each data.rates.rateSets as set (set.name)}
		<section class="mb-5 max-w-4xl" aria-label={set.name}>
			<h2 class="font-semibold">{set.name} <span class="text-grey text-[13px] font-normal">units for one {set.pivot}</span></h2>
			<table class="mt-1 w-full text-[13.5px]">
				<thead class="text-grey border-rule border-b text-left text-xs">
					<tr
						><th class="py-1 font-semibold">Currency</th><th class="font-semibold">Kind</th><th class="text-right font-semibold">First</th
						><th class="text-right font-semibold">Latest</th><th class="pl-6 font-semibold">Course</th><th class="font-semibold">Dates</th
						></tr
					>
				</thead>
				<tbody>
					{#each set.currencies as pair (pair.currency)}
						<RateLine currency={pair.currency} kind="average" spans={pair.average} locale={data.person.locale} />
						<RateLine currency={pair.currency} kind="closing" spans={pair.closing} locale={data.person.locale} />
					{/each}
				</tbody>
			</table>
		</section>
	{/each}
</main>
