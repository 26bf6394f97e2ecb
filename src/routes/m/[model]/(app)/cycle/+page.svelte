<script lang="ts">
	import { goto, invalidateAll } from '$app/navigation';
	import { at } from '$lib/ui/at';
	import { formatDay } from '$lib/ui/figures/format';
	import { request } from '$lib/ui/request';
	import { useShell } from '$lib/ui/shell/shell.svelte';

	let { data } = $props();
	useShell().at({ name: 'Cycle' });
	const leads = $derived(data.person.permissions.includes('cycle.write'));
	let fault = $state('');
	async function copy(id: number) {
		const reply = await request<{ id: number }>('/api/cycle/copy', { id });
		if (reply.ok) await goto(at(`/cycle/${reply.answer.id}/define`));
		else fault = reply.message;
	}
	async function remove(id: number) {
		const reply = await request('/api/cycle/delete', { id });
		fault = reply.ok ? '' : reply.message;
		await invalidateAll();
	}
	const WORDS = { planned: 'not started', running: 'running', ended: 'ended' };
</script>

<main class="min-h-0 overflow-auto px-4.5 pt-3.5 pb-6">
	<div class="flex items-start justify-between">
		<h1 class="text-xl font-semibold tracking-tight">Rounds of planning</h1>
		<div class="flex gap-2">
			<a class="btn btn-sm" href={at('/cycle/messages')}>Messages</a>
			{#if leads}<a class="btn btn-primary btn-sm" href={at('/cycle/new')}>Define a round</a>{/if}
		</div>
	</div>
	{#if fault}<p class="text-error my-2" role="alert">{fault}</p>{/if}
	<ul class="border-rule mt-3 max-w-4xl border-t" aria-label="Rounds">
		{#each data.rounds as { id, name, state, scenario, from, to, units, approved, due } (id)}
			<li class="border-hairline flex items-baseline gap-4 border-b py-2">
				<a class="w-64 font-semibold hover:underline" href={at(state === 'planned' ? `/cycle/${id}/define` : `/cycle/${id}`)}>{name}</a>
				<span class="text-soft grow text-[13px]">{scenario}, {from} to {to}</span>
				<span class="text-[13px]"
					>{units > 0 ? `${approved} of ${units} approved` : ''}{due ? `, due ${formatDay(due, data.person.locale)}` : ''}</span
				>
				<span class="w-24">{WORDS[state]}</span>
				{#if leads}<button class="text-primary text-[13px] font-semibold" onclick={() => copy(id)}>Copy</button>
					{#if state === 'planned'}<button class="text-primary text-[13px] font-semibold" onclick={() => remove(id)}>Delete</button
						>{/if}{/if}
			</li>
		{:else}
			<li class="text-soft py-3">
				No round has been planned yet. A round says who fills which figures by when, and who reviews them{leads ? ': define one.' : '.'}
			</li>
		{/each}
	</ul>
</main>
