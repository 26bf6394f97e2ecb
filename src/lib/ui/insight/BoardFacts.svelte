<script lang="ts">
	import type { BoardContent } from '$lib/core';
	import type { BoardVersion, InsightAxis } from '$lib/server/insight';
	import { invalidate } from '$app/navigation';
	import { formatMoment } from '../figures/format';
	import { request } from '../request';
	import type { BoardDesk } from './board-desk.svelte';

	interface Props {
		desk: BoardDesk;
		axes: readonly InsightAxis[];
		names: ReadonlyMap<number, string>;
		againstChoices: readonly { key: string; name: string }[];
		onchange: (next: (content: BoardContent) => BoardContent) => void;
		onaddtile: () => void;
		onaddpage: () => void;
		/** Whom it can be shown to. */
		people: readonly { id: number; name: string }[];
		locale: string;
	}
	let { desk, axes, names, againstChoices, onchange, onaddtile, onaddpage, people, locale }: Props = $props();
	let versions = $state.raw<BoardVersion[] | null>(null);

	const content = $derived(desk.content);
	const against = $derived(
		content.against === null ? 'none' : 'scenario' in content.against ? `m${content.against.scenario}` : `y${content.against.years}`
	);
	function setAgainst(key: string) {
		onchange((each) => ({
			...each,
			against: key === 'none' ? null : key.startsWith('m') ? { scenario: Number(key.slice(1)) } : { years: Number(key.slice(1)) }
		}));
	}
	const isChosen = (id: number) => content.selectors.some(({ dimension }) => dimension === id);
	function toggle(axis: InsightAxis) {
		onchange((each) => ({
			...each,
			selectors: isChosen(axis.id)
				? each.selectors.filter(({ dimension }) => dimension !== axis.id)
				: [...each.selectors, { dimension: axis.id, initial: axis.top }]
		}));
	}
	/** What is chosen now is chosen at first from now on. */
	function keepChosen() {
		const chosen = new Map(desk.figures.selectors.map((selector) => [selector.dimension, selector.chosen]));
		onchange((each) => ({
			...each,
			selectors: each.selectors.map((part) => ({ ...part, initial: chosen.get(part.dimension) ?? part.initial }))
		}));
	}
	const renamePage = (name: string) =>
		onchange((each) => ({ ...each, tabs: each.tabs.map((tab, place) => (place === desk.tab ? { ...tab, name: name || tab.name } : tab)) }));
	const dropPage = () => onchange((each) => ({ ...each, tabs: each.tabs.filter((_, place) => place !== desk.tab) }));

	function show(event: Event & { currentTarget: HTMLSelectElement }) {
		const id = Number(event.currentTarget.value);
		if (id) desk.facts.people = [...desk.facts.people, id];
		event.currentTarget.value = '';
	}
	async function readVersions() {
		const reply = await request<{ versions: BoardVersion[] }>('/api/boards/versions', { id: desk.board.id });
		if (reply.ok) versions = reply.answer.versions;
		else desk.fault = reply.message;
	}
	async function restore(version: number) {
		const reply = await request('/api/boards/restore', { id: desk.board.id, version });
		if (!reply.ok) return (desk.fault = reply.message);
		desk.leave();
		await invalidate('app:board');
	}
</script>

