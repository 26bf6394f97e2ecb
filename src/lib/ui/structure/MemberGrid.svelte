<script lang="ts">
	import type { FieldSpec } from '$lib/core';
	import { tick } from 'svelte';
	import { fromClipboard, toClipboard } from '../grid/clipboard';
	import { VirtualRows } from '../virtual-rows.svelte';
	import type { MemberTableState } from './member-table.svelte';

	interface Props {
		state: MemberTableState;
		mayWrite: boolean;
		onpaste: (grid: string[][]) => void;
		oninspect: () => void;
	}
	let { state: members, mayWrite, onpaste, oninspect }: Props = $props();

	const ROW = 28;
	const rows = new VirtualRows(() => members.visible.length + (members.adding ? 1 : 0), ROW, ROW);
	let scroller = $state<HTMLElement>();
	let newCode = $state('');
	let newName = $state('');
	let nameInput = $state<HTMLInputElement>();
	/** Where a dragged row would land: a visible row, and before, under or after it. */
	let drop = $state<{ at: number; where: 'before' | 'under' | 'after' } | null>(null);

	const columns = $derived(members.columns);
	const template = $derived(columns.map(({ width }, index) => (index === 0 ? `minmax(${width}px, 1fr)` : `${width}px`)).join(' '));
	const fieldOf = (key: string): FieldSpec | undefined => members.table.fields.find((field) => field.key === key);
	/** The visible row drawn at a place: the row being written takes one. */
	const visibleAt = (index: number): number | 'new' => {
		const adding = members.adding;
		if (!adding || index <= adding.after) return index;
		return index === adding.after + 1 ? 'new' : index - 1;
	};

	// What was found is seen from its beginning.
	$effect(() => {
		void members.text;
		if (scroller) scroller.scrollTop = 0;
	});

	async function focusCell() {
		rows.show(members.at + (members.adding && members.at > members.adding.after ? 1 : 0));
		await tick();
		scroller?.querySelector<HTMLElement>(`[data-at="${members.at}"][data-column="${members.column}"]`)?.focus();
	}
	async function focusNew() {
		const { adding } = members;
		if (!adding) return;
		newCode = '';
		newName = '';
		rows.show(adding.after + 1);
		await tick();
		nameInput?.focus();
	}

	function startEditing(value?: string) {
		const column = columns[members.column];
		if (!mayWrite || !column || members.row === undefined || members.table.kind === 'period') return;
		members.editing = { value: value ?? members.textAt(members.row, column.key) };
	}
	async function commit(then: 'down' | 'right' | 'left' | 'stay') {
		const { editing } = members;
		const column = columns[members.column];
		if (!editing || !column) return;
		members.editing = null;
		const done = await members.set(column.key, editing.value);
		if (then === 'right') members.column = Math.min(members.column + 1, columns.length - 1);
		if (then === 'left') members.column = Math.max(members.column - 1, 0);
		if (then === 'down' && done) members.go(members.at + 1);
		await focusCell();
		if (done && (then === 'right' || then === 'left')) startEditing();
	}

	function onkeydown(event: KeyboardEvent) {
		if (members.editing || (event.target as HTMLElement).closest('.writing')) return;
		const row = members.row;
		const control = event.ctrlKey || event.metaKey;
		const last = columns.length - 1;
		const key = event.key;
		if (mayWrite && control && event.shiftKey && key.startsWith('Arrow')) {
			const way = ({ ArrowUp: 'up', ArrowDown: 'down', ArrowRight: 'in', ArrowLeft: 'out' } as const)[key as 'ArrowUp'];
			void members.nudge(way).then(focusCell);
		} else if (key === 'ArrowDown') members.go(members.at + 1, event.shiftKey);
		else if (key === 'ArrowUp') members.go(members.at - 1, event.shiftKey);
		else if (key === 'PageDown') members.go(members.at + 20, event.shiftKey);
		else if (key === 'PageUp') members.go(members.at - 20, event.shiftKey);
		else if (key === 'ArrowRight' && row !== undefined) {
			if (members.column === 0 && members.folded.has(members.table.ids[row]!)) members.toggle(row, true);
			else members.column = Math.min(members.column + 1, last);
		} else if (key === 'ArrowLeft' && row !== undefined) {
			if (members.column === 0 && !members.isLeaf(row) && !members.folded.has(members.table.ids[row]!)) members.toggle(row, false);
			else members.column = Math.max(members.column - 1, 0);
		} else if (key === 'Home') {
			if (control) members.go(0);
			else members.column = 0;
		} else if (key === 'End') {
			if (control) members.go(members.visible.length - 1);
			else members.column = last;
		} else if (key === ' ' && row !== undefined) members.toggle(row);
		else if (key === 'Insert' || (control && key === 'Enter')) {
			if (!mayWrite) return;
			members.startAdding(event.shiftKey);
			event.preventDefault();
			void focusNew();
			return;
		} else if (key === 'Enter' || key === 'F2') {
			startEditing();
			event.preventDefault();
			return;
		} else if (key === 'Delete' && mayWrite) void members.remove({ way: 'delete' }).then(focusCell);
		else if (control && key.toLowerCase() === 'z' && mayWrite) void members.undo().then(focusCell);
		else if (control && key.toLowerCase() === 'i') oninspect();
		else if (!control && !event.altKey && key.length === 1 && mayWrite) {
			startEditing(key);
			event.preventDefault();
			return;
		} else return;
		event.preventDefault();
		void focusCell();
	}

	function oncopy(event: ClipboardEvent) {
		if (members.editing || members.adding) return;
		const chosen = members.chosen.size > 0 ? [...members.chosen].sort((a, b) => a - b) : members.row === undefined ? [] : [members.row];
		const { codes } = members.table;
		const headings = ['Code', 'Name', 'Parent', 'Weight', ...members.table.fields.map(({ title }) => title)];
		const lines = chosen.map((row) => {
			const above = members.parentOf(row);
			return [
				codes[row]!,
				members.table.names[row]!,
				above < 0 ? '' : codes[above]!,
				members.textAt(row, 'weight'),
				...members.table.fields.map(({ key }) => members.textAt(row, key))
			];
		});
		event.clipboardData?.setData('text/plain', toClipboard([headings, ...lines]));
		event.preventDefault();
	}
	function onpasteEvent(event: ClipboardEvent) {
		if (members.editing || members.adding || !mayWrite) return;
		const grid = fromClipboard(event.clipboardData?.getData('text/plain') ?? '');
		if (grid.length === 0) return;
		event.preventDefault();
		onpaste(grid);
	}

	function dragOver(event: DragEvent, at: number) {
		event.preventDefault();
		const box = (event.currentTarget as HTMLElement).getBoundingClientRect();
		const share = (event.clientY - box.top) / box.height;
		drop = { at, where: share < 0.28 ? 'before' : share > 0.72 ? 'after' : 'under' };
	}
	async function land(event: DragEvent) {
		event.preventDefault();
		const target = drop;
		drop = null;
		if (!target) return;
		const row = members.visible[target.at]!;
		const { ids, depths } = members.table;
		const moved = members.picked.map((each) => ids[each]!);
		if (moved.includes(ids[row]!)) return;
		const above = members.parentOf(row);
		const parent = above < 0 ? null : ids[above]!;
		if (target.where === 'under') await members.move(ids[row]!, undefined);
		else if (target.where === 'before') await members.move(parent, ids[row]);
		else {
			const end = members.endOf(row);
			await members.move(parent, end < ids.length && depths[end] === depths[row] ? ids[end] : undefined);
		}
		if (moved[0] !== undefined) members.reveal(moved[0]);
		void focusCell();
	}

	async function onnewkeydown(event: KeyboardEvent) {
		if (event.key === 'Escape') {
			members.adding = null;
			event.preventDefault();
			await focusCell();
		} else if (event.key === 'Enter') {
			event.preventDefault();
			if (newCode.trim() === '' && newName.trim() === '') {
				members.adding = null;
				return focusCell();
			}
			if (await members.add(newCode, newName)) await focusNew();
		}
	}

	/** Opens the row for a new member and puts the focus there. */
	export function write(under: boolean) {
		members.startAdding(under);
		void focusNew();
	}
	export const focus = focusCell;
