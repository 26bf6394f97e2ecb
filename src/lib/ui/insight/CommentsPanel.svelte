<script lang="ts">
	import type { BoardComment } from '$lib/server/insight';
	import { onMount } from 'svelte';
	import { formatFigure, formatMoment } from '../figures/format';
	import { request } from '../request';
	import type { BoardDesk } from './board-desk.svelte';
	import { figureShown } from './tile-data';

	interface Props {
		desk: BoardDesk;
		/** The tile (id) it is about; null for the board. */
		about: number | null;
		locale: string;
		onabout: (tile: number | null) => void;
		onclose: () => void;
	}
	let { desk, about, locale, onabout, onclose }: Props = $props();
	let comments = $state.raw<BoardComment[]>([]);
	let people = $state.raw<string[]>([]);
	let text = $state('');
	/** The names that may follow an @. */
	const mention = $derived(/@([\p{L} ]{0,30})$/u.exec(text)?.[1]);
	const mentioned = $derived(
		mention === undefined ? [] : people.filter((name) => name.toLowerCase().startsWith(mention.toLowerCase())).slice(0, 5)
	);
	let fault = $state('');

	const titleOf = (tile: number) =>
		desk.content.tabs.flatMap(({ tiles }) => tiles).find(({ id }) => id === tile)?.title ?? 'a tile that is gone';

	async function read() {
		const reply = await request<{ comments: BoardComment[]; people: string[] }>('/api/boards/comments', { id: desk.board.id });
		if (reply.ok) ({ comments, people } = reply.answer);
		else fault = reply.message;
	}
	onMount(() => void read());

	/** What the tile shows now, in words: it will be another figure one day. */
	function figuresNow(): string {
		const answer = about === null ? undefined : desk.answer(about);
		const at = desk.figures.selectors.map(({ choices, chosen }) => choices.find(({ member }) => member === chosen)?.name ?? '').join(', ');
		if (answer?.kind !== 'figures') return at;
		const shown = figureShown(answer);
		if (!shown || shown.value === null) return at;
		const written = (value: number) =>
			formatFigure(value, { valueType: shown.percent ? 'percent' : shown.line.valueType, decimals: shown.line.decimals }, locale);
		return `${shown.line.label} ${written(shown.value)}${shown.against === null ? '' : `, ${answer.names.against} ${written(shown.against)}`}; ${at}`;
	}
	async function say(event: SubmitEvent) {
		event.preventDefault();
		const reply = await request('/api/boards/say', { id: desk.board.id, tile: about, text, figures: figuresNow().slice(0, 1_000) });
		fault = reply.ok ? '' : reply.message;
		if (!reply.ok) return;
		text = '';
		await read();
	}
	async function unsay(comment: number) {
		const reply = await request('/api/boards/unsay', { id: desk.board.id, comment });
		fault = reply.ok ? '' : reply.message;
		if (reply.ok) await read();
	}
</script>

<aside class="border-hairline bg-base-100 w-80 shrink-0 overflow-y-auto border-l px-4 py-3 text-[13px]" aria-label="Comments">
	<div class="flex items-center gap-2">
		<h2 class="grow text-sm font-semibold">Comments</h2>
		<button class="btn btn-xs" onclick={onclose}>Close</button>
	</div>
	<form class="mt-2 grid gap-1.5" onsubmit={say}>
		<label class="grid gap-0.5"
			>To<select
				class="select select-sm w-full"
				aria-label="To"
				value={about === null ? '' : String(about)}
				onchange={(event) => onabout(event.currentTarget.value === '' ? null : Number(event.currentTarget.value))}
				><option value="">the board</option>{#each desk.tiles as { id, title } (id)}<option value={String(id)}>{title || 'a tile'}</option
					>{/each}</select
			></label
		>
		<textarea
			class="textarea h-20 w-full text-[13px]"
			aria-label="What you say"
			placeholder="Say something; @ tells somebody"
			maxlength="2000"
			bind:value={text}></textarea>
		{#if mentioned.length > 0}
			<div class="flex flex-wrap gap-1">
				{#each mentioned as name (name)}<button
						type="button"
						class="btn btn-xs"
						onclick={() => (text = text.replace(/@[\p{L} ]{0,30}$/u, `@${name} `))}>{name}</button
					>{/each}
			</div>
		{/if}
		{#if fault}<p class="text-error" role="alert">{fault}</p>{/if}
		<button class="btn btn-primary btn-sm justify-self-start" disabled={text.trim() === ''}>Say it</button>
	</form>
	<ul class="mt-3">
		{#each comments as { id, tile, person, at: moment, text: words, figures, mine } (id)}
			<li class="border-hairline border-t py-2">
				<p class="text-grey text-xs">{person}, {formatMoment(moment, locale)}{tile === null ? '' : `, to “${titleOf(tile)}”`}</p>
				<p class="whitespace-pre-wrap">{words}</p>
				{#if figures}<p class="text-soft text-xs">It showed then: {figures}</p>{/if}
				{#if mine}<button class="text-primary text-xs font-semibold" onclick={() => unsay(id)}>Take it away</button>{/if}
			</li>
		{:else}<li class="text-grey">Nothing has been said yet.</li>{/each}
	</ul>
</aside>
