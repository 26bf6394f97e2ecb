<script lang="ts">
	import { at } from '$lib/ui/at';
	import { beforeNavigate, goto } from '$app/navigation';
	import { numberStyle } from '$lib/core';
	import type { DesignDesk as Desk } from '$lib/server/form';
	import Redo from '@lucide/svelte/icons/redo-2';
	import Undo from '@lucide/svelte/icons/undo-2';
	import { untrack } from 'svelte';
	import Grid from '../grid/Grid.svelte';
	import { GridState } from '../grid/grid-state.svelte';
	import type { ShownForm } from '../grid/shown-form';
	import SelectorChip from '../pickers/SelectorChip.svelte';
	import { request } from '../request';
	import { useShell } from '../shell/shell.svelte';
	import BlockInspector from './BlockInspector.svelte';
	import { DesignDesk } from './design-desk.svelte';
	import DimensionInspector from './DimensionInspector.svelte';
	import FormFacts from './FormFacts.svelte';
	import TrayBox from './TrayBox.svelte';
	import VersionsPanel from './VersionsPanel.svelte';

	let { opened, locale }: { opened: Desk; locale: string } = $props();
	const shell = useShell();
	const desk = untrack(() => new DesignDesk(opened));
	let leaving: HTMLDialogElement;
	let deleting: HTMLDialogElement;
	let goingTo: string | null = null;
	let mayLeave = false;

	$effect.pre(() => {
		const next = opened;
		untrack(() => {
			if (next !== desk.desk && (next.code !== desk.code || next.design.version > desk.design.version)) desk.take(next);
		});
	});
	$effect(() => {
		shell.at(
			{ name: 'Forms', path: '/forms' },
			...(desk.code ? [{ name: desk.design.name, path: `/forms/${desk.code}` }, { name: 'Design' }] : [{ name: 'New form' }])
		);
		shell.actions = [
			{ kind: 'Action', name: 'Publish the form', hint: 'Ctrl S', run: () => void desk.publish() },
			{ kind: 'Action', name: 'Versions of the form', run: () => (desk.picked = { kind: 'versions' }) }
		];
	});
	beforeNavigate(({ cancel, to, willUnload }) => {
		if (mayLeave || !desk.isChanged || to?.url.pathname === location.pathname) return;
		cancel();
		if (willUnload) return;
		goingTo = to ? to.url.pathname + to.url.search : null;
		leaving.showModal();
	});

	// The grid keeps its folding while the lines stay the same.
	let grid = $state.raw<GridState | null>(null);
	let gridFrame = '';
	$effect.pre(() => {
		const { preview } = desk;
		untrack(() => {
			if (!preview || preview.frame === gridFrame) return;
			gridFrame = preview.frame;
			const shows = {
				get form(): ShownForm {
					return desk.preview ?? preview;
				},
				pending: new Map<number, string>(),
				faults: new Map<number, string>()
			};
			grid = new GridState(
				shows,
				() => locale,
				() => (desk.message = { text: 'This is a preview: nothing is entered here.', kind: 'info' })
			);
		});
	});

	const picked = $derived(desk.picked);
	const pickedBlock = $derived(picked.kind === 'block' ? desk.block(picked.axis, picked.id) : undefined);

	async function copy() {
		const reply = await request<{ code: string }>(`/api/forms/${desk.code}/copy`, {});
		if (reply.ok) await goto(at(`/forms/${reply.answer.code}/design`));
		else desk.message = { text: reply.message, kind: 'error' };
	}
	async function remove() {
		const reply = await request(`/api/forms/${desk.code}/delete`, {});
		deleting.close();
		if (!reply.ok) {
			desk.message = { text: reply.message, kind: 'error' };
			return;
		}
		mayLeave = true;
		await goto(at('/forms'), { invalidateAll: true });
	}
	function onkeydown(event: KeyboardEvent) {
		if (!(event.ctrlKey || event.metaKey)) return;
		const key = event.key.toLowerCase();
		const inText = (event.target as HTMLElement).matches('input, textarea');
		if (key === 's') void desk.publish();
		else if (key === 'z' && !inText) (event.shiftKey ? () => desk.redo() : () => desk.undo())();
		else if (key === 'y' && !inText) desk.redo();
		else return;
		event.preventDefault();
	}
