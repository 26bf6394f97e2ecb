<script lang="ts">
	import { at } from '$lib/ui/at';
	import { beforeNavigate, goto, invalidate } from '$app/navigation';
	import { page } from '$app/state';
	import { numberStyle } from '$lib/core';
	import type { CellMark, WorkbookChange, WorkbookReading } from '$lib/server/form';
	import { formatCount, formatFigure } from '$lib/ui/figures/format';
	import BesidePanel from '$lib/ui/grid/BesidePanel.svelte';
	import type { MenuAct } from '$lib/ui/grid/CellMenu.svelte';
	import ChartPanel from '$lib/ui/grid/ChartPanel.svelte';
	import ConflictList from '$lib/ui/grid/ConflictList.svelte';
	import FindBar from '$lib/ui/grid/FindBar.svelte';
	import { FormRuns } from '$lib/ui/grid/form-runs.svelte';
	import { FormSession } from '$lib/ui/grid/form-session.svelte';
	import Grid from '$lib/ui/grid/Grid.svelte';
	import { formatAt, GridState } from '$lib/ui/grid/grid-state.svelte';
	import Inspector from '$lib/ui/grid/Inspector.svelte';
	import MethodPanel from '$lib/ui/grid/MethodPanel.svelte';
	import TryPanel from '$lib/ui/grid/TryPanel.svelte';
	import { placeOfOthers } from '$lib/ui/grid/others';
	import AwayNote from './AwayNote.svelte';
	import FormFindings from './FormFindings.svelte';
	import FormFoot from './FormFoot.svelte';
	import FormMessages from './FormMessages.svelte';
	import RunBar from '$lib/ui/grid/RunBar.svelte';
	import SpreadChoice from '$lib/ui/grid/SpreadChoice.svelte';
	import ViewMenu from '$lib/ui/grid/ViewMenu.svelte';
	import WorkbookReview from '$lib/ui/grid/WorkbookReview.svelte';
	import Markdown from '$lib/ui/Markdown.svelte';
	import SelectorChip from '$lib/ui/pickers/SelectorChip.svelte';
	import { useShell } from '$lib/ui/shell/shell.svelte';
	import Ellipsis from '@lucide/svelte/icons/ellipsis';
	import PanelRight from '@lucide/svelte/icons/panel-right';
	import Redo from '@lucide/svelte/icons/redo-2';
	import Undo from '@lucide/svelte/icons/undo-2';
	import { thisTab } from '$lib/ui/grid/tab';
	import { asPerson } from '$lib/ui/request';
	import { onMount, untrack } from 'svelte';
	import type { FormChoices, OpenForm } from '$lib/server/form';
	import type { Snippet } from 'svelte';

	interface FormPageData {
		person: { id: number; name: string; locale: string; permissions: readonly string[] };
		model: { id: number };
		branch: { id: number; whyNot: string; rates: string } | null;
		opened: OpenForm;
		choices: FormChoices;
	}
	interface Props {
		data: FormPageData;
		/** Where the page is, other than among the forms. */
		trail?: { name: string; path?: string }[];
		/** Stands in the place of the name and of the selectors, where it is a view that can be turned. */
		head?: Snippet;
		axes?: Snippet<[{ session: FormSession; grid: GridState; choose: (key: string, value: string) => void }]>;
		/** What can be done besides with a cell. */
		also?: (session: FormSession, grid: GridState) => MenuAct[];
	}
	let { data, trail, head, axes, also }: Props = $props();
	const shell = useShell();
	const locale = $derived(data.person.locale);

	const PRESENCE_MILLISECONDS = 12_000;

	/** Of this model, also when the page has left it by the time something is sent. */
	function addresses() {
		const forms = at('/api/forms/');
		return (code: string) => forms + encodeURIComponent(code);
	}
	// Made anew for another form; choices of the same form update it.
	const session = untrack(
		() =>
			new FormSession(data.opened, data.choices, {
				person: data.person.id,
				model: data.branch ? `${data.model.id}~${data.branch.id}` : data.model.id,
				addressOf: addresses(),
				store: {
					keys: () => Object.keys(localStorage),
					get: (key) => localStorage.getItem(key),
					set: (key, value) => localStorage.setItem(key, value),
					remove: (key) => localStorage.removeItem(key)
				},
				tab: thisTab,
				fetch: (...request) => fetch(...request)
			})
	);
	const grid = new GridState(
		session,
		() => data.person.locale,
		(entries, options) => void session.enter(entries, options),
		(text) => (session.message = { text, kind: 'error' })
	);
	const runs = new FormRuns(session);
	session.onsaved = () => {
		void runs.automatic('after saving');
		// How much the branch changes stands in its ribbon.
		if (data.branch) void invalidate('app:branch');
	};
	let panel = $state<'details' | 'method' | 'chart' | 'try' | null>(null);
	let finding = $state(false);
	let reading = $state.raw<WorkbookReading | null>(null);
	let addingLine = $state(false);
	let lineName = $state('');
	let sheet = $state<ReturnType<typeof Grid>>();
	let main = $state<HTMLElement>();
	let upload = $state<HTMLInputElement>();
	let rowsInSight: number[] = [];
	const more = $props.id();

	const marks = $derived<ReadonlyMap<number, CellMark>>(session.marks);
	const others = $derived(placeOfOthers(session.form, session.present));
	const mayEnter = $derived(data.person.permissions.includes('form.enter') && !data.branch?.whyNot);
	const mayDesign = $derived(data.person.permissions.includes('form.design') && !data.branch);
	const style = $derived(numberStyle(locale));
	const size = $derived(session.form.draftHere);
	const focusLine = $derived(session.form.rows[grid.focus.row]);
	const focusFacts = $derived(focusLine && session.form.facts(grid.focus.row, grid.focus.column));
	/** Selectors that have to be chosen before anything is shown. */
	const asking = $derived(
		session.form.selectors.flatMap(({ asks, dimension, name }) => (!asks ? [] : dimension === session.form.axes.periods ? 'Year' : name))
	);
	const likes = $derived(
		session.form.selectors
			.filter(({ dimension }) => dimension === session.form.axes.scenarios || dimension === session.form.axes.periods)
			.map(({ dimension, name, chosen, choices }) => ({
				dimension,
				name: dimension === session.form.axes.periods ? 'Another year' : `Another ${name.toLowerCase()}`,
				choices: choices.filter(({ member }) => member !== chosen)
			}))
			.filter(({ choices }) => choices.length > 0)
	);

	let taken: OpenForm | undefined;
	$effect.pre(() => {
		const { opened, choices } = data;
		untrack(() => {
			// Where only what stands around the page was loaded anew, the form on it has gone on since.
			if (opened.code !== session.code || opened === taken) return;
			taken = opened;
			session.choices = choices;
			session.take(opened);
			session.faults = new Map();
			session.pending = new Map();
			session.details = null;
			if (panel === 'details') void session.inspect(grid.focus.row, grid.focus.column);
		});
	});
	$effect(() => {
		void data.choices;
		session.showsResults = !shell.marks.hidden.includes('results');
		untrack(() => void session.readMarks());
	});
	$effect(() => {
		shell.at(...(trail ?? [{ name: 'Forms', path: '/forms' }, { name: data.opened.name }]));
		shell.actions = [
			...acts.map(({ name, keys, run }) => ({ kind: 'Action', name, ...(keys && { hint: keys }), run })),
			...pageActs.map(({ name, run }) => ({ kind: 'Action', name, run })),
			{ kind: 'Action', name: 'Open all rows', run: () => grid.foldAll(false) },
			{ kind: 'Action', name: 'Close all rows', run: () => grid.foldAll(true) }
		];
	});
	onMount(() => {
		session.watchRows(() => rowsInSight);
		session.options = session.form.defaults.spread === 'in proportion' ? {} : { method: session.form.defaults.spread };
		void session.resume();
		if (mayEnter) void runs.open();
		const events = new EventSource(at('/api/events'));
		events.addEventListener('revision', (event) => void session.refresh((JSON.parse(event.data) as { revision: number }).revision));
		events.addEventListener('branch', () => {
			void session.refreshNow();
			void invalidate('app:branch');
		});
		events.addEventListener('structure', (event) => void session.follow((JSON.parse(event.data) as { structure: number }).structure));
		const tell = () => void session.tellPresence(membersHere());
		tell();
		const timer = setInterval(tell, PRESENCE_MILLISECONDS);
		const leave = () =>
			void fetch(at(`/api/forms/${session.code}/presence`), {
				method: 'POST',
				keepalive: true,
				headers: { ...asPerson(), 'content-type': 'application/json' },
				body: JSON.stringify({ gone: true })
			}).catch(() => {});
		// A tab that is closed, or put away for good, says so too.
		addEventListener('pagehide', leave);
		return () => {
			clearInterval(timer);
			events.close();
			removeEventListener('pagehide', leave);
			leave();
		};
	});
	beforeNavigate(({ willUnload, cancel }) => {
		// What waits for the server is kept by the browser; leaving the page altogether is worth a word.
		if (willUnload && session.waiting > 0) cancel();
	});

	/** Keys that mean the same all over the page, wherever the keyboard is. */
	function onpagekey(event: KeyboardEvent) {
		if (event.defaultPrevented || !(event.ctrlKey || event.metaKey) || event.altKey || !mayEnter) return;
		const inText = (event.target as Element).closest?.('input, textarea, select, [contenteditable]');
		if (event.key.toLowerCase() === 's') void session.save();
		else if (event.key.toLowerCase() === 'z' && !inText) void (event.shiftKey ? session.redo() : session.undo());
		else return;
		event.preventDefault();
	}

	const membersHere = (): Record<string, number> => ({
		...session.form.rows[grid.focus.row]?.members,
		...session.form.columns[grid.focus.column]?.members
	});

	function choose(key: string, value: string) {
		const url = new URL(page.url);
		url.searchParams.set(key, value);
		void goto(url, { keepFocus: true, noScroll: true });
	}

	function onrows(rows: number[]) {
		rowsInSight = rows;
		if (session.form.isPartial) void session.need(rows);
	}
	function oncell(row: number, column: number) {
		if (panel === 'details') void session.inspect(row, column);
	}
	function toggle(which: 'details' | 'method' | 'chart' | 'try') {
		panel = panel === which ? null : which;
		session.details = null;
		if (panel === 'details') void session.inspect(grid.focus.row, grid.focus.column).then(() => sheet?.show());
		else void sheet?.show();
	}
	function showDetails() {
		if (panel !== 'details') toggle('details');
		else void session.inspect(grid.focus.row, grid.focus.column);
	}
	const unkeep = () => (grid.kept = new Set());

	/** What the menu of a cell offers; the same stands among the commands. */
	const acts = $derived<MenuAct[]>([
		{ name: 'Details, notes and history', keys: 'Ctrl I', run: showDetails },
		...(mayEnter
			? [
					{ name: 'Take the entry away', keys: 'Del', run: () => grid.clear(), begins: true },
					{ name: 'Repeat downwards', keys: 'Ctrl D', run: () => grid.fillDown() },
					{ name: 'Repeat to the right', run: () => grid.fillRight() },
					{ name: 'Keep fixed, or let go', run: () => grid.toggleKept() },
					...(session.form.defaults.methods ? [{ name: 'Fill the row by a method', run: () => toggle('method') }] : []),
					{ name: 'Try values: reach a goal, or a range', run: () => panel !== 'try' && toggle('try') }
				]
			: []),
		...(also?.(session, grid) ?? []),
		{ name: 'Explore this figure', run: () => void leadTo('explore'), begins: true },
		{ name: 'Why it differs', run: () => void leadTo('why') },
		{ name: 'Copy with names', run: () => void navigator.clipboard?.writeText(grid.copy(true)), begins: true },
		{ name: 'Chart of the selected rows', run: () => toggle('chart') },
		{ name: 'Hide the selected rows', run: () => grid.hideSelected() },
		...(grid.hiddenRows.size > 0 ? [{ name: 'Show hidden rows', run: () => grid.showHidden() }] : []),
		{ name: 'Find', keys: 'Ctrl F', run: () => (finding = true) }
	]);
	/** What can be done with the form as a whole. */
	const pageActs = $derived([
		{ name: 'Download as a workbook', run: () => location.assign(at(`/api/forms/${session.code}/download${query('xlsx')}`)) },
		...(mayEnter ? [{ name: 'Upload a workbook', run: () => upload?.click() }] : []),
		{ name: 'Download as CSV', run: () => location.assign(at(`/api/forms/${session.code}/download${query('csv')}`)) },
		{ name: 'Print', run: () => void window.open(at(`/print/forms/${session.code}${page.url.search}`), '_blank') },
		...(data.branch
			? [
					{
						name: 'Compare with the plan',
						run: () => void goto(at(`/branches/compare?side=plan&side=b${data.branch!.id}&form=${session.code}&${page.url.searchParams}`))
					}
				]
			: data.person.permissions.includes('branch.write')
				? [
						{ name: 'Try it in a branch', run: () => void goto(at(`/branches?make&form=${session.code}&${page.url.searchParams}`)) },
						{ name: 'Compare with…', run: () => void goto(at(`/branches/compare?side=plan&form=${session.code}&${page.url.searchParams}`)) }
					]
				: []),
		...(axes ? [] : [{ name: 'Explore it', run: () => void goto(at(`/insight/explore?from=${session.code}&${page.url.searchParams}`)) }]),
		...(data.person.permissions.includes('branch.write')
			? [{ name: 'Take a snapshot', run: () => void goto(at(`/branches?snapshot&${page.url.searchParams}`)) }]
			: []),
		...(mayEnter && !data.branch ? [{ name: 'Bring over last year’s notes', run: bringNotes }] : []),
		...(mayEnter && !data.branch && session.form.defaults.ownLines
			? [{ name: 'Add a line of my own', run: () => (addingLine = true) }]
			: []),
		...runs.buttons.map((run) => ({ name: run.label, run: () => runs.press(run) })),
		...(mayDesign && !axes ? [{ name: 'Change this form', run: () => void goto(at(`/forms/${session.code}/design`)) }] : [])
	]);
	function query(as: string): string {
		const parameters = new URLSearchParams(page.url.searchParams);
		parameters.set('as', as);
		return `?${parameters}`;
	}

	async function bringNotes() {
		const brought = await session.ask<{ notes: number }>('bring-notes', {});
		if (!brought) return;
		session.message = {
			text: brought.notes === 0 ? 'There are no notes a year earlier that are not here yet.' : `${brought.notes} notes were brought over.`,
			kind: 'info'
		};
		void session.readMarks();
	}
	async function addLine() {
		const added = await session.ask<{ member: number; name: string }>('own-line', { line: { name: lineName } });
		if (!added) return;
		addingLine = false;
		lineName = '';
		await session.reopen();
		const row = session.form.rows.findIndex(({ members }) => Object.values(members).includes(added.member));
		if (row >= 0) {
			grid.reveal({ row, column: grid.visibleColumns[0] ?? 0 });
			await sheet?.focus();
		}
		session.message = { text: `“${added.name}” is a line of this form now.`, kind: 'info' };
	}
	async function readBook(file: File | undefined) {
		if (!file) return;
		reading = (await session.readWorkbook(file)) ?? null;
		if (upload) upload.value = '';
		if (reading && reading.changes.length + reading.conflicts.length + reading.refused.length === 0) {
			reading = null;
			session.message = { text: 'Nothing is different in this workbook.', kind: 'info' };
		}
	}
	function enterBook(changes: WorkbookChange[]) {
		const { choices, structure, frame } = reading!;
		reading = null;
		// The figures belong where the workbook was made, whatever is chosen now.
		void session.enterAt(
			{ choices: choices as typeof session.choices, structure, frame },
			changes.map(({ row, column, text }) => ({ row, column, text })),
			{ style: { decimal: '.', group: '' }, method: 'in proportion' }
		);
	}
	/** Opens the figure the keyboard is at in the explorer, or holds it against another one. */
	async function leadTo(page: 'explore' | 'why') {
		const details = await session.detailsAt(grid.focus.row, grid.focus.column);
		if (details) void goto(at(`/insight/${page}?place=${details.place.join('.')}&in=${session.form.currency}`));
	}
	function fullScreen() {
		if (document.fullscreenElement) void document.exitFullscreen();
		else void main?.requestFullscreen();
	}

	/** Why no figure is to be seen; null where one is. */
	const nothing = $derived.by((): string | null => {
		const { form } = session;
		if (form.outside) return form.outside;
		if (form.rows.length === 0 || form.columns.length === 0) return 'This form has no lines for these choices.';
		if (grid.visibleRows.length === 0 || grid.visibleColumns.length === 0)
			return 'All lines are empty here, and empty ones are hidden. Show them under View.';
		return form.isBlank ? 'Nothing is here yet for these choices.' : null;
	});
