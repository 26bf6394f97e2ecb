<script lang="ts">
	import { formatCount, formatMoment } from '$lib/ui/figures/format';
	import { useShell } from '$lib/ui/shell/shell.svelte';

	let { data } = $props();
	useShell().at({ name: 'Data in' });
	const locale = $derived(data.person.locale);
</script>

<main class="overflow-auto px-4.5 py-4">
	<h1 class="text-xl font-semibold tracking-tight">Data in</h1>
	<p class="text-soft">Saved imports: how a file of another system becomes figures of this model.</p>
	<ul class="border-rule mt-4 max-w-4xl border-t">
		{#each data.imports as item (item.code)}
			<li class="border-hairline border-b">
				<a href="/data-in/{item.code}" class="hover:bg-base-200 grid grid-cols-[13rem_1fr_auto] items-baseline gap-4 px-2 py-2.5">
					<span class="font-semibold">{item.name}</span>
					<span class="text-soft">{item.description}</span>
					<span class="text-grey text-right text-[13px] whitespace-nowrap">
						{#if item.lastBatch}
							{formatMoment(item.lastBatch.at, locale)}, {formatCount(item.lastBatch.rowsLoaded, locale)} rows
							{#if item.lastBatch.rowsRejected > 0}<span class="text-accent block font-semibold"
									>{formatCount(item.lastBatch.rowsRejected, locale)} rejected</span
								>{/if}
						{:else}not loaded here yet{/if}
					</span>
				</a>
			</li>
		{:else}
			<li class="text-soft py-3">
				There are no imports in this model yet. Load the demo with <code class="font-mono">npm run demo:reset</code> to see two.
			</li>
		{/each}
	</ul>
</main>
