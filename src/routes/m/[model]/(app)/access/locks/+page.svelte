<script lang="ts">
	import { invalidateAll } from '$app/navigation';
	import { at } from '$lib/ui/at';
	import { formatMoment } from '$lib/ui/figures/format';
	import DriversPanel from '$lib/ui/locks/DriversPanel.svelte';
	import { LockBoardState, NO_TERMS, type SetTerms } from '$lib/ui/locks/lock-board.svelte';
	import LockGrid from '$lib/ui/locks/LockGrid.svelte';
	import LockPanel from '$lib/ui/locks/LockPanel.svelte';
	import LockTable from '$lib/ui/locks/LockTable.svelte';
	import PeriodClosePanel from '$lib/ui/locks/PeriodClosePanel.svelte';
	import SetBar from '$lib/ui/locks/SetBar.svelte';
	import { untrack } from 'svelte';
	import { useShell } from '$lib/ui/shell/shell.svelte';

	let { data } = $props();
	useShell().at({ name: 'Access', path: '/access' }, { name: 'Locks' });
	const mayWrite = $derived(data.person.permissions.includes('lock.write'));
	// svelte-ignore state_referenced_locally
	const board = new LockBoardState(data.head, invalidateAll);
	let terms = $state.raw<SetTerms>(NO_TERMS);
	let choosing = $state(false);
	const isOn = $derived(data.head.dimensions.some(({ drives }) => drives));
	const TABS = [
		['board', 'Board'],
		['period close', 'Period close'],
		['cycle', 'Cycle'],
		['history', 'History']
	] as const;
	const said = (): SetTerms => ({ ...terms, writers: terms.writers.length > 0 ? terms.writers : [{ person: data.person.id }] });

	$effect(() => {
		const { head, view } = data;
		// What the board reads and writes meanwhile is no reason to read it again.
		untrack(() => {
			const drivers = (of: typeof head) =>
				of.dimensions
					.filter(({ drives }) => drives)
					.map(({ id }) => id)
					.join();
			const before = drivers(board.head);
			board.head = head;
			if (before !== drivers(head)) board.begin();
			if (view === 'history') return;
			board.layer = view;
			void board.read();
		});
	});
	const others = $derived(board.drivers.filter(({ id }) => id !== board.columns));
	function turn(dimension: number, to: 'rows' | 'columns') {
		if (to === 'columns') {
			board.rows = board.rows.filter((id) => id !== dimension);
			if (board.rows.length === 0) board.rows = [board.columns];
			board.columns = dimension;
			board.within = board.yearOf(board.chosen);
		} else
			board.rows = board.rows.includes(dimension)
				? board.rows.length > 1
					? board.rows.filter((id) => id !== dimension)
					: board.rows
				: [...board.rows, dimension].slice(-2);
		void board.read();
	}
	const indented = (name: string, depth: number) => `${' '.repeat(depth * 2)}${name}`;
	const selection = $derived(board.selection);
	const exceptions = $derived(board.board ? board.cellAt(board.focus.row, board.focus.column).exceptions : 0);
</script>

