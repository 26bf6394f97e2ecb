<script lang="ts">
	import { goto } from '$app/navigation';
	import type { BoardContent } from '$lib/core';
	import { at } from '$lib/ui/at';
	import { formatMoment } from '$lib/ui/figures/format';
	import { request } from '$lib/ui/request';
	import { useShell } from '$lib/ui/shell/shell.svelte';

	let { data } = $props();
	const shell = useShell();
	shell.at({ name: 'Insight' });
	let name = $state('');
	let making = $state(false);
	let busy = $state(false);
	let fault = $state('');
	const locale = $derived(data.person.locale);

	const EMPTY: BoardContent = {
		version: 1,
		selectors: [],
		against: null,
		currencies: ['EUR'],
		scale: 1,
		tabs: [{ name: 'Overview', tiles: [] }]
	};
	let account = $state('');
	async function make(from: 'model' | 'account' | 'nothing') {
		busy = true;
		const driven = data.driven.find(({ id }) => String(id) === account);
		const called = name.trim() || { model: 'A first board', account: driven?.name ?? '', nothing: 'New board' }[from];
		const reply =
			from === 'model'
				? await request<{ id: number }>('/api/boards/ready', { name: called })
				: from === 'account'
					? await request<{ id: number }>('/api/boards/drivers', { name: called, account: driven!.id })
					: await request<{ id: number }>('/api/boards/make', { name: called, content: EMPTY });
		busy = false;
		if (reply.ok) await goto(at(`/insight/boards/${reply.answer.id}`));
		else fault = reply.message;
	}
</script>

<main class="min-w-0 overflow-y-auto px-4.5 pt-3 pb-6">
	<div class="flex flex-wrap items-center gap-2">
		<h1 class="grow text-xl font-semibold tracking-tight">Insight</h1>
		<a class="btn btn-sm" href={at('/insight/journal')}>Journal</a>
		<a class="btn btn-sm" href={at('/branches/compare')}>Compare</a>
		<a class="btn btn-primary btn-sm" href={at('/insight/explore')}>Explore the figures</a>
	</div>
	<section class="mt-4" aria-labelledby="boards">
		<div class="flex items-baseline gap-3">
			<h2 id="boards" class="font-semibold">Boards</h2>
			<button class="text-primary text-[13px] font-semibold" aria-expanded={making} onclick={() => (making = !making)}>Make a board</button>
		</div>
		{#if making}
			<div class="border-rule mt-1.5 flex max-w-2xl flex-wrap items-end gap-2 rounded-md border px-3 py-2.5 text-[13px]">
				<label class="grid gap-0.5">Name<input class="input input-sm w-64" maxlength="80" bind:value={name} /></label>
				<button class="btn btn-primary btn-sm" disabled={busy} onclick={() => make('model')}>Begin with what the model is</button>
				<button class="btn btn-sm" disabled={busy} onclick={() => make('nothing')}>Begin empty</button>
				<p class="text-grey w-full text-xs">The first puts its result, ratios, course and differences on a page; change all you like.</p>
				{#if data.driven.length > 0}
					<label class="grid gap-0.5"
						>Account<select class="select select-sm w-64" bind:value={account}
							><option value="">choose one</option>{#each data.driven as { id, name: called } (id)}<option value={String(id)}
									>{called}</option
								>{/each}</select
						></label
					>
					<button class="btn btn-sm" disabled={busy || account === ''} onclick={() => make('account')}>Begin with what drives it</button>
					<p class="text-grey w-full text-xs">
						Its drivers to type in, its course, its years side by side and what makes the difference, all following as one types.
					</p>
				{/if}
			</div>
		{/if}
		{#if fault}<p class="text-error mt-1 text-[13px]" role="alert">{fault}</p>{/if}
		<ul class="mt-1 max-w-4xl text-[13.5px]">
			{#each data.boards as board (board.id)}
				<li class="border-hairline flex items-baseline gap-3 border-t py-1.5">
					<a class="min-w-56 font-semibold hover:underline" href={at(`/insight/boards/${board.id}`)}>{board.name}</a>
					<span class="text-soft min-w-0 grow truncate">{board.description}</span>
					<span class="text-grey text-xs whitespace-nowrap"
						>{board.tiles === 1 ? 'one tile' : `${board.tiles} tiles`} · {board.mine
							? board.shared
								? 'yours, shared'
								: 'yours'
							: (board.owner ?? 'shared')} · {formatMoment(board.changed, locale)}</span
					>
				</li>
			{:else}<li class="text-grey py-1">No boards yet. One press makes a sensible first one from what the model is.</li>{/each}
		</ul>
	</section>
	<section class="mt-5" aria-labelledby="views">
		<h2 id="views" class="font-semibold">Kept views</h2>
		<ul class="mt-1 max-w-4xl text-[13.5px]">
			{#each data.views as view (view.code)}
				<li class="border-hairline flex items-baseline gap-3 border-t py-1.5">
					<a class="min-w-56 font-semibold hover:underline" href={at(`/insight/explore/${view.code}`)}>{view.name}</a>
					<span class="text-soft min-w-0 grow truncate">{view.description}</span>
					<span class="text-grey text-xs whitespace-nowrap"
						>{view.mine ? (view.shared ? 'yours, shared' : 'yours') : view.owner} · {formatMoment(view.changed, locale)}</span
					>
				</li>
			{:else}<li class="text-grey py-1">
					None is kept yet. Explore the figures, turn them until they say something, and keep that.
				</li>{/each}
		</ul>
	</section>
</main>
