<script lang="ts">
	import { at } from '$lib/ui/at';
	import { useShell } from '$lib/ui/shell/shell.svelte';
	import TraceStage from '$lib/ui/trace/TraceStage.svelte';

	let { data } = $props();
	const { locale } = $derived(data.person);
	const shell = useShell();
	$effect(() => shell.at({ name: 'Trace' }));
	const to = (way: string) => at(`/trace?members=${data.node.members.join('.')}&period=${data.node.period}&way=${way}`);
	const amount = $derived(
		`${data.trace.total.toLocaleString(locale, { minimumFractionDigits: 2, maximumFractionDigits: 2 })} ${data.trace.currency ?? ''}`.trim()
	);
</script>

<main class="min-h-0 overflow-auto px-4.5 pt-3.5 pb-6">
	<div class="flex items-start gap-3">
		<div class="grow">
			<h1 class="text-xl font-semibold tracking-tight">
				{data.node.way === 'back' ? `Where ${amount} comes from` : `Where ${amount} went`}
			</h1>
			<p class="text-soft mb-3">{data.trace.where}{data.trace.incomplete ? '. Without what has no rate.' : ''}</p>
		</div>
		<nav class="join" aria-label="Which way">
			{#each [['back', 'Back'], ['forward', 'Forward']] as const as [way, words] (way)}
				<a
					class={['btn btn-sm join-item', data.node.way === way && 'btn-active']}
					aria-current={data.node.way === way ? 'page' : undefined}
					href={to(way)}>{words}</a
				>
			{/each}
		</nav>
	</div>
	{#key data.trace}<TraceStage trace={data.trace} node={data.node} way={data.node.way} {locale} />{/key}
	<p class="text-grey mt-4 max-w-2xl text-[13px]">
		{#if data.node.way === 'back'}Each line is a part of the figure above it; together they are the figure, to the cent. What a step shared
			out is opened to see its pool, and what that was made of before.{:else}Each line got a part of the figure above it; what no step
			shared out stays.{/if}
	</p>
</main>