</script>

<div
	bind:this={scroller}
	{@attach rows.attach}
	class="border-rule min-h-0 grow overflow-auto border-t outline-none"
	role="treegrid"
	tabindex="-1"
	aria-label="Members of {members.table.name}"
	aria-rowcount={members.visible.length + 1}
	aria-colcount={columns.length}
	aria-multiselectable="true"
	{onkeydown}
	{oncopy}
	onpaste={onpasteEvent}
>
	<div class="head row" style:grid-template-columns={template} role="row" aria-rowindex={1}>
		{#each columns as { key, title, help } (key)}<div role="columnheader" title={help}>{title}</div>{/each}
	</div>
	<div class="relative" role="rowgroup" style:height="{rows.height}px">
		{#each rows.items as item (item.key)}
			{@const at = visibleAt(item.index)}
			{#if at === 'new'}
				<div class="row writing" role="row" style:grid-template-columns={template} style:transform="translateY({item.start}px)">
					<div role="gridcell" style:padding-left="{26 + members.adding!.depth * 18}px">
						<input
							bind:this={nameInput}
							class="cell-input"
							placeholder="Name"
							aria-label="Name of the new member"
							maxlength="200"
							bind:value={newName}
							onkeydown={onnewkeydown}
						/>
					</div>
					<div role="gridcell">
						<input
							class="cell-input font-mono"
							placeholder="Code"
							aria-label="Code of the new member"
							maxlength="60"
							bind:value={newCode}
							onkeydown={onnewkeydown}
						/>
					</div>
					<div role="gridcell" class="text-grey hint">Enter adds, Esc ends</div>
				</div>
			{:else if members.visible[at] !== undefined}
				{@const row = members.visible[at]!}
				{@const id = members.table.ids[row]!}
				{@const leaf = members.isLeaf(row)}
				{@const depth = members.text ? 0 : members.table.depths[row]!}
				{@const marks = members.table.marks[row]!}
				<!-- svelte-ignore a11y_interactive_supports_focus -->
				<div
					class={[
						'row',
						members.chosen.has(row) && 'chosen',
						at === members.at && 'current',
						marks & 2 && 'retired',
						drop?.at === at && `drop-${drop.where}`
					]}
					role="row"
					style:grid-template-columns={template}
					style:transform="translateY({item.start}px)"
					aria-rowindex={at + 2}
					aria-level={members.table.depths[row]! + 1}
					aria-expanded={leaf ? undefined : !members.folded.has(id)}
					aria-selected={members.chosen.has(row) || at === members.at}
					draggable={mayWrite && !members.editing && members.table.kind !== 'period'}
					ondragstart={(event) => {
						if (!members.chosen.has(row)) members.go(at);
						event.dataTransfer?.setData('text/plain', members.table.codes[row]!);
					}}
					ondragover={(event) => dragOver(event, at)}
					ondragleave={() => (drop = null)}
					ondrop={land}
				>
					{#each columns as { key }, column (key)}
						{@const current = at === members.at && column === members.column}
						{@const value = members.textAt(row, key)}
						<!-- svelte-ignore a11y_click_events_have_key_events -->
						<div
							role="gridcell"
							data-at={at}
							data-column={column}
							tabindex={current ? 0 : -1}
							aria-colindex={column + 1}
							class={[column === 0 && !leaf && 'font-semibold', column === 1 && 'code', column > 1 && 'text-soft']}
							style:padding-left={column === 0 ? `${8 + depth * 18}px` : undefined}
							title={value.length > 24 ? value : undefined}
							onclick={(event) => {
								members.column = column;
								if (event.ctrlKey || event.metaKey) members.alsoChoose(at);
								else members.go(at, event.shiftKey);
							}}
							ondblclick={() => startEditing()}
						>
							{#if current && members.editing}
								{@const spec = fieldOf(key)}
								{@const options =
									spec?.to === 'people'
										? Object.values(members.table.people)
										: (spec?.choices ?? (spec?.to ? members.table.choices[spec.to] : undefined))}
								<input
									class="cell-input"
									aria-label="{columns[column]!.title} of {members.table.names[row]}"
									list={options ? 'member-choices' : undefined}
									{@attach (node: HTMLInputElement) => {
										node.focus();
										if (node.value.length !== 1) node.select();
									}}
									bind:value={members.editing.value}
									onblur={() => void commit('stay')}
									onkeydown={(event) => {
										event.stopPropagation();
										if (event.key === 'Escape') {
											members.editing = null;
											void focusCell();
										} else if (event.key === 'Enter') void commit('down');
										else if (event.key === 'Tab') {
											event.preventDefault();
											void commit(event.shiftKey ? 'left' : 'right');
										}
									}}
								/>
								{#if options}<datalist id="member-choices"
										>{#each options as option (option)}<option value={option}></option>{/each}</datalist
									>{/if}
							{:else if column === 0}
								{#if leaf || members.text}<span class="twist"></span>{:else}
									<button
										class="twist"
										tabindex="-1"
										aria-label={members.folded.has(id) ? `Open ${value}` : `Close ${value}`}
										onclick={(event) => {
											event.stopPropagation();
											members.toggle(row);
										}}
									>
										<svg viewBox="0 0 10 10" width="10" height="10" class={[!members.folded.has(id) && 'rotate-90']} aria-hidden="true"
											><path d="M3 1.5 7 5 3 8.5z" fill="currentColor" /></svg
										>
									</button>
								{/if}{value}{#if marks & 1}<span class="tag" title="For numbers this breakdown does not apply to">unassigned</span
									>{/if}{#if marks & 2}<span class="tag" title="Takes no new entries; its history stays">retired</span>{/if}
							{:else if key === 'weight'}
								<span class={value === '-1' ? 'text-error' : 'text-grey'}
									>{members.table.depths[row] === 0 ? '' : value === '-1' ? 'subtracts' : value === '0' ? 'not at all' : 'adds'}</span
								>
							{:else}{value}{/if}
						</div>
					{/each}
				</div>
			{/if}
		{/each}
	</div>
	{#if members.visible.length === 0 && !members.adding}
		<p class="text-grey px-2 py-3">
			{members.text ? 'No member by that name or code.' : 'No members yet. Add the first one, or paste a list from a spreadsheet.'}
		</p>
	{/if}
</div>

<style>
	.row {
		display: grid;
		position: absolute;
		inset: 0 0 auto 0;
		min-width: max-content;
		height: 28px;
		border-bottom: 1px solid var(--hairline);
		font-size: 13.5px;
		line-height: 27px;
	}
	.head {
		position: sticky;
		top: 0;
		z-index: 2;
		background: var(--color-base-100);
		border-bottom: 1px solid var(--rule);
		color: var(--grey);
		font-size: 12px;
		font-weight: 600;
	}
	.row > div {
		padding: 0 8px;
		overflow: hidden;
		white-space: nowrap;
		text-overflow: ellipsis;
	}
	.row:hover {
		background: var(--color-base-200);
	}
	.current {
		background: var(--color-base-200);
	}
	.chosen {
		background: color-mix(in oklab, var(--color-secondary) 14%, var(--color-base-100));
	}
	.row > div:focus {
		outline: 2px solid var(--color-primary);
		outline-offset: -2px;
	}
	.retired {
		color: var(--grey);
		text-decoration: line-through;
		text-decoration-color: var(--mark);
	}
	.code {
		font-family: var(--font-mono);
		font-size: 12.5px;
	}
	.twist {
		display: inline-grid;
		place-items: center;
		width: 18px;
		height: 16px;
		vertical-align: -3px;
		color: var(--grey);
	}
	.tag {
		margin-left: 8px;
		color: var(--grey);
		font-size: 12px;
		font-weight: 400;
		display: inline-block;
		text-decoration: none;
	}
	.cell-input {
		width: 100%;
		height: 24px;
		padding: 0 4px;
		border: 1px solid var(--color-primary);
		border-radius: 4px;
		background: var(--raised);
		font-size: 13.5px;
		line-height: 22px;
	}
	.hint {
		font-size: 12px;
	}
	.writing {
		background: var(--color-base-200);
	}
	.drop-under {
		background: color-mix(in oklab, var(--color-primary) 16%, var(--color-base-100));
	}
	.drop-before {
		box-shadow: inset 0 2px 0 var(--color-primary);
	}
	.drop-after {
		box-shadow: inset 0 -2px 0 var(--color-primary);
	}
</style>
