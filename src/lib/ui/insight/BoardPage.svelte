<script lang="ts">
	import { goto, invalidate } from '$app/navigation';
	import { page } from '$app/state';
	import { isViewCode, type BoardContent, type Tile } from '$lib/core';
	import type { FormChoices } from '$lib/server/form';
	import type { BoardDeskData, BoardFigures } from '$lib/server/insight';
	import Ellipsis from '@lucide/svelte/icons/ellipsis';
	import Grip from '@lucide/svelte/icons/grip-vertical';
	import { onMount, tick, untrack } from 'svelte';
	import { SvelteMap, SvelteSet } from 'svelte/reactivity';
	import { dndzone } from 'svelte-dnd-action';
	import { at } from '../at';
	import { formatCount, formatMoment } from '../figures/format';
	import type { FormSession } from '../grid/form-session.svelte';
	import SelectorChip from '../pickers/SelectorChip.svelte';
	import { request } from '../request';
	import { useShell } from '../shell/shell.svelte';
	import { BoardDesk, type BoardPlace } from './board-desk.svelte';
	import BoardFacts from './BoardFacts.svelte';
	import CommentsPanel from './CommentsPanel.svelte';
	import SendPanel from './SendPanel.svelte';
	import FormTile from './FormTile.svelte';
	import { waterfall } from './tile-data';
	import { saveAs, tileCsv } from './tile-file';
	import TileBody from './TileBody.svelte';
	import TileEditor from './TileEditor.svelte';

	interface Props {
		data: {
			person: { id: number; name: string; locale: string; permissions: readonly string[] };
			model: { id: number; name: string };
			branch: { id: number; name: string; whyNot: string } | null;
			forms: { code: string; name: string }[];
			runbooks: { id: number; name: string }[];
			desk: BoardDeskData;
			place: BoardPlace;
			figures: BoardFigures;
		};
	}
	let { data }: Props = $props();
	const shell = useShell();
	const locale = $derived(data.person.locale);
	const desk = untrack(() => new BoardDesk(data.desk.board, data.figures, data.place));
	$effect.pre(() => {
		const { desk: read, figures, place } = data;
		untrack(() => desk.take(read.board, figures, place));
	});

	const ROW = 76;
	let learned = $state.raw<ReadonlyMap<number, string>>(new Map());
	const names = $derived(new Map([...Object.entries(data.desk.names).map(([id, name]) => [Number(id), name] as const), ...learned]));
	const know = (members: readonly { id: number; name: string }[]) =>
		(learned = new Map([...learned, ...members.map(({ id, name }) => [id, name] as const)]));
	const tables = new SvelteSet<number>();
	let full = $state<number | null>(null);
	let talks = $state(false);
	let sends = $state(false);
	let about = $state<number | null>(null);
	const sessions = new SvelteMap<number, FormSession>();
	const bodies = new Map<number, ReturnType<typeof TileBody>>();
	let moving = $state.raw<{ id: number }[] | null>(null);
	const more = $props.id();

	const axes = $derived(data.desk.axes);
	/** What stands chosen, for forms on the board; the same object as long as it is the same choice. */
	const chosenKey = $derived(
		JSON.stringify({
			members: Object.fromEntries(desk.figures.selectors.map(({ dimension, chosen }) => [dimension, chosen])),
			currency: desk.figures.currency
		})
	);
	const formChoices = $derived(JSON.parse(chosenKey) as FormChoices);
	const mayEnter = $derived(data.person.permissions.includes('form.enter') && !data.branch?.whyNot);
	const unsaved = $derived([...sessions.values()].reduce((sum, { form }) => sum + form.draftHere, 0));
	const tiles = $derived<readonly { id: number }[]>(moving ?? desk.shown.map(({ id }) => ({ id })));
	const tileOf = (id: number): Tile | undefined => desk.tiles.find((tile) => tile.id === id);
	const seenBy = $derived.by(() => {
		const { shared, mine, people } = desk.board;
		if (shared) return ', shared';
		if (!mine) return ', shown to you';
		return people.length === 0 ? ', for its owner alone' : `, shown to ${people.length === 1 ? 'one person' : `${people.length} people`}`;
	});
	const periods = $derived(axes.find(({ kind }) => kind === 'period')!.id);
	const picked = $derived(desk.draft && desk.picked !== null ? tileOf(desk.picked) : undefined);

	$effect(() => {
		shell.at({ name: 'Insight', path: '/insight' }, { name: desk.board.name });
	});
	onMount(() => {
		const events = new EventSource(at('/api/events'));
		let seen = desk.figures.revision;
		const anew = () => {
			for (const session of sessions.values()) void session.refreshNow();
			void desk.refresh();
		};
		events.addEventListener('revision', (event) => {
			const { revision } = JSON.parse(event.data) as { revision: number };
			if (revision <= seen) return;
			seen = revision;
			anew();
		});
		events.addEventListener('branch', anew);
		events.addEventListener('structure', (event) => {
			const { structure } = JSON.parse(event.data) as { structure: number };
			for (const session of sessions.values()) void session.follow(structure);
			void invalidate('app:board');
		});
		return () => events.close();
	});

	function go(change: (parameters: URLSearchParams) => void) {
		const url = new URL(page.url);
		change(url.searchParams);
		void goto(url, { keepFocus: true, noScroll: true });
	}
	const choose = (key: string, value: string) => go((parameters) => parameters.set(key, value));

	/** The members of a figure of a tile, in address order. */
	function placeOf(members: Record<number, number>, tile: Tile): number[] {
		const own = 'source' in tile ? tile.source.at : 'at' in tile ? tile.at : {};
		const one = ({ id, top }: { id: number; top: number }) =>
			members[id] ?? own[id] ?? desk.figures.selectors.find(({ dimension }) => dimension === id)?.chosen ?? top;
		return [...axes.filter(({ kind }) => kind !== 'period').map(one), ...axes.filter(({ kind }) => kind === 'period').map(one)];
	}
	const explore = (tile: Tile, members: Record<number, number>) => {
		if (tile.kind === 'view' || tile.kind === 'form')
			void goto(at(tile.kind === 'view' && isViewCode(tile.code) ? `/insight/explore/${tile.code}` : `/forms/${tile.code}`));
		else void goto(at(`/insight/explore?place=${placeOf(members, tile).join('.')}&in=${desk.figures.currency}`));
	};
	const why = (place: number[]) =>
		void goto(at(`/insight/why?place=${place.join('.')}&vs=${desk.figures.against?.key ?? 'y1'}&in=${desk.figures.currency}`));

	function download(tile: Tile, as: 'csv' | 'png' | 'svg') {
		const answer = desk.answer(tile.id);
		const file = (tile.title || desk.board.name).replaceAll(/[^\p{L}\p{N} _-]+/gu, ' ').trim() || 'tile';
		if (as !== 'csv') {
			void Promise.resolve(bodies.get(tile.id)?.picture(as)).then((href) => href && saveAs(`${file}.${as}`, href));
			return;
		}
		const chosen = desk.figures.selectors.map(
			({ name, choices, chosen: member }) => `${name}: ${choices.find((choice) => choice.member === member)?.name ?? ''}`
		);
		const source = {
			title: `${desk.board.name}: ${tile.title}`,
			lines: [
				`${data.model.name}${data.branch ? `, branch ${data.branch.name}` : ''}, revision ${desk.figures.revision}`,
				...chosen,
				`In ${desk.figures.currency}${desk.figures.against ? `, compared with ${desk.figures.against.name}` : ''}`
			]
		};
		const found =
			answer?.kind === 'figures'
				? answer
				: answer?.kind === 'steps'
					? { ...answer, steps: waterfall(answer, answer.names) ?? [] }
					: undefined;
		if (found) saveAs(`${file}.csv`, URL.createObjectURL(new Blob([tileCsv(source, found)], { type: 'text/csv' })));
	}
	const isFigures = (tile: Tile) => ['figures', 'steps'].includes(desk.answer(tile.id)?.kind ?? '');
	const isDrawn = (tile: Tile) => tile.kind === 'chart' || tile.kind === 'waterfall' || tile.kind === 'figure';

	async function save() {
		for (const session of sessions.values()) if (session.form.draftHere > 0) await session.save();
		await desk.refresh();
	}
	async function discard() {
		for (const session of sessions.values()) if (session.form.draftHere > 0) await session.discard();
		await desk.refresh();
	}
	async function store() {
		if (await desk.store()) await invalidate('app:board');
	}
	function addTile() {
		const account = axes.find(({ kind }) => kind === 'account')!;
		desk.add({
			kind: 'figure',
			title: 'New tile',
			width: 4,
			height: 2,
			source: { rows: { dimension: account.id, selection: { kind: 'these', members: [account.top] } }, at: {}, compare: true }
		} as Omit<Tile, 'id'> & { kind: Tile['kind'] });
		void tick().then(() => document.getElementById(`tile-${desk.picked}`)?.scrollIntoView({ block: 'nearest' }));
	}
	function ontilekey(event: KeyboardEvent, tile: Tile) {
		const by = { ArrowLeft: -1, ArrowRight: 1, ArrowUp: -1, ArrowDown: 1 }[event.key];
		if (by === undefined) {
			if (event.key !== 'Delete') return;
			desk.remove(tile.id);
		} else if (event.shiftKey) {
			const across = event.key === 'ArrowLeft' || event.key === 'ArrowRight';
			desk.resize(tile.id, across ? by : 0, across ? 0 : by);
		} else {
			desk.move(tile.id, by);
			void tick().then(() => document.getElementById(`grip-${tile.id}`)?.focus());
		}
		event.preventDefault();
	}
	async function copy() {
		const reply = await request<{ id: number }>('/api/boards/copy', { id: desk.board.id });
		if (reply.ok) await goto(at(`/insight/boards/${reply.answer.id}`));
		else desk.fault = reply.message;
	}
	function addPage() {
		desk.change((content) => ({ ...content, tabs: [...content.tabs, { name: `Page ${content.tabs.length + 1}`, tiles: [] }] }));
		choose('tab', String(desk.content.tabs.length - 1));
	}
	const setContent = (next: (content: BoardContent) => BoardContent) => desk.change(next);
