<script lang="ts">
	import { useShell } from '$lib/ui/shell/shell.svelte';
	import TraceStage from '$lib/ui/trace/TraceStage.svelte';

	let { data } = $props();
	const { locale } = $derived(data.person);
	const shell = useShell();
	$effect(() => shell.at({ name: 'Trace' }));
	const amount = $derived(data.trace.total.toLocaleString(locale, { minimumFractionDigits: 2, maximumFractionDigits: 2 }));
</script>

<main class="min-h-0 overflow-auto px-4.5 pt-3.5 pb-6">
	<h1 class="text-xl font-semibold tracking-tight">Where {amount} comes from</h1>
	<p class="text-soft mb-3">{data.trace.where}</p>
	{#key data.trace}<TraceStage trace={data.trace} node={data.node} {locale} />{/key}
	<p class="text-grey mt-4 max-w-2xl text-[13px]">
		Each line is a part of the figure above it; together they are the figure, to the cent. What a step shared out is opened to see its pool,
		and what that was made of before.
	</p>
</main>