<main class="flex min-h-0 flex-col px-4.5 pt-3.5">
	<div class="flex flex-wrap items-start justify-between gap-3">
		<div>
			<h1 class="text-xl font-semibold tracking-tight">Locks</h1>
			<p class="text-soft text-[13px]">Who may still change which months. Every layer must allow an entry.</p>
		</div>
		{#if mayWrite && data.view === 'board' && isOn}<div><SetBar {board} names={data.names} self={data.person.id} bind:terms /></div>{/if}
	</div>
	<div class="my-2.5 flex flex-wrap items-center gap-2">
		<nav class="border-rule flex overflow-hidden rounded-md border" aria-label="Layers of locks">
			{#each TABS as [view, name] (view)}<a
					href={at(`/access/locks?layer=${encodeURIComponent(view)}`)}
					aria-current={data.view === view ? 'page' : undefined}
					class={[
						'border-rule border-r px-3 py-1 last:border-r-0',
						data.view === view ? 'bg-base-200 text-primary font-semibold' : 'text-soft'
					]}>{name}</a
				>{/each}
		</nav>
		{#if isOn && (data.view === 'board' || data.view === 'cycle')}
			{#each board.selectors as { id, name, kind, members } (id)}
				<label class="text-soft flex items-center gap-1.5 text-[13px]"
					>{name}<select
						class="select select-sm w-44"
						aria-label={name}
						value={board.chosen[id] ?? ''}
						onchange={(event) => {
							const { [id]: _, ...rest } = board.chosen;
							board.chosen = event.currentTarget.value === '' ? rest : { ...rest, [id]: Number(event.currentTarget.value) };
							if (kind === 'scenario') board.within = board.yearOf(board.chosen);
							void board.read();
						}}
						>{#if kind !== 'scenario'}<option value="">all</option>{/if}
						{#each members as member (member.id)}<option value={member.id}>{indented(member.name, member.depth)}</option>{/each}</select
					></label
				>
			{/each}
			<fieldset class="text-soft flex items-center gap-1.5 text-[13px]">
				<legend class="sr-only">Rows</legend>Rows
				{#each others as { id, name } (id)}<button
						class={['btn btn-xs', board.rows.includes(id) && 'btn-active']}
						aria-pressed={board.rows.includes(id)}
						onclick={() => turn(id, 'rows')}>{name}</button
					>{/each}
			</fieldset>
			<label class="text-soft flex items-center gap-1.5 text-[13px]"
				>Columns<select
					class="select select-sm w-32"
					value={board.columns}
					onchange={(event) => turn(Number(event.currentTarget.value), 'columns')}
					>{#each board.drivers as { id, name } (id)}<option value={id}>{name}</option>{/each}</select
				></label
			>
			{#each board.drivers.filter(({ id }) => id === board.columns) as { id, members } (id)}
				<select
					class="select select-sm w-32"
					aria-label="Which columns"
					value={board.within ?? ''}
					onchange={(event) => {
						board.within = event.currentTarget.value === '' ? null : Number(event.currentTarget.value);
						void board.read();
					}}
					><option value="">all</option>{#each members.filter(({ depth }) => depth === 0) as member (member.id)}<option value={member.id}
							>{member.name}</option
						>{/each}</select
				>
			{/each}
			{#if data.view === 'board'}<button class="btn btn-ghost btn-sm" onclick={() => (choosing = !choosing)}>What drives it</button>{/if}
		{/if}
	</div>
	{#if board.told}<p class={['mb-2', board.told.isFault ? 'text-error' : 'text-success']} role={board.told.isFault ? 'alert' : 'status'}>
			{board.told.words}
		</p>{/if}
	{#if (choosing || !isOn) && data.view === 'board'}
		{#if !isOn}<p class="text-soft">The lock board of this model is switched off. Choose what drives it:</p>{/if}
		{#key data.head}<DriversPanel
				head={data.head}
				{mayWrite}
				onclose={() => (choosing = false)}
				ontold={(told) => (board.told = told)}
			/>{/key}
	{/if}
	{#if data.view === 'period close' && data.close}
		<PeriodClosePanel
			close={data.close}
			standing={data.standing}
			{mayWrite}
			mayCheck={data.person.permissions.includes('structure.write')}
			locale={data.person.locale}
		/>
	{:else if data.view === 'history'}
		<ul class="border-rule min-h-0 max-w-3xl overflow-auto border-t" aria-label="History of locks">
			{#each data.history as { id, at: when, person, layer, words, reason, slices, isTakenBack } (id)}
				<li class="border-hairline flex items-baseline gap-3 border-b py-1.5">
					<span class="text-soft w-38 shrink-0 text-[13px]">{formatMoment(when, data.person.locale)}</span>
					<span class="grow"
						>{words}{reason ? ` · “${reason}”` : ''}<span class="text-soft text-[13px]"
							>, {person ?? 'by itself'}, {layer}{slices > 1 ? `, ${slices} slices` : ''}</span
						></span
					>
					{#if isTakenBack}<span class="text-soft text-[13px]">taken back</span>
					{:else if mayWrite && layer === 'board'}<button class="text-primary text-[13px] font-semibold" onclick={() => board.takeBack(id)}
							>Take it back</button
						>{/if}
				</li>
			{:else}<li class="text-soft py-2">Nothing was locked yet.</li>{/each}
		</ul>
	{:else if isOn && board.board}
		<div class="border-rule flex min-h-0 grow border-t">
			<LockGrid {board} terms={said} {mayWrite} />
			<LockPanel {board} locale={data.person.locale} />
		</div>
		<footer class="border-rule text-soft -mx-4.5 flex h-7 shrink-0 items-center gap-5 border-t px-4.5 text-[13px]">
			<span>Selected <b class="text-base-content font-semibold">{selection.cells === 1 ? 'one cell' : `${selection.cells} cells`}</b></span>
			<span class="flex items-center gap-1.5"><i class="corner"></i>set here</span>
			<span class="flex items-center gap-1.5"><i class="swatch half"></i>held</span>
			<span class="flex items-center gap-1.5"><i class="swatch"></i>closed</span>
			<span
				>{exceptions === 0
					? 'a numeral counts what differs beneath'
					: `${exceptions} ${exceptions === 1 ? 'differs' : 'differ'} beneath`}</span
			>
			{#if mayWrite && data.view === 'board'}<span class="ml-auto">O, H, C set; Delete for as above; Ctrl Z takes the last change back</span
				>{/if}
		</footer>
	{/if}
	{#if data.view === 'board' && isOn && data.head.others.length > 0}
		<details class="border-hairline shrink-0 border-t py-1.5">
			<summary class="text-soft cursor-pointer text-[13px]"
				>{data.head.others.length === 1 ? 'One lock' : `${data.head.others.length} locks`} beside the board, over other dimensions or several
				members</summary
			>
			<ul>
				{#each data.head.others as { id, name, state, reason } (id)}<li class="flex items-baseline gap-3 py-0.5 text-[13px]">
						<span>{name}: <b class="font-semibold">{state}</b>{reason ? ` · “${reason}”` : ''}</span>
						{#if mayWrite}<button class="text-primary font-semibold" onclick={() => board.drop(id)}>Take it away</button>{/if}
					</li>{/each}
			</ul>
		</details>
	{/if}
	{#if data.view === 'board' && isOn && choosing}<LockTable {mayWrite} ontold={(told) => (board.told = told)} />{/if}
</main>

<style>
	.corner {
		border: 4px solid transparent;
		border-top-color: var(--color-primary);
		border-left-color: var(--color-primary);
	}
	.swatch {
		width: 22px;
		height: 14px;
		border: 1px solid var(--hairline);
		background: repeating-linear-gradient(135deg, transparent 0 6px, var(--mark) 6px 6.7px) var(--color-base-200);
	}
	.swatch.half {
		background:
			linear-gradient(var(--color-base-100) 50%, transparent 50%),
			repeating-linear-gradient(135deg, transparent 0 6px, var(--mark) 6px 6.7px) var(--color-base-200);
	}
</style>
