<script lang="ts">
	import { goto } from '$app/navigation';
	import { page } from '$app/state';
	import { formatCount, formatFigure, formatMoment } from '$lib/ui/figures/format';
	import ConflictList from '$lib/ui/grid/ConflictList.svelte';
	import { FormSession } from '$lib/ui/grid/form-session.svelte';
	import Grid from '$lib/ui/grid/Grid.svelte';
	import { formatAt, GridState } from '$lib/ui/grid/grid-state.svelte';
	import Inspector from '$lib/ui/grid/Inspector.svelte';
	import Legend from '$lib/ui/grid/Legend.svelte';
	import SelectorChip from '$lib/ui/pickers/SelectorChip.svelte';
	import { useShell } from '$lib/ui/shell/shell.svelte';
	import PanelRight from '@lucide/svelte/icons/panel-right';
	import Redo from '@lucide/svelte/icons/redo-2';
	import Undo from '@lucide/svelte/icons/undo-2';
	import { onMount, untrack } from 'svelte';
	import type { PageData } from './$types';

	let { data }: { data: PageData } = $props();
	const shell = useShell();
	const locale = $derived(data.person.locale);

	// Made anew for another form; choices of the same form update it.
	const session = untrack(() => new FormSession(data.opened, data.choices));
	const grid = new GridState(
		session,
		() => data.person.locale,
		(entries) => void session.enter(entries)
	);
	let inspecting = $state(false);
	let legend = $state<ReturnType<typeof Legend>>();

	$effect.pre(() => {
		const { opened, choices } = data;
		untrack(() => {
			if (opened.code !== session.code) return;
			session.choices = choices;
			session.take(opened);
			session.faults = new Map();
			session.details = null;
			if (inspecting) void session.inspect(grid.focus.row, grid.focus.column);
		});
	});
	$effect(() => {
		shell.at({ name: 'Forms', path: '/forms' }, { name: data.opened.name });
		shell.actions = [
			{ kind: 'Action', name: 'Save the unsaved entries', hint: 'Ctrl S', run: () => void session.save() },
			{ kind: 'Action', name: 'Show details of the cell', hint: 'Ctrl I', run: toggleInspector },
			{ kind: 'Action', name: 'Open all rows', run: () => grid.foldAll(false) },
			{ kind: 'Action', name: 'Close all rows', run: () => grid.foldAll(true) },
			{ kind: 'Action', name: 'Legend and keys', hint: 'F1', run: () => legend?.open() }
		];
	});
	onMount(() => {
		const events = new EventSource('/api/events');
		events.addEventListener('revision', (event) => void session.refresh((JSON.parse(event.data) as { revision: number }).revision));
		events.addEventListener('structure', (event) => void session.follow((JSON.parse(event.data) as { structure: number }).structure));
		return () => events.close();
	});

	function choose(key: string, value: string) {
		const url = new URL(page.url);
		url.searchParams.set(key, value);
		void goto(url, { keepFocus: true, noScroll: true });
	}

	function oncell(row: number, column: number) {
		if (inspecting) void session.inspect(row, column);
	}
	function toggleInspector() {
		inspecting = !inspecting;
		session.details = null;
		if (inspecting) void session.inspect(grid.focus.row, grid.focus.column);
	}
	function showInspector() {
		if (!inspecting) toggleInspector();
		else void session.inspect(grid.focus.row, grid.focus.column);
	}

	const size = $derived(session.form.draftSize);
	const focusLine = $derived(session.form.rows[grid.focus.row]);
	const totals = $derived(grid.totals);
	const mayEnter = $derived(data.person.permissions.includes('form.enter'));
	const amount = (value: number) =>
		focusLine
			? formatFigure(
					value,
					{
						...focusLine,
						valueType: focusLine.valueType === 'percent' ? 'percent' : 'price',
						decimals: focusLine.valueType === 'percent' ? 1 : 2
					},
					locale
				)
			: '';
	const unitOf = (unit: string | undefined) =>
		unit === 'money' ? (session.form.currency === 'local' ? 'local currency' : session.form.currency) : (unit ?? '');
</script>

