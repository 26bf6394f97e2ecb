<script lang="ts">
	import { at } from '$lib/ui/at';
	import { useShell } from '$lib/ui/shell/shell.svelte';

	let { data } = $props();
	useShell().at({ name: 'Structure', path: '/structure' }, { name: 'Setting it up' });
	const next = $derived(data.steps.find(({ done, mayDo }) => !done && mayDo));
	const done = $derived(data.steps.filter((step) => step.done).length);
</script>

<main class="overflow-auto px-4.5 py-3.5">
	<h1 class="text-xl font-semibold tracking-tight">Setting up {data.model.name}</h1>
	<p class="text-soft max-w-2xl">
		{done} of {data.steps.length} are there. None has to be, and none has to come first; this page shows what the model has, so you can stop and
		go on.
	</p>
	<ol class="border-rule mt-3 max-w-2xl border-t">
		{#each data.steps as { name, says, done: isDone, path, chapter, mayDo }, place (name)}
			<li class="border-hairline grid grid-cols-[2rem_minmax(0,1fr)_auto] items-baseline gap-x-2 border-b py-2.5">
				<span class={['text-[15px] font-semibold tabular-nums', isDone ? 'text-success' : 'text-grey']} aria-hidden="true"
					>{isDone ? '✓' : place + 1}</span
				>
				<div class="min-w-0">
					<h2 class="font-semibold">{name}<span class="sr-only">{isDone ? ', is there' : ', is not there yet'}</span></h2>
					<p class="text-soft text-[13.5px]">{says[0]!.toUpperCase()}{says.slice(1)}.</p>
				</div>
				<span class="flex items-baseline gap-3 text-[13.5px]">
					<a class="text-grey hover:underline" href={at(`/handbook/${chapter}`)}>how<span class="sr-only">: {name}</span></a>
					{#if mayDo}<a class={['btn btn-sm', next?.name === name && 'btn-primary']} href={at(path)}
							>{isDone ? 'Look' : 'Do it'}<span class="sr-only">: {name}</span></a
						>{/if}
				</span>
			</li>
		{/each}
	</ol>
</main>