<div class="border-rule mt-2 grid gap-2 rounded-md border px-3 py-2.5 text-[13px]">
	<div class="flex flex-wrap items-end gap-3">
		<label class="grid gap-0.5">Name<input class="input input-sm w-56" maxlength="80" bind:value={desk.facts.name} /></label>
		<label class="grid grow gap-0.5"
			>What it is for<input class="input input-sm w-full" maxlength="500" bind:value={desk.facts.description} /></label
		>
		{#if desk.board.mine}<label class="flex items-center gap-1.5 pb-1.5"
				><input type="checkbox" class="checkbox checkbox-xs" bind:checked={desk.facts.shared} /> Everybody in the model sees it</label
			>{/if}
	</div>
	{#if desk.board.mine && !desk.facts.shared}
		<div class="flex flex-wrap items-center gap-x-3 gap-y-1" role="group" aria-label="Who else sees it">
			<span class="text-grey text-xs font-semibold">Who else sees it</span>
			{#each desk.facts.people as id (id)}
				<span
					>{people.find((each) => each.id === id)?.name ?? 'Somebody who is gone'}
					<button
						class="text-primary font-semibold"
						aria-label="Take {people.find((each) => each.id === id)?.name ?? 'them'} off"
						onclick={() => (desk.facts.people = desk.facts.people.filter((each) => each !== id))}>×</button
					></span
				>
			{:else}<span class="text-soft">nobody</span>{/each}
			<select class="select select-xs w-40" aria-label="Show it to somebody" onchange={show}
				><option value="">Show it to…</option>{#each people.filter(({ id }) => !desk.facts.people.includes(id)) as { id, name } (id)}<option
						value={id}>{name}</option
					>{/each}</select
			>
		</div>
	{/if}
	<div class="flex flex-wrap items-center gap-x-3 gap-y-1.5" role="group" aria-label="Chosen on the board">
		<span class="text-grey text-xs font-semibold">Chosen on the board</span>
		{#each axes.filter(({ kind }) => kind !== 'account') as axis (axis.id)}
			<label class="flex items-center gap-1"
				><input type="checkbox" class="checkbox checkbox-xs" checked={isChosen(axis.id)} onchange={() => toggle(axis)} />
				{axis.name}{#if !isChosen(axis.id)}<span class="text-grey">: {names.get(axis.top) ?? 'its top'}</span>{/if}</label
			>
		{/each}
		<button class="btn btn-xs" onclick={keepChosen}>Begin with what is chosen now</button>
	</div>
	<div class="flex flex-wrap items-center gap-2">
		<label class="flex items-center gap-1.5"
			>Held against<select
				class="select select-xs w-44"
				aria-label="Held against"
				value={against}
				onchange={(event) => setAgainst(event.currentTarget.value)}
				><option value="none">nothing</option>{#each againstChoices as { key, name } (key)}<option value={key}>{name}</option
					>{/each}</select
			></label
		>
		<label class="flex items-center gap-1.5"
			>Money in<select
				class="select select-xs w-32"
				aria-label="Money in"
				value={String(content.scale)}
				onchange={(event) => {
					const scale = Number(event.currentTarget.value) as BoardContent['scale'];
					onchange((each) => ({ ...each, scale }));
				}}><option value="1">units</option><option value="1000">thousands</option><option value="1000000">millions</option></select
			></label
		>
		<span class="ml-auto flex flex-wrap gap-1.5">
			<input
				class="input input-xs w-32"
				aria-label="Name of the page"
				maxlength="60"
				value={content.tabs[desk.tab]?.name ?? ''}
				oninput={(event) => renamePage(event.currentTarget.value.trim())}
			/>
			<button class="btn btn-xs" onclick={onaddpage}>Add a page</button>
			{#if content.tabs.length > 1}<button class="btn btn-xs" onclick={dropPage}>Take this page off</button>{/if}
			<button class="btn btn-xs" onclick={readVersions}>Earlier versions</button>
			<button class="btn btn-primary btn-xs" onclick={onaddtile}>Add a tile</button>
		</span>
	</div>
	{#if versions}
		<ul class="max-h-40 overflow-auto" aria-label="Earlier versions">
			{#each versions as { version, person, at: moment, tiles } (version)}
				<li class="border-hairline flex gap-3 border-t py-0.5">
					<span class="grow"
						>Version {version}, {formatMoment(moment, locale)}, {person ?? 'somebody'}, {tiles === 1 ? 'one tile' : `${tiles} tiles`}</span
					>
					{#if version !== desk.board.version}<button class="text-primary font-semibold" onclick={() => restore(version)}>Put back</button
						>{:else}<span class="text-grey">this one</span>{/if}
				</li>
			{/each}
		</ul>
	{/if}
</div>