<div class="grid min-h-0 min-w-0 grid-rows-[minmax(0,1fr)_auto]">
	<div class="flex min-h-0 min-w-0">
		<main class="flex min-w-0 grow flex-col px-4.5 pt-3.5">
			<div class="flex items-start gap-2">
				<div class="min-w-0">
					<h1 class="truncate text-xl font-semibold tracking-tight">{data.opened.name}</h1>
					<p class="text-grey truncate text-[13px]">{data.opened.description}</p>
				</div>
				<div class="ml-auto flex shrink-0 items-center gap-1.5">
					{#if mayEnter}
						<button
							class="btn btn-ghost btn-sm btn-square"
							disabled={!session.steps.undo}
							onclick={session.undo}
							aria-label="Undo"
							title="Undo (Ctrl+Z)"><Undo size={15} aria-hidden="true" /></button
						>
						<button
							class="btn btn-ghost btn-sm btn-square"
							disabled={!session.steps.redo}
							onclick={session.redo}
							aria-label="Redo"
							title="Redo (Ctrl+Y)"><Redo size={15} aria-hidden="true" /></button
						>
						{#if size > 0}
							<button class="btn btn-ghost btn-sm text-primary" onclick={() => session.discard()}>Discard</button>
							<button class="btn btn-primary btn-sm" disabled={session.busy} onclick={() => session.save()}
								>Save {size === 1 ? 'one change' : `${formatCount(size, locale)} changes`}</button
							>
						{/if}
					{/if}
					<button class="btn btn-ghost btn-sm" aria-pressed={inspecting} onclick={toggleInspector} title="Details of the cell (Ctrl+I)"
						><PanelRight size={15} aria-hidden="true" /> Details</button
					>
					<Legend bind:this={legend} />
				</div>
			</div>
			<div class="my-2.5 flex flex-wrap items-center gap-1.5" role="group" aria-label="What the form shows">
				{#each session.form.selectors as selector (selector.dimension)}
					<SelectorChip
						name={selector.name === 'Period' ? 'Year' : selector.name}
						chosen={String(selector.chosen)}
						choices={selector.choices.map((choice) => ({ ...choice, value: String(choice.member) }))}
						onchoose={(value) => choose(`d${selector.dimension}`, value)}
					/>
				{/each}
				<SelectorChip
					name="In"
					chosen={session.form.currency}
					choices={session.form.currencies.map((code) => ({
						value: code,
						name: code === 'local' ? 'local currency' : code,
						depth: 0,
						parent: false
					}))}
					onchoose={(value) => choose('in', value)}
				/>
			</div>
			{#if session.message}
				<p
					class={[
						'mb-2 flex items-baseline gap-3',
						{ error: 'text-error', warning: 'text-warning', info: 'text-success' }[session.message.kind]
					]}
					role={session.message.kind === 'error' ? 'alert' : 'status'}
				>
					{session.message.text}
					<button class="text-grey hover:text-base-content text-[13px] underline" onclick={() => (session.message = null)}>Hide</button>
				</p>
			{/if}
			{#if session.conflicts.length > 0 || session.refused.length > 0}
				<ConflictList conflicts={session.conflicts} refused={session.refused} {locale} onsettle={(decisions) => session.save(decisions)} />
			{/if}
			<Grid
				form={session.form}
				{locale}
				label={data.opened.name}
				faults={session.faults}
				flashing={session.flashing}
				pending={session.pending}
				{grid}
				onfocuscell={oncell}
				onundo={session.undo}
				onredo={session.redo}
				onsave={() => session.save()}
				oninspect={showInspector}
				onhelp={() => legend?.open()}
			/>
		</main>
		{#if inspecting && session.details && focusLine}
			<Inspector
				details={session.details}
				format={formatAt(session.form, grid.focus.row, grid.focus.column)}
				{locale}
				onclose={toggleInspector}
			/>
		{/if}
	</div>
	<footer
		class="border-hairline bg-base-200 text-grey flex h-6.5 items-center gap-5 overflow-hidden border-t px-4.5 text-[12.5px] whitespace-nowrap"
	>
		{#if totals.count > 0}
			<span>Sum <b>{amount(totals.sum)}</b></span>
			<span>Average <b>{amount(totals.average)}</b></span>
			<span
				>Cells <b>{totals.count}</b>{totals.count < totals.selected
					? ` of ${totals.selected} selected, ${totals.mixed ? `those in ${unitOf(totals.unit)}` : 'totals left out'}`
					: ''}</span
			>
		{:else}<span>Select cells below the totals to add them up</span>{/if}
		<span class="ml-auto">{session.form.currency === 'local' ? 'Local currency' : `${session.form.currency} at the scenario’s rates`}</span>
		{#if session.saved}
			<span
				>Revision <b>{formatCount(session.form.revision, locale)}</b>, {session.saved.through}, {formatMoment(
					session.saved.at,
					locale
				)}{session.saved.person ? ` by ${session.saved.person}` : ''}</span
			>
		{/if}
	</footer>
</div>

<style>
	b {
		color: var(--color-base-content);
		font-weight: 600;
	}
</style>
