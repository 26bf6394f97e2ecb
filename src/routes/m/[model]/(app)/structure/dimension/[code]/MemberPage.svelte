<script lang="ts">
	import { tick } from 'svelte';
	import { at } from '$lib/ui/at';
	import { invalidate } from '$app/navigation';
	import type { ActOutcome, MemberTable } from '$lib/server/structure';
	import { readSheet, request } from '$lib/ui/request';
	import { useShell } from '$lib/ui/shell/shell.svelte';
	import { fromClipboard } from '$lib/ui/grid/clipboard';
	import AttributePanel from '$lib/ui/structure/AttributePanel.svelte';
	import Decision from '$lib/ui/structure/Decision.svelte';
	import MemberGrid from '$lib/ui/structure/MemberGrid.svelte';
	import MemberInspector from '$lib/ui/structure/MemberInspector.svelte';
	import PasteSheet from '$lib/ui/structure/PasteSheet.svelte';
	import { MemberTableState } from '$lib/ui/structure/member-table.svelte';
	import Undo from '@lucide/svelte/icons/undo-2';
	import { onMount } from 'svelte';

	interface Props {
		table: MemberTable;
		person: { locale: string; permissions: string[] };
	}
	let { table, person }: Props = $props();

	const EXAMPLE = ['Code\tName\tParent', '4000\tRevenue\t'].join('\n');
	const shell = useShell();
	// svelte-ignore state_referenced_locally
	const members = new MemberTableState(table);
	// svelte-ignore state_referenced_locally
	const period = table.kind === 'period';
	const mayWrite = $derived(person.permissions.includes('structure.write'));
	const editable = $derived(mayWrite && !period);
	let grid = $state<MemberGrid>();
	let inspecting = $state(false);
	let panel = $state<'attributes' | 'paste' | null>(null);
	let pasted = $state.raw<{ grid: string[][]; source: string } | null>(null);
	let text = $state('');
	let picker = $state<HTMLInputElement>();
	let newHierarchy = $state('');

	$effect.pre(() => {
		shell.actions = [
			...(editable
				? [
						{ kind: 'Action', name: 'Add a member', hint: 'Insert', run: () => grid?.write(false) },
						{ kind: 'Action', name: 'Add a member under this one', hint: 'Shift+Insert', run: () => grid?.write(true) },
						{ kind: 'Action', name: 'Take back the last change', hint: 'Ctrl+Z', run: () => void members.undo() }
					]
				: []),
			...members.table.ids
				.slice(0, 3_000)
				.map((id, row) => ({ kind: 'Member', name: members.table.names[row]!, run: () => members.reveal(id) }))
		];
	});
	onMount(() => {
		// Others change the structure too.
		const events = new EventSource(at('/api/events'));
		events.addEventListener('structure', () => {
			if (!members.editing && !members.adding && !members.busy) void members.reload();
		});
		return () => events.close();
	});

	/** Numbers of members beside the names of dimensions follow what is changed here. */
	let counted = members.table.ids.length;
	$effect(() => {
		if (members.hierarchy !== undefined || members.table.ids.length === counted) return;
		counted = members.table.ids.length;
		void invalidate('structure:dimensions');
	});
	async function onclose(outcome?: ActOutcome) {
		pasted = null;
		panel = null;
		text = '';
		if (!outcome) return;
		members.message = { text: `${outcome.words}.`, kind: 'info' };
		await members.reload();
		await invalidate('structure:dimensions');
		// Where one was before is gone with the sheet: keys go to the members again.
		grid?.focus();
	}
	async function upload(file: File | undefined) {
		if (!file) return;
		members.message = null;
		const reply = await readSheet(file);
		if (reply.ok) pasted = { grid: reply.answer.grid, source: `from ${file.name}` };
		else members.message = { text: reply.message, kind: 'error' };
		if (picker) picker.value = '';
	}
	async function startHierarchy() {
		const reply = await request(`/api/structure/dimension/${members.code}/hierarchy`, { name: newHierarchy });
		if (!reply.ok) members.message = { text: reply.message, kind: 'error' };
		else {
			const name = newHierarchy.trim();
			newHierarchy = '';
			await members.show(name);
		}
	}
	let renamed = $derived(members.hierarchy ?? '');
	async function renameHierarchy() {
		const becomes = renamed.trim();
		if (becomes === '' || becomes === members.hierarchy) return;
		const reply = await request(`/api/structure/dimension/${members.code}/rename-hierarchy`, { name: members.hierarchy, becomes });
		if (!reply.ok) members.message = { text: reply.message, kind: 'error' };
		else {
			await members.show(becomes);
			members.message = { text: `The hierarchy is called “${becomes}” now, also in the forms that select by it.`, kind: 'info' };
		}
	}
	async function deleteHierarchy() {
		const reply = await request<ActOutcome>(`/api/structure/dimension/${members.code}/delete-hierarchy`, { name: members.hierarchy });
		if (!reply.ok) members.message = { text: reply.message, kind: 'error' };
		else {
			await members.show(undefined);
			// Keys go to the members before it is said which of them brings it back.
			await tick();
			grid?.focus();
			members.message = { text: `${reply.answer.words}. Ctrl+Z brings it back.`, kind: 'info' };
			await invalidate('structure:dimensions');
		}
	}
	/** Brings members that an alternate hierarchy does not hold into it, under the one in focus. */
	let bringing = $state('');
	async function bring() {
		const wanted = bringing.trim();
		const id = outside.find((member) => member.code === wanted)?.id;
		if (id === undefined) {
			members.message = { text: `There is no member with the code “${wanted}” outside this hierarchy.`, kind: 'error' };
			return;
		}
		const parent = members.row === undefined ? null : members.table.ids[members.row]!;
		if (await members.edit([{ act: 'move', members: [id], parent, hierarchy: members.hierarchy }])) bringing = '';
	}
	let main = $state.raw<MemberTable | null>(null);
	$effect(() => {
		if (members.hierarchy === undefined) main = members.table;
	});
	const outside = $derived.by(() => {
		const known = main;
		if (!known) return [];
		const ids = new Set(members.table.outside);
		return known.ids.flatMap((id, row) => (ids.has(id) ? [{ id, code: known.codes[row]!, name: known.names[row]! }] : []));
	});
	const kindName = $derived(
		members.table.kind === 'general' ? 'General' : members.table.kind[0]!.toUpperCase() + members.table.kind.slice(1)
	);
	const count = (number: number) => number.toLocaleString(person.locale);
