<script lang="ts">
	import { useShell } from '$lib/ui/shell/shell.svelte';

	let { data } = $props();
	useShell().at({ name: 'Forms' });
	const folders = $derived([...new Set(data.forms.map(({ folder }) => folder))]);
</script>

<main class="overflow-auto px-4.5 py-4">
	<h1 class="text-xl font-semibold tracking-tight">Forms</h1>
	{#each folders as folder (folder)}
		<section class="mt-4 max-w-3xl" aria-label={folder}>
			<h2 class="text-grey mb-1 text-[13px] font-semibold">{folder}</h2>
			<ul class="border-rule border-t">
				{#each data.forms.filter((form) => form.folder === folder) as form (form.code)}
					<li class="border-hairline border-b">
						<a href="/forms/{form.code}" class="hover:bg-base-200 flex items-baseline gap-4 px-2 py-2.5">
							<span class="w-56 shrink-0 font-semibold">{form.name}</span>
							<span class="text-soft">{form.description}</span>
						</a>
					</li>
				{/each}
			</ul>
		</section>
	{:else}
		<p class="text-soft mt-3 max-w-xl">
			There are no forms in this model yet. Load the demo with <code class="font-mono">npm run demo:reset</code> to see three.
		</p>
	{/each}
</main>
