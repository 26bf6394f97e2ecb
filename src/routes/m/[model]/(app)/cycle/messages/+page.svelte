<script lang="ts">
	import { invalidateAll } from '$app/navigation';
	import { at } from '$lib/ui/at';
	import { formatMoment } from '$lib/ui/figures/format';
	import { request } from '$lib/ui/request';
	import { useShell } from '$lib/ui/shell/shell.svelte';

	let { data } = $props();
	useShell().at({ name: 'Cycle', path: '/cycle' }, { name: 'Messages' });
	let whose = $state<'mine' | 'all'>('mine');
	let feed = $state('');
	let fault = $state('');
	async function choose(told: string) {
		const reply = await request('/api/cycle/told', { told });
		fault = reply.ok ? '' : reply.message;
		await invalidateAll();
	}
	async function makeKey() {
		const reply = await request<{ key: string }>('/api/cycle/feed-key', {});
		if (reply.ok) feed = `${location.origin}/feed/${reply.answer.key}.ics`;
		else fault = reply.message;
	}
	const shown = $derived(
		whose === 'all' && data.all ? data.all : data.messages.map((message) => ({ ...message, to: '', mailedAt: null as string | null }))
	);
</script>

<main class="min-h-0 overflow-auto px-4.5 pt-3.5 pb-6">
	<h1 class="text-xl font-semibold tracking-tight">Messages</h1>
	<p class="text-soft text-[13px]">
		What people are told of their units, of figures and boards. Letters go out by mail where a mail server is set; else they are kept here.
	</p>
	{#if fault}<p class="text-error my-2" role="alert">{fault}</p>{/if}
	<div class="my-3 flex flex-wrap items-center gap-4">
		<label class="text-soft flex items-center gap-2 text-[13px]"
			>Letters to me<select class="select select-sm w-40" value={data.told} onchange={(event) => choose(event.currentTarget.value)}
				><option value="at once">at once</option><option value="daily">one a day</option><option value="never">none</option></select
			></label
		>
		<button class="btn btn-sm" onclick={makeKey}>Calendar of what is due</button>
		{#if feed}<p class="text-[13px]" role="status">
				Subscribe to <code class="bg-base-200 px-1 select-all">{feed}</code>. It is shown once; a new one ends it.
			</p>{/if}
	</div>
	{#if data.all}
		<nav class="border-rule mb-2 inline-flex overflow-hidden rounded-md border" aria-label="Whose messages">
			{#each [['mine', 'Mine'], ['all', 'Everybody’s']] as const as [value, name] (value)}
				<button
					class={[
						'border-rule border-r px-3 py-1 last:border-r-0',
						whose === value ? 'bg-base-200 text-primary font-semibold' : 'text-soft'
					]}
					aria-pressed={whose === value}
					onclick={() => (whose = value)}>{name}</button
				>
			{/each}
		</nav>
	{/if}
	<ul class="border-rule max-w-4xl border-t" aria-label="Messages">
		{#each shown as { id, at: when, to, subject, body, path, mailedAt, files } (id)}
			<li class="border-hairline border-b py-1.5">
				<p class="flex gap-3">
					<span class="text-soft w-38 shrink-0 text-[13px]">{formatMoment(when, data.person.locale)}</span>
					{#if to}<b class="w-36 shrink-0 font-semibold">{to}</b>{/if}
					<a class="grow hover:underline" href={at(path)}>{subject}</a>
					{#if whose === 'all'}<span class="text-soft text-[13px]">{mailedAt ? 'letter written' : 'waits for its letter'}</span>{/if}
				</p>
				<p class="text-soft pl-41 text-[13px] whitespace-pre-line">{body}</p>
				{#each files as file (file.id)}
					<p class="pl-41 text-[13px]">
						{#if to && to !== data.person.name}{file.name}{:else}<a
								class="text-primary font-semibold hover:underline"
								href={at(`/api/insight/files/${file.id}`)}
								download>{file.name}</a
							>{/if}
					</p>
				{/each}
			</li>
		{:else}<li class="text-soft py-2">No messages yet.</li>{/each}
	</ul>
</main>
