<script lang="ts">
	import { goto, invalidate } from '$app/navigation';
	import { at } from '../at';
	import FormPage from '../form/FormPage.svelte';
	import { trayDimensions } from '../form-design/edit-layout';
	import type { MenuAct } from '../grid/CellMenu.svelte';
	import type { FormSession } from '../grid/form-session.svelte';
	import type { GridState } from '../grid/grid-state.svelte';
	import { request } from '../request';
	import type { FormChoices, OpenForm } from '$lib/server/form';
	import type { OpenView } from '$lib/server/insight';
	import Undo from '@lucide/svelte/icons/rotate-ccw';
	import { untrack } from 'svelte';
	import AxisBar from './AxisBar.svelte';
	import { drillInto, leaveOut, narrowTo } from './pivot';
	import ShapeMenu from './ShapeMenu.svelte';
	import { ViewDesk } from './view-desk.svelte';

	interface Props {
		data: {
			person: { id: number; name: string; locale: string; permissions: readonly string[] };
			model: { id: number };
			branch: { id: number; whyNot: string; rates: string } | null;
			view: OpenView;
			opened: OpenForm;
			choices: FormChoices;
		};
	}
	let { data }: Props = $props();
	const desk = untrack(() => new ViewDesk(data.view));
	let keeping = $state(false);
	let form = $state({ name: '', description: '', shared: false });
	let fault = $state('');

	$effect.pre(() => {
		const { view } = data;
		untrack(() => desk.take(view));
	});

	function startKeeping() {
		form = {
			name: data.view.kept ? data.opened.name : '',
			description: data.opened.description,
			shared: data.view.shared
		};
		fault = '';
		keeping = true;
	}
	async function keep(event: SubmitEvent) {
		event.preventDefault();
		const reply = await request('/api/views/keep', { code: data.opened.code, ...form });
		if (!reply.ok) return (fault = reply.message);
		keeping = false;
		await invalidate('app:view');
	}
	async function makeForm(event: SubmitEvent) {
		event.preventDefault();
		const reply = await request<{ code: string }>('/api/views/as-form', { code: data.opened.code, name: form.name });
		if (!reply.ok) return (fault = reply.message);
		await goto(at(`/forms/${reply.answer.code}`));
	}
	async function drop() {
		const reply = await request('/api/views/drop', { code: data.opened.code });
		if (!reply.ok) return (fault = reply.message);
		await goto(at('/insight'));
	}

	/** The dimension that varies fastest down, and the members selected of it. */
	const innermost = (): number | undefined => trayDimensions(desk.layout, 'rows').at(-1);
	function selectedMembers(session: FormSession, grid: GridState): number[] {
		const dimension = innermost();
		if (dimension === undefined) return [];
		return [...new Set(grid.selection.rows.flatMap((row) => session.form.rows[row]?.members[dimension] ?? []))];
	}
	function also(session: FormSession, grid: GridState): MenuAct[] {
		const dimension = innermost();
		const members = selectedMembers(session, grid);
		const row = session.form.rows[grid.focus.row];
		const member = dimension === undefined ? undefined : row?.members[dimension];
		if (dimension === undefined || members.length === 0) return [];
		const here = member === undefined ? '' : (row?.label ?? '');
		return [
			...(row?.parent && member !== undefined
				? [{ name: `Into ${here}`, run: () => void desk.turn((layout) => drillInto(layout, dimension, member)), begins: true }]
				: []),
			{
				name: members.length === 1 ? 'Only this row' : 'Only these rows',
				run: () => void desk.turn((layout) => narrowTo(layout, dimension, members))
			},
			{
				name: members.length === 1 ? 'Leave this row out' : 'Leave these rows out',
				run: () => void desk.turn((layout) => leaveOut(layout, dimension, members))
			},
			...desk.aside
				.map((id) => desk.axis(id))
				.filter((axis) => axis !== undefined && axis.kind !== 'scenario' && axis.kind !== 'period')
				.slice(0, 6)
				.map((axis) => ({
					name: `${here || 'The rows'} by ${axis!.name}`,
					run: () => void byDimension(dimension, members, axis!.id)
				}))
		];
	}
	/** The selected rows by another dimension, which is put beneath them. */
	async function byDimension(dimension: number, members: number[], other: number) {
		if (await desk.turn((layout) => narrowTo(layout, dimension, members)))
			await desk.place(other, 'rows', trayDimensions(desk.layout, 'rows').length);
	}
</script>

<FormPage {data} trail={[{ name: 'Insight', path: '/insight' }, { name: data.view.kept ? data.opened.name : 'Explore' }]} {also}>
	{#snippet head()}
		<div class="flex min-w-0 grow items-center gap-2">
			<h1 class="max-w-[50%] shrink-0 truncate text-xl font-semibold tracking-tight">{data.view.kept ? data.opened.name : 'Explore'}</h1>
			{#if !data.view.mine}<p class="text-grey truncate text-[13px]">{data.view.owner}’s view; turned, it becomes one of your own</p>
			{:else}
				<button class="btn btn-sm" aria-expanded={keeping} onclick={() => (keeping ? (keeping = false) : startKeeping())}
					>{data.view.kept ? 'Name and sharing' : 'Keep this view'}</button
				>
				{#if data.view.shared}<span class="text-grey text-[13px]">shared</span>{/if}
			{/if}
		</div>
	{/snippet}
	{#snippet axes({ session, grid, choose })}
		{#if keeping}
			<form class="border-rule mb-1 grid w-full max-w-2xl gap-2 rounded-md border px-3 py-2.5 text-[13px]" onsubmit={keep}>
				<div class="flex flex-wrap items-end gap-3">
					<label class="grid gap-0.5">Name<input class="input input-sm w-64" required maxlength="120" bind:value={form.name} /></label>
					<label class="grid grow gap-0.5"
						>What it shows<input class="input input-sm w-full" maxlength="500" bind:value={form.description} /></label
					>
				</div>
				<label class="flex items-center gap-2"
					><input type="checkbox" class="checkbox checkbox-xs" bind:checked={form.shared} /> Everybody in the model may open it, each with the
					figures they may read</label
				>
				{#if fault}<p class="text-error" role="alert">{fault}</p>{/if}
				<div class="flex gap-2">
					<button class="btn btn-primary btn-sm" disabled={form.name.trim() === ''}>Keep it</button>
					<button type="button" class="btn btn-sm" onclick={() => (keeping = false)}>Leave it</button>
					{#if data.view.kept}<button type="button" class="btn btn-sm ml-auto" onclick={drop}>Delete this view</button>{/if}
					{#if data.view.mayMakeForms && !data.branch}<button
							type="button"
							class={['btn btn-sm', !data.view.kept && 'ml-auto']}
							disabled={form.name.trim() === ''}
							onclick={(event) => makeForm(event as unknown as SubmitEvent)}>Make a form of it</button
						>{/if}
				</div>
			</form>
		{/if}
		<AxisBar
			{desk}
			selectors={session.form.selectors}
			periods={session.form.axes.periods}
			onchoose={(dimension, member) => choose(`d${dimension}`, String(member))}
		/>
		<ShapeMenu {desk} {grid} {session} />
		<button
			class="btn btn-ghost btn-sm btn-square"
			aria-label="Turn back"
			disabled={!desk.canGoBack || desk.busy}
			onclick={() => desk.back()}
			title="Turn back: the view as it was before the last turn"><Undo size={14} aria-hidden="true" /></button
		>
		{#if desk.fault}<p class="text-error w-full text-[13px]" role="alert">{desk.fault}</p>{/if}
	{/snippet}
</FormPage>