</script>

<svelte:window {onkeydown} />

<div class="flex min-h-0 min-w-0">
	<main class="flex min-w-0 grow flex-col px-4.5 pt-3.5 pb-2">
		<div class="flex items-start gap-2">
			<div class="min-w-0">
				<h1 class="truncate text-xl font-semibold tracking-tight">{desk.design.name || 'New form'}</h1>
				<p class="text-grey text-[13px]">
					{desk.code === null ? 'Not published yet' : `Version ${desk.design.version}${desk.isChanged ? ', changed since' : ''}`}
				</p>
			</div>
			<div class="ml-auto flex shrink-0 items-center gap-1">
				<button
					class="btn btn-ghost btn-sm btn-square"
					disabled={!desk.canUndo}
					aria-label="Undo"
					title="Undo (Ctrl+Z)"
					onclick={() => desk.undo()}><Undo size={15} aria-hidden="true" /></button
				>
				<button
					class="btn btn-ghost btn-sm btn-square"
					disabled={!desk.canRedo}
					aria-label="Redo"
					title="Redo (Ctrl+Y)"
					onclick={() => desk.redo()}><Redo size={15} aria-hidden="true" /></button
				>
				<button class="btn btn-ghost btn-sm" aria-pressed={picked.kind === 'form'} onclick={() => (desk.picked = { kind: 'form' })}
					>Settings</button
				>
				{#if desk.code !== null}
					<button
						class="btn btn-ghost btn-sm"
						aria-pressed={picked.kind === 'versions'}
						onclick={() => (desk.picked = { kind: 'versions' })}>Versions</button
					>
					<button class="btn btn-ghost btn-sm" onclick={copy}>Copy</button>
					<button class="btn btn-ghost btn-sm" onclick={() => deleting.showModal()}>Delete</button>
				{/if}
				<button
					class="btn btn-primary btn-sm"
					disabled={desk.busy || !desk.isChanged || desk.faults.length > 0 || desk.design.name.trim() === ''}
					onclick={() => desk.publish()}>Publish</button
				>
			</div>
		</div>
		{#if desk.message}
			<p
				class={['mt-1', desk.message.kind === 'error' ? 'text-error' : 'text-success']}
				role={desk.message.kind === 'error' ? 'alert' : 'status'}
			>
				{desk.message.text} <button class="text-grey text-[13px] underline" onclick={() => (desk.message = null)}>Hide</button>
			</p>
		{/if}
		<div class="mt-2 grid max-h-[44%] shrink-0 grid-cols-2 gap-2 overflow-y-auto">
			<TrayBox {desk} tray="rows" title="Rows" hint="Drop what goes down the page." />
			<TrayBox {desk} tray="columns" title="Columns" hint="Drop what goes across." />
			<TrayBox {desk} tray="selectors" title="Selectors" hint="Drop what the reader chooses." />
			<TrayBox {desk} tray="pinned" title="Pinned" hint="Drop what stays fixed." />
			{#if desk.unplaced.length > 0}<div class="col-span-2"><TrayBox {desk} tray="unplaced" title="Not placed yet" hint="" /></div>{/if}
		</div>
		<div class="mt-3 mb-1.5 flex flex-wrap items-center gap-1.5">
			<h2 class="text-grey mr-1 text-xs font-semibold">Preview</h2>
			{#if desk.preview}
				{#each desk.preview.selectors as selector (selector.dimension)}
					<SelectorChip
						name={selector.name}
						chosen={String(selector.chosen)}
						choices={selector.choices.map((choice) => ({ ...choice, value: String(choice.member) }))}
						onchoose={(value) => {
							desk.choices = { ...desk.choices, members: { ...desk.choices.members, [selector.dimension]: Number(value) } };
							desk.look();
						}}
					/>
				{/each}
			{/if}
			<label class="ml-auto flex items-center gap-1.5 text-[13px]"
				><span class="text-grey">See as</span>
				<select
					class="select select-xs w-44"
					onchange={(event) => {
						desk.seenAs = event.currentTarget.value === '' ? undefined : Number(event.currentTarget.value);
						desk.look();
					}}
				>
					<option value="">myself</option>
					{#each desk.desk.people as person (person.id)}<option value={person.id}>{person.name}, {person.title}</option>{/each}
				</select></label
			>
		</div>
		{#each desk.faults as fault (fault)}<p class="text-error mb-1 text-[13px]" role="alert">{fault}</p>{/each}
		{#each desk.hints as hint (hint)}<p class="text-warning mb-1 text-[13px]">{hint}</p>{/each}
		{#if grid && desk.preview}
			{#key grid}
				<Grid
					form={desk.preview}
					style={numberStyle(locale)}
					label="Preview of the form"
					faults={new Map()}
					flashing={new Set()}
					pending={new Map()}
					marks={new Map()}
					others={new Map()}
					{grid}
					menu={[]}
					onfocuscell={() => {}}
					onrows={() => {}}
					onundo={() => desk.undo()}
					onredo={() => desk.redo()}
					onsave={() => desk.publish()}
					oninspect={() => {}}
					onwhynot={() => Promise.resolve('This is a preview: nothing is typed into it.')}
					onfind={() => {}}
				/>
			{/key}
		{:else if desk.faults.length === 0}<p class="text-grey">The figures are being read.</p>{/if}
	</main>
	<aside class="border-hairline bg-base-100 w-80 shrink-0 overflow-y-auto border-l px-4 py-3.5 text-[13px]" aria-label="What is picked">
		{#if picked.kind === 'block' && pickedBlock}
			{#key `${picked.axis} ${picked.id}`}<BlockInspector {desk} axis={picked.axis} block={pickedBlock} />{/key}
		{:else if picked.kind === 'dimension' && desk.dimension(picked.dimension)}
			{#key picked.dimension}<DimensionInspector {desk} dimension={picked.dimension} />{/key}
		{:else if picked.kind === 'versions' && desk.code !== null}
			<VersionsPanel {desk} {locale} />
		{:else}<FormFacts {desk} />{/if}
	</aside>
</div>

<dialog
	bind:this={leaving}
	class="bg-raised border-rule m-auto w-96 rounded-md border p-5 shadow-xl backdrop:bg-black/25"
	aria-labelledby="leaving-title"
>
	<h2 id="leaving-title" class="text-lg font-semibold">Leave without publishing?</h2>
	<p class="mt-1">What you changed since the last published version would be lost.</p>
	<div class="mt-4 flex justify-end gap-2">
		<button class="btn btn-sm" onclick={() => leaving.close()}>Stay</button>
		<button
			class="btn btn-sm btn-primary"
			onclick={() => {
				mayLeave = true;
				leaving.close();
				if (goingTo) void goto(goingTo);
			}}>Leave</button
		>
	</div>
</dialog>
<dialog
	bind:this={deleting}
	class="bg-raised border-rule m-auto w-96 rounded-md border p-5 shadow-xl backdrop:bg-black/25"
	aria-labelledby="deleting-title"
>
	<h2 id="deleting-title" class="text-lg font-semibold">Delete “{desk.design.name}”?</h2>
	<p class="mt-1">The form and its versions go for good. Figures, notes and drafts stay.</p>
	<div class="mt-4 flex justify-end gap-2">
		<button class="btn btn-sm" onclick={() => deleting.close()}>Keep it</button>
		<button class="btn btn-sm btn-primary" onclick={remove}>Delete the form</button>
	</div>
</dialog>