</script>

<svelte:window onkeydown={onpagekey} />

<div class="grid min-h-0 min-w-0 grid-rows-[minmax(0,1fr)_auto]">
	<div class="flex min-h-0 min-w-0">
		<main bind:this={main} class="bg-base-100 flex min-w-0 grow flex-col px-4.5 pt-2.5">
			<div class="flex items-start gap-2">
				{#if head}{@render head()}{:else}
					<div class="flex min-w-0 grow items-baseline gap-3">
						<h1 class="max-w-[60%] shrink-0 truncate text-xl font-semibold tracking-tight">{data.opened.name}</h1>
						<p class="text-grey min-w-0 truncate text-[13px]" title={data.opened.description}>{data.opened.description}</p>
					</div>
				{/if}
				<div class="ml-auto flex shrink-0 items-center gap-1">
					{#each session.present as { person } (person)}
						<span class="border-secondary text-secondary rounded-full border px-1.5 text-xs" title="{person} has this form open"
							>{person
								.split(' ')
								.map(([letter]) => letter)
								.join('')}<span class="sr-only">: {person} has this form open</span></span
						>
					{/each}
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
					<ViewMenu {grid} onfullscreen={fullScreen} />
					<button
						class="btn btn-ghost btn-sm"
						aria-pressed={panel === 'details'}
						onclick={() => toggle('details')}
						title="Details of the cell (Ctrl+I)"><PanelRight size={15} aria-hidden="true" /> Details</button
					>
					<button
						class="btn btn-ghost btn-sm btn-square"
						popovertarget={more}
						style="anchor-name: --{more}"
						aria-label="More"
						title="Workbook, CSV, print and more"><Ellipsis size={16} aria-hidden="true" /></button
					>
					<div
						id={more}
						popover="auto"
						class="bg-raised border-rule text-base-content m-0 w-56 rounded-md border p-1 text-[13px] shadow-lg"
						style="inset: auto; position-anchor: --{more}; top: calc(anchor(bottom) + 4px); right: anchor(right)"
					>
						{#each pageActs as { name, run } (name)}
							<button
								class="hover:bg-base-200 block w-full rounded px-2.5 py-1 text-left"
								onclick={() => {
									document.getElementById(more)?.hidePopover();
									run();
								}}>{name}</button
							>
						{/each}
					</div>
					<input
						bind:this={upload}
						type="file"
						class="hidden"
						accept=".xlsx"
						aria-label="A workbook of this form"
						onchange={(event) => readBook(event.currentTarget.files?.[0])}
					/>
				</div>
			</div>
			<div class="mt-1.5 mb-2 flex flex-wrap items-center gap-1.5" role="group" aria-label="What the form shows">
				{#if axes}{@render axes({ session, grid, choose })}{/if}
				{#each axes ? [] : session.form.selectors as selector (selector.dimension)}
					<SelectorChip
						name={selector.dimension === session.form.axes.periods ? 'Year' : selector.name}
						chosen={String(selector.chosen)}
						choices={selector.choices.map((choice) => ({ ...choice, value: String(choice.member) }))}
						asks={selector.asks}
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
				{#if grid.scale > 1}<span class="text-grey text-[13px]">in {grid.scale === 1_000 ? 'thousands' : 'millions'}</span>{/if}
				{#if data.opened.instructions}
					<button class="btn btn-ghost btn-xs" popovertarget="{more}-how" style="anchor-name: --{more}-how">Instructions</button>
					<div
						id="{more}-how"
						popover="auto"
						class="bg-raised border-rule text-base-content m-0 max-h-80 w-[34rem] max-w-[90vw] overflow-auto rounded-md border px-3.5 py-2.5 text-[13px] shadow-lg"
						style="inset: auto; position-anchor: --{more}-how; top: calc(anchor(bottom) + 4px); left: anchor(left)"
					>
						<Markdown text={data.opened.instructions} />
					</div>
				{/if}
				<RunBar {runs} {session} />
			</div>
			<AwayNote {session} person={data.person.name} />
			<FormMessages {session} {grid} {style} {locale} />
			{#if nothing}<p class="text-grey mb-2 text-[13px]" role="status">{nothing}</p>{/if}
			{#if addingLine}
				<form
					class="mb-2 flex items-center gap-2"
					onsubmit={(event) => {
						event.preventDefault();
						void addLine();
					}}
				>
					<!-- svelte-ignore a11y_autofocus -->
					<input
						class="input input-sm w-72"
						aria-label="Name of the new line"
						placeholder="What the line is for"
						bind:value={lineName}
						autofocus
					/>
					<button class="btn btn-primary btn-sm" disabled={lineName.trim() === ''}>Add the line</button>
					<button type="button" class="btn btn-ghost btn-sm" onclick={() => (addingLine = false)}>Leave it</button>
				</form>
			{/if}
			<FormFindings {session} {locale} />
			{#if session.conflicts.length > 0 || session.refused.length > 0}
				<ConflictList conflicts={session.conflicts} refused={session.refused} {locale} onsettle={(decisions) => session.save(decisions)} />
			{/if}
			{#if reading}<WorkbookReview
					{reading}
					onenter={enterBook}
					shown={(row, column, value, typed) => {
						const format = formatAt(session.form, row, column);
						// What is typed of a percent is a number of percents.
						return formatFigure(
							typed && format.valueType === 'percent' ? value / 100 : value,
							{ ...format, scale: 1, exactly: true },
							locale
						);
					}}
					onclose={() => (reading = null)}
				/>{/if}
			{#if finding}
				<FindBar
					{grid}
					onfound={() => sheet?.focus()}
					onclose={() => {
						finding = false;
						void sheet?.focus();
					}}
				/>
			{/if}
			{#if asking.length > 0}
				<p class="border-rule mt-4 max-w-xl rounded-md border border-dashed px-4 py-5" role="status">
					<b class="font-semibold">Choose {asking.join(' and ')} first.</b> This form shows its figures once it knows for whom; choose above.
				</p>
			{:else}
				<Grid
					bind:this={sheet}
					form={session.form}
					{style}
					label={data.opened.name}
					faults={session.faults}
					flashing={session.flashing}
					pending={session.pending}
					{marks}
					{others}
					again={new Set(session.movedMethods.map(({ row }) => row))}
					{grid}
					menu={acts}
					onfocuscell={oncell}
					{onrows}
					onundo={session.undo}
					onredo={session.redo}
					onsave={() => session.save()}
					oninspect={showDetails}
					onwhynot={(row, column) => session.whyNot(row, column)}
					onfind={() => (finding = true)}
				/>
			{/if}
		</main>
		{#if panel === 'details' && session.details && focusLine}
			{@const details = session.details}
			{@const at = grid.focus}
			<Inspector
				{details}
				format={formatAt(session.form, at.row, at.column)}
				word={session.form.word(at.row, at.column)}
				{locale}
				onclose={() => toggle('details')}
			>
				{#snippet spread()}
					<SpreadChoice
						options={session.options}
						{likes}
						kept={grid.kept.size}
						onchange={(options) => (session.options = options)}
						onkeep={() => grid.toggleKept()}
						onfree={unkeep}
					/>
				{/snippet}
				{#snippet beside()}
					{#key details.place.join()}
						<BesidePanel
							{session}
							place={details.place}
							row={at.row}
							column={at.column}
							mayWrite={mayEnter && !data.branch && details.verdict.kind === 'enter'}
							mayAttach={mayEnter && !data.branch}
							takesLines={details.leaf && !focusFacts!.coded && focusFacts!.valueType !== 'date'}
							{locale}
							onlinesaved={() => session.inspect(at.row, at.column)}
						/>
					{/key}
				{/snippet}
			</Inspector>
		{:else if panel === 'method' && focusLine}
			<MethodPanel
				{session}
				row={grid.focus.row}
				accounts={session.form.axes.accounts}
				format={formatAt(session.form, grid.focus.row, grid.visibleColumns[0] ?? 0)}
				{locale}
				onclose={() => toggle('method')}
			/>
		{:else if panel === 'try'}
			<TryPanel {session} {grid} {locale} onclose={() => toggle('try')} />
		{:else if panel === 'chart'}
			<ChartPanel form={session.form} {grid} {locale} onclose={() => toggle('chart')} />
		{/if}
	</div>
	<FormFoot {session} {grid} isAsking={asking.length > 0} {locale} rates={data.branch?.rates ?? ''} />
</div>