</script>

<svelte:window
	onkeydown={(event) => {
		if ((event.ctrlKey || event.metaKey) && !event.altKey && event.key.toLowerCase() === 's' && unsaved > 0 && !event.defaultPrevented) {
			event.preventDefault();
			void save();
		} else if (event.key === 'Escape' && full !== null) full = null;
	}}
/>

<div class="flex min-h-0 min-w-0">
	<main class="min-w-0 grow overflow-y-auto">
		<div class="px-4.5 pt-3 pb-2">
			<div class="flex items-start gap-2">
				<div class="min-w-0 grow">
					<h1 class="truncate text-xl font-semibold tracking-tight">{desk.board.name}</h1>
					{#if desk.board.description}<p class="text-grey text-[13px]">{desk.board.description}</p>{/if}
				</div>
				{#if unsaved > 0}
					<button class="btn btn-ghost btn-sm text-primary" onclick={discard}>Discard</button>
					<button class="btn btn-primary btn-sm" onclick={save}
						>Save {unsaved === 1 ? 'one change' : `${formatCount(unsaved, locale)} changes`}</button
					>
				{/if}
				{#if desk.draft}
					<button class="btn btn-ghost btn-sm" onclick={() => desk.leave()}>Leave it as it was</button>
					<button class="btn btn-primary btn-sm" disabled={desk.busy || desk.facts.name.trim() === ''} onclick={store}
						>Keep the board</button
					>
				{:else}
					<button class="btn btn-ghost btn-sm" aria-pressed={talks} onclick={() => (talks = !talks)}>Comments</button>
					{#if desk.board.mayChange}<button class="btn btn-sm" onclick={() => desk.arrange()}>Arrange</button>{/if}
					<button class="btn btn-ghost btn-sm btn-square" popovertarget={more} style="anchor-name: --{more}" aria-label="More"
						><Ellipsis size={16} aria-hidden="true" /></button
					>
					<div
						id={more}
						popover="auto"
						class="bg-raised border-rule text-base-content m-0 w-56 rounded-md border p-1 text-[13px] shadow-lg"
						style="inset: auto; position-anchor: --{more}; top: calc(anchor(bottom) + 4px); right: anchor(right)"
					>
						<button class="hover:bg-base-200 block w-full rounded px-2.5 py-1 text-left" onclick={copy}>Copy this board</button>
						<button
							class="hover:bg-base-200 block w-full rounded px-2.5 py-1 text-left"
							onclick={() => void window.open(at(`/print/boards/${desk.board.id}${page.url.search}`), '_blank')}>Print</button
						>
						{#if !data.branch}<button
								class="hover:bg-base-200 block w-full rounded px-2.5 py-1 text-left"
								onclick={() => {
									sends = true;
									document.getElementById(more)?.hidePopover();
								}}>Send as PDF…</button
							>{/if}
						{#each desk.tiles.filter(({ id }) => desk.board.hidden.includes(id)) as { id, title } (id)}
							<button class="hover:bg-base-200 block w-full rounded px-2.5 py-1 text-left" onclick={() => desk.hide(id)}
								>Show “{title || 'a tile'}” again</button
							>
						{/each}
					</div>
				{/if}
			</div>
			{#if desk.draft}<BoardFacts
					{desk}
					{axes}
					{names}
					onchange={setContent}
					againstChoices={desk.figures.againstChoices}
					onaddtile={addTile}
					onaddpage={addPage}
					people={data.desk.people}
					{locale}
				/>{/if}
			<div class="mt-2 flex flex-wrap items-center gap-1.5" role="group" aria-label="What the board shows">
				{#each desk.figures.selectors as selector (selector.dimension)}
					<SelectorChip
						name={selector.dimension === periods ? 'Year' : selector.name}
						chosen={String(selector.chosen)}
						choices={selector.choices.map((choice) => ({ ...choice, value: String(choice.member) }))}
						onchoose={(value) => choose(`d${selector.dimension}`, value)}
					/>
				{/each}
				<SelectorChip
					name="Against"
					chosen={desk.figures.against?.key ?? 'none'}
					choices={[{ key: 'none', name: 'nothing' }, ...desk.figures.againstChoices].map(({ key, name }) => ({
						value: key,
						name,
						depth: 0,
						parent: false
					}))}
					onchoose={(value) => choose('vs', value)}
				/>
				<SelectorChip
					name="In"
					chosen={desk.figures.currency}
					choices={desk.figures.currencies.map((code) => ({
						value: code,
						name: code === 'local' ? 'local currency' : code,
						depth: 0,
						parent: false
					}))}
					onchoose={(value) => choose('in', value)}
				/>
				{#if desk.content.scale > 1}<span class="text-grey text-[13px]">{desk.content.scale === 1_000 ? 'thousands' : 'millions'}</span
					>{/if}
				{#if desk.figures.draftSize > 0}<span class="text-primary ml-auto text-[13px]" role="status"
						>◆ with {desk.figures.draftSize === 1 ? 'one unsaved entry' : `${formatCount(desk.figures.draftSize, locale)} unsaved entries`} of
						yours</span
					>{/if}
			</div>
			{#if desk.fault}<p class="text-error mt-2 text-[13px]" role="alert">{desk.fault}</p>{/if}
			{#if desk.content.tabs.length > 1}
				<div class="border-hairline mt-2 flex gap-1 border-b" role="tablist" aria-label="Pages of the board">
					{#each desk.content.tabs as { name }, place (place)}
						<button
							role="tab"
							aria-selected={desk.tab === place}
							class={[
								'-mb-px border-b-2 px-2.5 py-1 text-[13px]',
								desk.tab === place ? 'border-primary font-semibold' : 'text-soft border-transparent'
							]}
							onclick={() => choose('tab', String(place))}>{name}</button
						>
					{/each}
				</div>
			{/if}
		</div>
		{#if desk.shown.length === 0}
			<p class="border-rule mx-4.5 max-w-xl rounded-md border border-dashed px-4 py-5" role="status">
				{desk.draft
					? 'Nothing is on this page yet. Add a tile above.'
					: desk.tiles.length > 0
						? 'You have hidden all tiles of this page; show them again under More.'
						: 'Nothing is on this page yet. Arrange the board to put tiles on it.'}
			</p>
		{/if}
		<div
			class={['board border-hairline border-t', full !== null && 'is-full']}
			style="--row: {ROW}px"
			use:dndzone={{
				items: tiles as { id: number }[],
				type: 'tiles',
				flipDurationMs: 0,
				dragDisabled: !desk.draft,
				zoneTabIndex: -1,
				zoneItemTabIndex: -1,
				dropTargetStyle: { outline: '1.5px dashed var(--color-secondary)' }
			}}
			onconsider={(event) => (moving = event.detail.items as { id: number }[])}
			onfinalize={(event) => {
				const order = (event.detail.items as { id: number }[]).map(({ id }) => id);
				moving = null;
				desk.changeTiles((all) => [...all].sort((one, other) => order.indexOf(one.id) - order.indexOf(other.id)));
			}}
		>
			{#each tiles as { id } (id)}
				{@const tile = tileOf(id)}
				{#if tile}
					{@const rows = full === id ? Math.max(6, Math.floor((globalThis.innerHeight - 220) / ROW)) : tile.height}
					<div
						role="listitem"
						id="tile-{id}"
						class={[
							'tile border-hairline @container flex min-w-0 flex-col border-r border-b px-3.5 pt-2 pb-2',
							full !== null && full !== id && 'hidden',
							picked?.id === id && 'bg-base-200'
						]}
						style="--w: {full === id ? 12 : tile.width}; --narrow: {tile.width <= 3 ? 6 : 12}; --h: {rows}"
						aria-label={tile.title || 'Tile'}
					>
						<div class="mb-1 flex min-h-6 items-center gap-1.5">
							{#if desk.draft}
								<button
									id="grip-{id}"
									class="text-grey cursor-grab"
									aria-label="Move {tile.title || 'the tile'}: arrows move it, with Shift they change its size"
									onkeydown={(event) => ontilekey(event, tile)}><Grip size={14} aria-hidden="true" /></button
								>
							{/if}
							<h2 class="text-soft min-w-0 grow truncate text-[12.5px] font-semibold" title={tile.title}>{tile.title}</h2>
							{#if full === id}<button class="btn btn-xs" onclick={() => (full = null)}>Back to the board</button>{/if}
							{#if desk.draft}
								<button class="btn btn-xs" aria-pressed={picked?.id === id} onclick={() => (desk.picked = picked?.id === id ? null : id)}
									>Change</button
								>
							{:else}
								<button
									class="text-grey hover:text-base-content p-0.5"
									popovertarget="{more}-{id}"
									style="anchor-name: --{more}-{id}"
									aria-label="What can be done with {tile.title || 'this tile'}"><Ellipsis size={14} aria-hidden="true" /></button
								>
								<div
									id="{more}-{id}"
									popover="auto"
									class="bg-raised border-rule text-base-content m-0 w-52 rounded-md border p-1 text-[13px] shadow-lg"
									style="inset: auto; position-anchor: --{more}-{id}; top: calc(anchor(bottom) + 2px); right: anchor(right)"
								>
									{#snippet act(name: string, run: () => void)}
										<button
											class="hover:bg-base-200 block w-full rounded px-2.5 py-1 text-left"
											onclick={() => {
												document.getElementById(`${more}-${id}`)?.hidePopover();
												run();
											}}>{name}</button
										>
									{/snippet}
									{#if full !== id}{@render act('Open it full', () => (full = id))}{/if}
									{#if isDrawn(tile) && isFigures(tile)}{@render act(tables.has(id) ? 'As it is drawn' : 'As a table', () =>
											tables.has(id) ? tables.delete(id) : tables.add(id)
										)}{/if}
									{#if tile.kind === 'form' || tile.kind === 'view'}{@render act('Go to it', () => explore(tile, {}))}{/if}
									{#if isFigures(tile)}{@render act('Download as CSV', () => download(tile, 'csv'))}{/if}
									{#if tile.kind === 'chart' && !tables.has(id)}{@render act('Download as PNG', () => download(tile, 'png'))}{@render act(
											'Download as SVG',
											() => download(tile, 'svg')
										)}{/if}
									{@render act('Say something to it', () => {
										about = id;
										talks = true;
									})}
									{@render act('Hide it from me', () => void desk.hide(id))}
								</div>
							{/if}
						</div>
						<div class="flex min-h-0 grow flex-col">
							{#if tile.kind === 'form' && desk.answer(id)?.kind === 'form'}
								<FormTile
									code={tile.code}
									label={tile.title}
									choices={formChoices}
									scale={1}
									person={data.person}
									place={data.branch ? `${data.model.id}~${data.branch.id}` : data.model.id}
									{mayEnter}
									onsession={(session) => (session ? sessions.set(id, session) : sessions.delete(id))}
									onchanged={() => void desk.refresh()}
									onopen={() => explore(tile, {})}
								/>
							{:else}
								<TileBody
									bind:this={() => bodies.get(id)!, (body) => void (body ? bodies.set(id, body) : bodies.delete(id))}
									{tile}
									answer={desk.answer(id)}
									asTable={tables.has(id)}
									height={rows * ROW - 50}
									scale={desk.content.scale}
									{locale}
									currency={desk.figures.currency}
									onopen={(members) => explore(tile, members)}
									onwhy={why}
								/>
							{/if}
						</div>
					</div>
				{/if}
			{/each}
		</div>
		<p class="text-grey px-4.5 py-3 text-xs">
			{desk.board.owner ? `${desk.board.owner}’s board` : 'A board'}{seenBy} · revision {formatCount(desk.figures.revision, locale)} · changed
			{formatMoment(desk.board.changed, locale)}
		</p>
	</main>
	{#if picked}
		{#key picked.id}
			<TileEditor {desk} data={data.desk} {names} {know} forms={data.forms} runbooks={data.runbooks} tile={picked} />
		{/key}
	{:else if sends}
		<SendPanel board={desk.board} {locale} onclose={() => (sends = false)} />
	{:else if talks}
		<CommentsPanel {desk} {about} {locale} onabout={(tile) => (about = tile)} onclose={() => (talks = false)} />
	{/if}
</div>

<style>
	.board {
		display: grid;
		grid-template-columns: repeat(12, minmax(0, 1fr));
		grid-auto-rows: var(--row);
		grid-auto-flow: row dense;
	}
	.tile {
		grid-column: span var(--w);
		grid-row: span var(--h);
	}
	@media (max-width: 1000px) {
		.tile {
			grid-column: span var(--narrow);
		}
	}
</style>