</script>

<main class="flex min-h-0 min-w-0">
	<div class="flex min-h-0 min-w-0 grow flex-col px-4.5 pt-3.5">
		<div class="mb-2">
			<h1 class="text-xl font-semibold tracking-tight">{members.table.name}</h1>
			<p class="text-grey text-[13px]">
				{#if members.table.list}
					<a class="underline" href={at('/structure/lists')}>List of choices</a> · {count(members.table.ids.length)}
					{members.table.ids.length === 1 ? 'choice' : 'choices'}{members.leaves < members.table.ids.length
						? `, ${count(members.leaves)} of them leaves, which may be chosen`
						: ''}
				{:else}
					{members.hierarchy === undefined ? `${kindName} dimension` : `Hierarchy “${members.hierarchy}”`} · {count(
						members.table.ids.length
					)}
					{members.table.ids.length === 1 ? 'member' : 'members'}, {count(members.leaves)} of them leaves
				{/if}
				{#if period}· made by the <a class="underline" href={at('/structure/calendar')}>calendar</a>{/if}
			</p>
		</div>
		<div class="mb-2 flex flex-wrap items-end gap-x-3 gap-y-2">
			<div class="flex gap-1.5">
				{#if editable}
					<button class="btn btn-sm btn-primary" onclick={() => grid?.write(false)} title="Insert; under the one in focus with Shift+Insert"
						>Add</button
					>
					<button
						class="btn btn-sm"
						onclick={() => void members.undo()}
						title="Take back the last change (Ctrl+Z)"
						aria-label="Take back the last change"><Undo size={14} aria-hidden="true" /></button
					>
					<button class="btn btn-sm" onclick={() => (panel = panel === 'paste' ? null : 'paste')} aria-expanded={panel === 'paste'}
						>Paste or load…</button
					>
				{/if}
				<button
					class="btn btn-sm"
					onclick={() => (panel = panel === 'attributes' ? null : 'attributes')}
					aria-expanded={panel === 'attributes'}>Attributes…</button
				>
				<button class="btn btn-sm" popovertarget="export-as" style="anchor-name: --export">Export</button>
				<div
					id="export-as"
					popover="auto"
					class="bg-raised border-rule text-base-content absolute m-0 rounded-md border p-1.5 shadow-lg"
					style="inset: auto; position-anchor: --export; top: calc(anchor(bottom) + 4px); right: anchor(right);"
				>
					<a
						class="hover:bg-base-200 block rounded px-3 py-1"
						href={at(`/api/structure/dimension/${members.code}/export?format=csv`)}
						download>As CSV</a
					>
					<a
						class="hover:bg-base-200 block rounded px-3 py-1"
						href={at(`/api/structure/dimension/${members.code}/export?format=xlsx`)}
						download>As a workbook (XLSX)</a
					>
				</div>
				<button
					class="btn btn-sm"
					onclick={() => (inspecting = !inspecting)}
					aria-pressed={inspecting}
					title="Details of the member (Ctrl+I)">Details</button
				>
			</div>
			<div class="ml-auto flex items-center gap-2">
				{#if members.table.hierarchies.length > 0}
					<select
						class="select select-sm w-36"
						aria-label="Hierarchy"
						value={members.hierarchy ?? ''}
						onchange={(event) => void members.show(event.currentTarget.value || undefined)}
					>
						<option value="">Main hierarchy</option>
						{#each members.table.hierarchies as hierarchy (hierarchy)}<option value={hierarchy}>{hierarchy}</option>{/each}
					</select>
				{/if}
				<input
					class="input input-sm bg-raised w-44"
					type="search"
					placeholder="Find a member"
					aria-label="Find a member"
					bind:value={members.text}
					oninput={() => (members.at = 0)}
				/>
			</div>
		</div>
		{#if members.message}
			<p class={['mb-1.5 text-[13px]', members.message.kind === 'error' ? 'text-error' : 'text-soft']} role="status">
				{members.message.text}
			</p>
		{/if}
		{#if members.question}
			<Decision state={members} question={members.question} locale={person.locale} oninspect={() => (inspecting = true)} />
		{/if}
		{#if members.hierarchy !== undefined && editable}
			<form
				class="mb-2 flex items-center gap-2 text-[13px]"
				onsubmit={(event) => {
					event.preventDefault();
					void bring();
				}}
			>
				<span class="text-grey" title="What is added in this view is a group of this hierarchy; members of the main one are brought in."
					>{outside.length === 1 ? 'One member is not here' : `${count(outside.length)} members are not here`}; bring in, under the one in
					focus:</span
				>
				<input
					class="input input-xs w-44"
					list="outside-codes"
					placeholder="Code to bring in"
					aria-label="Code to bring in"
					bind:value={bringing}
				/>
				<datalist id="outside-codes"
					>{#each outside.slice(0, 2_000) as { code, name } (code)}<option value={code}>{name}</option>{/each}</datalist
				>
				<button class="btn btn-xs" disabled={bringing.trim() === ''}>Bring in</button>
			</form>
			<form
				class="mb-2 flex items-center gap-2 text-[13px]"
				onsubmit={(event) => {
					event.preventDefault();
					void renameHierarchy();
				}}
			>
				<input class="input input-xs w-44" aria-label="Name of this hierarchy" maxlength="80" bind:value={renamed} />
				<button class="btn btn-xs" disabled={renamed.trim() === '' || renamed.trim() === members.hierarchy}>Rename</button>
				<button
					class="btn btn-xs"
					type="button"
					title="Its members stay where they are in the main hierarchy; groups that stand here alone go with it. Ctrl+Z brings it back."
					onclick={() => void deleteHierarchy()}>Delete this hierarchy</button
				>
			</form>
		{/if}
		{#if panel === 'attributes'}
			<AttributePanel code={members.code} fields={members.table.fields} {mayWrite} onchanged={() => void members.reload()}>
				{#if editable}
					<form
						class="mt-2 flex items-center gap-2"
						onsubmit={(event) => {
							event.preventDefault();
							void startHierarchy();
						}}
					>
						<span class="text-grey">Another way to group the same members:</span>
						<input
							class="input input-xs w-44"
							placeholder="Name of the hierarchy"
							aria-label="Name of the new hierarchy"
							maxlength="80"
							bind:value={newHierarchy}
						/>
						<button class="btn btn-xs" disabled={newHierarchy.trim() === ''}>Start an alternate hierarchy</button>
					</form>
				{/if}
			</AttributePanel>
		{:else if panel === 'paste' && !pasted}
			<div class="border-rule bg-base-200 mb-2 rounded-md border px-3.5 py-2.5 text-[13px]">
				<p class="mb-1.5">
					Paste a block from a spreadsheet, its first row naming the columns: <b class="font-semibold">Code</b>, Name, Parent, Weight{members.table.fields
						.map(({ title }) => `, ${title}`)
						.join('')}{members.table.kind === 'account' ? ', Formula' : ''}. Or
					<button class="underline" onclick={() => picker?.click()}>load a CSV or XLSX file</button>. Nothing changes before you have seen
					what it would do.
				</p>
				<textarea
					class="textarea bg-raised h-24 w-full font-mono text-xs"
					aria-label="Rows from a spreadsheet"
					placeholder={EXAMPLE}
					bind:value={text}></textarea>
				<div class="mt-1.5 flex gap-2">
					<button
						class="btn btn-sm btn-primary"
						disabled={text.trim() === ''}
						onclick={() => (pasted = { grid: fromClipboard(text), source: 'pasted' })}>Look at what it would do</button
					>
					<button class="btn btn-sm" onclick={() => (panel = null)}>Cancel</button>
				</div>
			</div>
		{/if}
		<input
			bind:this={picker}
			class="hidden"
			type="file"
			accept=".csv,.txt,.xlsx"
			aria-label="File with members"
			onchange={(event) => void upload(event.currentTarget.files?.[0])}
		/>
		{#if pasted}
			<PasteSheet
				code={members.code}
				name={members.table.name}
				grid={pasted.grid}
				source={pasted.source}
				locale={person.locale}
				{onclose}
			/>
		{:else}
			<MemberGrid
				bind:this={grid}
				state={members}
				mayWrite={editable}
				onpaste={(rows) => (pasted = { grid: rows, source: 'pasted' })}
				oninspect={() => (inspecting = !inspecting)}
			/>
		{/if}
	</div>
	{#if inspecting && !pasted}
		<MemberInspector state={members} mayWrite={editable} locale={person.locale} onclose={() => (inspecting = false)} />
	{/if}
</main>
