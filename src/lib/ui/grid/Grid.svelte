<script lang="ts">
	import type { CellMark } from '$lib/server/form';
	import type { NumberStyle } from '$lib/core';
	import { tick, untrack } from 'svelte';
	import CellMenu, { type MenuAct } from './CellMenu.svelte';
	import GridRow, { type PlacedSlot } from './GridRow.svelte';
	import { STUB_WIDTH, type ColumnSlot, type GridState } from './grid-state.svelte';
	import { useShell } from '../shell/shell.svelte';
	import type { ShownForm } from './shown-form';
	import { VirtualGrid } from './virtual-grid.svelte';

	interface Props {
		form: ShownForm;
		style: NumberStyle;
		label: string;
		faults: ReadonlyMap<number, string>;
		flashing: ReadonlySet<number>;
		pending: ReadonlyMap<number, string>;
		marks: ReadonlyMap<number, CellMark>;
		/** Where others stand, by cell. */
		others: ReadonlyMap<number, string>;
		/** Rows to be filled again by their method. */
		again?: ReadonlySet<number>;
		grid: GridState;
		menu: MenuAct[];
		onfocuscell: (row: number, column: number) => void;
		onrows: (rows: number[]) => void;
		onundo: () => void;
		onredo: () => void;
		onsave: () => void;
		oninspect: () => void;
		/** Why nothing can be typed into a cell. */
		onwhynot: (row: number, column: number) => Promise<string>;
		onfind: () => void;
	}
	let {
		form,
		style,
		label,
		faults,
		flashing,
		pending,
		marks,
		others,
		again = new Set<number>(),
		grid,
		menu,
		onfocuscell,
		onrows,
		onundo,
		onredo,
		onsave,
		oninspect,
		onwhynot,
		onfind
	}: Props = $props();

	const ROW_HEIGHT = 28;
	const HEAD_HEIGHT = 52;
	let cellMenu: ReturnType<typeof CellMenu>;
	let notice = $state<{ text: string; left: number; top: number; role: 'alert' | 'note' } | null>(null);
	let dragging = false;
	/** Whether the keyboard is in the grid: its cell may be out of sight, and so out of the page. */
	let isInside = false;

	const factor = $derived(grid.zoom / 100);
	const rowHeight = $derived(Math.round(ROW_HEIGHT * factor));
	const sizeOf = (slot: ColumnSlot) => Math.round((slot.kind === 'stub' ? STUB_WIDTH : grid.widthOf(slot.column)) * factor);
	const nameWidth = $derived(Math.round(grid.nameWidth * factor));
	const frozen = $derived(grid.slots.slice(grid.slots.length - grid.frozen));
	const moving = $derived(grid.slots.slice(0, grid.slots.length - grid.frozen));
	const frozenWidth = $derived(frozen.reduce((width, slot) => width + sizeOf(slot), 0));

	const virtual = new VirtualGrid(
		() => ({ count: grid.visibleRows.length, sizeOf: () => rowHeight, before: 0, after: Math.round(HEAD_HEIGHT * factor) }),
		() => ({ count: moving.length, sizeOf: (index) => sizeOf(moving[index]!), before: 0, after: nameWidth + frozenWidth })
	);
	const rowItems = $derived(virtual.rows);
	const columnItems = $derived(virtual.columns);
	const drawn = $derived(columnItems.flatMap(({ index }) => (moving[index] ? [moving[index]] : [])));
	const leftGap = $derived(columnItems[0]?.start ?? 0);
	const rightGap = $derived(Math.max(0, virtual.width - (columnItems.at(-1)?.end ?? 0)));
	/** Where each frozen column stands from the right edge. */
	const rightOf = $derived(frozen.map((_, index) => frozen.slice(index + 1).reduce((width, slot) => width + sizeOf(slot), 0)));
	const rowsDrawn = $derived(rowItems.flatMap(({ index }) => (grid.visibleRows[index] === undefined ? [] : [grid.visibleRows[index]])));
	/** Lines on the page: one that scrolled out serves for one that scrolled in. In steps, so that they keep their places. */
	const lineCount = $derived(16 * Math.ceil((rowItems.length + 2) / 16));
	/** Where every drawn cell of a row stands. */
	const places = $derived<PlacedSlot[]>([
		...columnItems.flatMap(({ index, start, size }) =>
			moving[index] ? [{ slot: moving[index], width: size, left: nameWidth + start, right: undefined }] : []
		),
		...frozen.map((slot, index) => ({ slot, width: sizeOf(slot), left: undefined, right: rightOf[index]! }))
	]);

	/** How far the columns at both edges reach into what is covered: a figure that is cut would read as another one. */
	let cut = $state({ left: 0, right: 0, top: 0, width: 0, height: 0 });
	function measureCut() {
		const { element } = virtual;
		if (!element) return;
		const from = element.scrollLeft;
		const to = from + element.clientWidth - nameWidth - frozenWidth;
		const across = (at: number) => virtual.columns.find(({ start, end }) => start < at - 0.5 && end > at + 0.5);
		const [first, last] = [across(from), across(to)];
		const isWhole = first !== undefined && first === last;
		cut = {
			left: isWhole || !first ? 0 : first.end - from,
			right: isWhole || !last ? 0 : to - last.start,
			top: 0,
			width: element.clientWidth,
			height: element.clientHeight
		};
	}
	$effect(() => {
		void [columnItems, nameWidth, frozenWidth];
		measureCut();
	});
	$effect(() => {
		const { element } = virtual;
		if (!element) return;
		const observer = new ResizeObserver(measureCut);
		observer.observe(element);
		return () => observer.disconnect();
	});

	/** Headings over groups of columns, for the columns that are drawn. */
	const groups = $derived.by(() => {
		const found: { name: string; span: number; from: number; width: number }[] = [];
		for (const slot of drawn) {
			const from = slot.kind === 'stub' ? slot.from : groupStart(slot.column);
			const name = slot.kind === 'stub' ? '' : form.columns[slot.column]!.group;
			const last = found.at(-1);
			if (last && last.name === name && last.from === from && slot.kind === 'column') {
				last.span++;
				last.width += sizeOf(slot);
			} else found.push({ name, span: 1, from, width: sizeOf(slot) });
		}
		return found;
	});
	/** What stands over a frozen column: a block's heading, the currency it is read in; once over several of one group. */
	function frozenGroup(index: number): string {
		const groupAt = (slot: ColumnSlot | undefined) => {
			if (slot?.kind !== 'column') return '';
			const { group, label } = form.columns[slot.column]!;
			// A column that is called what stands over it says so once.
			return group === label ? '' : group;
		};
		const own = groupAt(frozen[index]);
		return own !== groupAt(frozen[index - 1]) ? own : '';
	}
	function groupStart(column: number): number {
		let at = column;
		while (at > 0 && form.columns[at - 1]!.group === form.columns[column]!.group) at--;
		return at;
	}
	const starts = $derived(new Set(form.columns.flatMap((_, column) => (beginsGroup(column) ? [column] : []))));
	const shell = useShell();
	const hidden = $derived(new Set(shell.marks.hidden));
	const around = $derived({ faults, flashing, pending, marks, others, hidden });
	const beginsGroup = (column: number) => column > 0 && form.columns[column - 1]?.group !== form.columns[column]?.group;

	$effect(() => {
		// Another choice may have brought fewer lines.
		void [form.rows, form.columns];
		untrack(() => grid.clamp());
	});
	$effect(() => onrows(rowsDrawn));
	$effect(() => {
		// A cell that scrolled away takes the keyboard with it; the grid keeps it.
		void rowsDrawn;
		if (isInside && document.activeElement === document.body) virtual.element?.focus({ preventScroll: true });
	});

	const cellId = (row: number, column: number) => `cell-${row}-${column}`;

	async function showFocus(focusCell = true) {
		const slot = grid.slotOf(grid.focus.column);
		virtual.show(grid.rowPlace(grid.focus.row), slot < moving.length ? slot : -1);
		await tick();
		let cell = document.getElementById(cellId(grid.focus.row, grid.focus.column));
		// A far cell is drawn with the scrolling, a frame later.
		if (!cell) {
			await new Promise(requestAnimationFrame);
			await tick();
			cell = document.getElementById(cellId(grid.focus.row, grid.focus.column));
		}
		if (focusCell && !grid.editing) (cell ?? virtual.element)?.focus({ preventScroll: true });
		onfocuscell(grid.focus.row, grid.focus.column);
	}
	/** Brings the focused cell into sight, when a panel has taken some of the room. */
	export async function show() {
		await tick();
		await new Promise(requestAnimationFrame);
		const slot = grid.slotOf(grid.focus.column);
		virtual.show(grid.rowPlace(grid.focus.row), slot < moving.length ? slot : -1);
	}
	/** Brings the focused cell into sight and hands it the keyboard. */
	export const focus = () => showFocus();

	function edit(text?: string) {
		if (!form.takesEntry(grid.focus.row, grid.focus.column)) {
			void sayWhyNot();
			return;
		}
		grid.startEdit(text);
	}

	/** Says at the cell why nothing can be typed there; until one moves on. */
	async function sayWhyNot() {
		const { row, column } = grid.focus;
		const text = await onwhynot(row, column);
		if (grid.focus.row === row && grid.focus.column === column) say(text);
	}
	/** Says something at the cell the keyboard is in. */
	function say(text: string, role: 'alert' | 'note' = 'alert') {
		const box = document.getElementById(cellId(grid.focus.row, grid.focus.column))?.getBoundingClientRect();
		if (box) notice = { text, left: Math.max(8, Math.min(box.left, innerWidth - 340)), top: box.bottom + 4, role };
	}
	$effect(() => {
		void grid.focus;
		void grid.editing;
		notice = null;
		// Why a figure was refused is read where it stands, without a pointer.
		const fault = faults.get(form.cell(grid.focus.row, grid.focus.column));
		if (fault !== undefined && !grid.editing) void tick().then(() => say(fault, 'note'));
	});

	function endEdit(rows: number, across: number) {
		grid.commit();
		grid.move(rows, across);
		void showFocus();
	}

	function oneditkey(event: KeyboardEvent) {
		event.stopPropagation();
		if (event.key === 'Enter' && (event.ctrlKey || event.metaKey)) {
			const { text } = grid;
			grid.cancel();
			grid.enterAll(text);
			void showFocus();
		} else if (event.key === 'Enter') endEdit(event.shiftKey ? -1 : 1, 0);
		else if (event.key === 'Tab') endEdit(0, event.shiftKey ? -1 : 1);
		else if (event.key === 'Escape') {
			grid.cancel();
			void showFocus();
		} else if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 's') {
			endEdit(0, 0);
			onsave();
		} else return;
		event.preventDefault();
	}

	const ARROWS: Record<string, [number, number]> = { ArrowUp: [-1, 0], ArrowDown: [1, 0], ArrowLeft: [0, -1], ArrowRight: [0, 1] };

	/** Keys that do something to the focused cell or the selection. */
	function actByKey(event: KeyboardEvent, ctrl: boolean): boolean {
		const shortcut = ctrl ? event.key.toLowerCase() : '';
		const acts: Record<string, () => void> = {
			z: event.shiftKey ? onredo : onundo,
			y: onredo,
			s: onsave,
			d: () => grid.fillDown(),
			i: oninspect,
			f: onfind,
			a: () => grid.selectAll()
		};
		if (shortcut in acts) acts[shortcut]!();
		else if (event.key === 'F2') edit();
		else if (event.key === 'ContextMenu' || (event.key === 'F10' && event.shiftKey)) openMenu();
		else if (event.key === 'Delete' || event.key === 'Backspace') grid.clear();
		else if (event.key === ' ' && event.shiftKey) grid.selectRow(grid.focus.row);
		else if (event.key === ' ' && ctrl) grid.selectColumn(grid.focus.column);
		else if (event.key === ' ' && grid.hasRowsBeneath(grid.focus.row)) grid.toggleFold(grid.focus.row);
		else if (!ctrl && !event.altKey && event.key.length === 1 && event.key !== ' ') edit(event.key);
		else return false;
		return true;
	}

	function onkeydown(event: KeyboardEvent) {
		const ctrl = event.ctrlKey || event.metaKey;
		const arrow = ARROWS[event.key];
		if (event.altKey) return;
		if (arrow) {
			if (ctrl) grid.moveToEdge(...arrow, event.shiftKey);
			else grid.move(...arrow, event.shiftKey);
			void showFocus();
		} else if (event.key === 'Home' || event.key === 'End') {
			const way = event.key === 'Home' ? -1 : 1;
			grid.moveToEdge(ctrl ? way : 0, way, event.shiftKey);
			void showFocus();
		} else if (event.key === 'PageUp' || event.key === 'PageDown') {
			grid.move(event.key === 'PageUp' ? -15 : 15, 0, event.shiftKey);
			void showFocus();
		} else if (event.key === 'Tab' && grid.tabMoves) {
			grid.move(0, event.shiftKey ? -1 : 1);
			void showFocus();
		} else if (event.key === 'Enter' && !ctrl) {
			grid.move(event.shiftKey ? -1 : 1, 0);
			void showFocus();
		} else if (event.key === 'Escape') {
			grid.tabMoves = false;
			grid.moveTo(grid.focus);
		} else if (!actByKey(event, ctrl)) return;
		event.preventDefault();
	}

	function openMenu(x?: number, y?: number) {
		const box = document.getElementById(cellId(grid.focus.row, grid.focus.column))?.getBoundingClientRect();
		cellMenu.open(x ?? (box?.left ?? 0) + 20, y ?? box?.bottom ?? 0);
	}

	/** The cell under the pointer. */
	function placeOf(event: Event): { row: number; column: number } | undefined {
		const cell = (event.target as Element).closest<HTMLElement>('td[data-column]');
		return cell ? { row: Number(cell.dataset.row), column: Number(cell.dataset.column) } : undefined;
	}

	function oncontextmenu(event: MouseEvent) {
		const place = placeOf(event);
		if (!place) return;
		event.preventDefault();
		if (!grid.isSelected(place.row, place.column)) grid.moveTo(place);
		void showFocus();
		openMenu(event.clientX, event.clientY);
	}

	/** Opens and closes groups, and takes whole rows by their names. */
	function onclick(event: MouseEvent) {
		const target = event.target as Element;
		const fold = target.closest<HTMLElement>('[data-fold]');
		if (fold) {
			grid.toggleFold(Number(fold.dataset.fold));
			return;
		}
		const name = target.closest<HTMLElement>('th[data-row]');
		if (!name) return;
		grid.selectRow(Number(name.dataset.row), event.shiftKey);
		void showFocus();
	}

	function onpointerover(event: PointerEvent) {
		const place = dragging ? placeOf(event) : undefined;
		if (place) grid.moveTo(place, true);
	}

	function oncopy(event: ClipboardEvent, cut = false) {
		if (grid.editing) return;
		event.clipboardData?.setData('text/plain', grid.copy());
		event.preventDefault();
		if (cut) grid.clear();
	}

	function onpaste(event: ClipboardEvent) {
		if (grid.editing) return;
		event.preventDefault();
		grid.tabMoves = true;
		grid.paste(event.clipboardData?.getData('text/plain') ?? '', style);
	}

	function onpointerdown(event: PointerEvent) {
		const place = placeOf(event);
		if (!place || event.button !== 0) return;
		if (grid.editing && grid.focus.row === place.row && grid.focus.column === place.column) return;
		grid.commit();
		grid.moveTo(place, event.shiftKey);
		dragging = true;
		// The grid stays where it is: scrolled under the pointer, another cell would be taken into the selection.
		void tick().then(() => document.getElementById(cellId(place.row, place.column))?.focus({ preventScroll: true }));
		onfocuscell(place.row, place.column);
	}

	function resize(event: PointerEvent, column: number | 'name') {
		event.preventDefault();
		event.stopPropagation();
		const handle = event.currentTarget as HTMLElement;
		const before = column === 'name' ? grid.nameWidth : grid.widthOf(column);
		const from = event.clientX;
		handle.setPointerCapture(event.pointerId);
		handle.onpointermove = (move) => grid.resize(column, before + (move.clientX - from) / factor);
		handle.onpointerup = () => (handle.onpointermove = null);
	}
</script>

<svelte:window onpointerup={() => (dragging = false)} />

<div class="relative flex min-h-0 grow flex-col">
	<!-- The scrolling part holds the keyboard while the cell it belongs to is out of sight. -->
	<!-- svelte-ignore a11y_no_static_element_interactions -->
	<div
		class="scroller border-rule relative min-h-0 grow overflow-auto border-t"
		tabindex="-1"
		{@attach virtual.attach}
		{onkeydown}
		{oncopy}
		oncut={(event) => oncopy(event, true)}
		{onpaste}
		onscroll={() => {
			notice = null;
			measureCut();
		}}
		onfocusin={() => (isInside = true)}
		onfocusout={(event) => {
			// Leaving for another part of the page; a cell that is taken out of the page leaves for nowhere.
			if (event.relatedTarget && !virtual.element?.contains(event.relatedTarget as Node)) isInside = false;
		}}
	>
		<!-- The pattern for editable grids with a tree of rows is a table with this role. -->
		<!-- svelte-ignore a11y_no_noninteractive_element_to_interactive_role -->
		<table
			role="treegrid"
			aria-label={label}
			aria-rowcount={form.rows.length + 2}
			aria-colcount={form.columns.length + 1}
			aria-multiselectable="true"
			style="width: {nameWidth + virtual.width + frozenWidth}px; min-width: 100%; font-size: {13 *
				factor}px; --row: {rowHeight}px; --names: {nameWidth}px"
		>
			<thead>
				<tr class="groups" aria-rowindex="1">
					<td class="corner" aria-hidden="true"></td>
					<td class="gap" aria-hidden="true" style="width: {leftGap}px"></td>
					{#each groups as { name, span, from, width }, index (`${index} ${from}`)}
						<svelte:element
							this={name === '' ? 'td' : 'th'}
							aria-hidden={name === '' ? 'true' : undefined}
							colspan={span}
							class={[index > 0 && 'group-start']}
							style="width: {width}px"
						>
							{#if name !== ''}<button
									class="group"
									tabindex="-1"
									title="Close {name}"
									aria-label="Close {name}"
									onclick={() => grid.toggleGroup(from)}>{name}</button
								>{/if}
						</svelte:element>
					{/each}
					<td class="gap rest" aria-hidden="true" style="width: {rightGap}px"></td>
					{#each frozen as slot, index (slot.kind === 'stub' ? `stub ${slot.from}` : slot.column)}
						{@const name = frozenGroup(index)}
						<svelte:element
							this={name === '' ? 'td' : 'th'}
							aria-hidden={name === '' ? 'true' : undefined}
							class="frozen"
							title={name || undefined}
							style="right: {rightOf[index]}px; width: {sizeOf(slot)}px"
							>{#if name !== ''}<span class="over">{name}</span>{/if}</svelte:element
						>
					{/each}
				</tr>
				<tr aria-rowindex="2">
					<th class="corner" role="columnheader" scope="col"
						><span class="sr-only">Rows</span>
						<span
							class="handle"
							aria-hidden="true"
							onpointerdown={(event) => resize(event, 'name')}
							ondblclick={() => grid.resize('name', 236)}
						></span></th
					>
					<td class="gap" aria-hidden="true" style="width: {leftGap}px"></td>
					{#snippet heading(slot: ColumnSlot, right: number | undefined)}
						{#if slot.kind === 'stub'}
							<th
								role="columnheader"
								scope="col"
								class="stub group-start"
								class:frozen={right !== undefined}
								style="width: {sizeOf(slot)}px; {right === undefined ? '' : `right: ${right}px`}"
								><button
									class="group"
									tabindex="-1"
									title="Open {slot.group}"
									aria-label="Open {slot.group}"
									onclick={() => grid.toggleGroup(slot.from)}>{slot.group}</button
								></th
							>
						{:else}
							{@const column = form.columns[slot.column]!}
							<th
								role="columnheader"
								scope="col"
								aria-colindex={slot.column + 2}
								class={[
									column.parent && 'total',
									column.facts?.coded && 'words',
									right !== undefined && 'frozen',
									right === undefined && !column.parent && beginsGroup(slot.column) && 'group-start'
								]}
								style="width: {sizeOf(slot)}px; {right === undefined ? '' : `right: ${right}px`}"
								title={column.computed ?? (column.cut ? `${column.label}, ${column.cut}: what this scenario speaks about` : column.label)}
								onclick={(event) => {
									grid.selectColumn(slot.column, event.shiftKey);
									void showFocus();
								}}
							>
								{column.short}
								{#if column.cut}<span class="text-grey block text-[11px] leading-3 font-normal">{column.cut}</span>{/if}
								<span
									class="handle"
									aria-hidden="true"
									onclick={(event) => event.stopPropagation()}
									onpointerdown={(event) => resize(event, slot.column)}
									ondblclick={() => grid.resize(slot.column, column.parent ? 98 : 84)}
								></span>
							</th>
						{/if}
					{/snippet}
					{#each drawn as slot (slot.kind === 'stub' ? `stub ${slot.from}` : slot.column)}{@render heading(slot, undefined)}{/each}
					<td class="gap rest" aria-hidden="true" style="width: {rightGap}px"></td>
					{#each frozen as slot, index (slot.kind === 'stub' ? `stub ${slot.from}` : slot.column)}{@render heading(
							slot,
							rightOf[index]
						)}{/each}
				</tr>
			</thead>
			<!-- One listener for all cells: thousands of them would take longer to attach than to draw. -->
			<!-- svelte-ignore a11y_no_noninteractive_element_interactions, a11y_click_events_have_key_events -->
			<tbody
				style="height: {virtual.height}px"
				{onpointerdown}
				{onpointerover}
				{oncontextmenu}
				{onclick}
				ondblclick={(event) => placeOf(event) && edit()}
			>
				{#each rowsDrawn as row, index (rowItems[index]!.index % lineCount)}
					<GridRow
						{form}
						{grid}
						{row}
						top={rowItems[index]!.start}
						{places}
						{around}
						{cellId}
						{starts}
						again={again.has(row)}
						{oneditkey}
					/>
				{/each}
			</tbody>
		</table>
		{#if grid.visibleRows.length === 0}
			<p class="text-soft p-4">All rows are hidden. Show them again with View.</p>
		{/if}
	</div>
	{#each [{ width: cut.left, left: nameWidth }, { width: cut.right, left: cut.width - frozenWidth - cut.right }] as { width, left }, side (side)}
		{#if width > 0}<div class="curtain" aria-hidden="true" style="left: {left}px; width: {width}px; height: {cut.height}px"></div>{/if}
	{/each}
</div>
{#if notice}
	<p
		class="bg-raised border-rule text-base-content fixed z-20 max-w-80 rounded-md border px-2.5 py-1.5 text-[13px] shadow-lg"
		style="left: {notice.left}px; top: {notice.top}px"
		role={notice.role}
	>
		{notice.text}
	</p>
{/if}
<CellMenu bind:this={cellMenu} acts={menu} onclose={() => showFocus()} />

<style>
	.scroller {
		/* What happens inside asks nothing of the page around it. */
		contain: layout paint style;
		user-select: none;
		outline: none;
	}
	/* Over a column that is in sight in part only. */
	.curtain {
		position: absolute;
		top: 1px;
		z-index: 4;
		background: var(--color-base-100);
		pointer-events: none;
	}
	/* A table by its roles; laid out by hand, for everything's place is known. */
	table {
		display: block;
		line-height: 1.38;
	}
	thead {
		display: block;
		position: sticky;
		top: 0;
		z-index: 3;
		background: var(--color-base-100);
	}
	thead tr {
		display: flex;
	}
	tbody {
		display: block;
		position: relative;
		contain: layout size style;
	}
	thead th,
	thead td {
		position: relative;
		flex: none;
		height: 30px;
		line-height: 29px;
		padding: 0 10px 0 6px;
		overflow: hidden;
		text-overflow: ellipsis;
		white-space: nowrap;
		text-align: right;
		font-weight: 600;
		color: var(--soft);
		background: var(--color-base-100);
		border-bottom: 1px solid var(--rule);
	}
	.over {
		display: block;
		overflow: hidden;
		padding: 0 6px;
		text-overflow: ellipsis;
		white-space: nowrap;
		text-align: right;
		font-weight: 400;
	}
	thead .groups th,
	thead .groups td {
		height: 22px;
		line-height: 22px;
		text-align: left;
		font-weight: 500;
		font-size: 0.92em;
		color: var(--grey);
		border-bottom: none;
	}
	thead .words {
		text-align: left;
	}
	thead .gap {
		padding: 0;
	}
	thead .rest {
		flex: 1 0 auto;
	}
	thead .corner {
		position: sticky;
		left: 0;
		z-index: 2;
		width: var(--names);
		border-right: 1px solid var(--rule);
	}
	thead .frozen,
	thead .groups .frozen {
		position: sticky;
		z-index: 1;
		border-left: 1px solid var(--mark);
		box-shadow: -5px 0 6px -5px rgb(0 0 0 / 0.22);
	}
	.group-start {
		border-left: 1px solid var(--hairline);
	}
	thead .groups th {
		overflow: clip;
	}
	.groups .group {
		position: sticky;
		left: calc(var(--names) + 6px);
	}
	.group {
		max-width: 100%;
		overflow: hidden;
		text-overflow: ellipsis;
	}
	.group:hover {
		color: var(--color-base-content);
		text-decoration: underline dotted;
	}
	.stub {
		padding: 0 2px;
		font-size: 0.85em;
		font-weight: 500;
		color: var(--grey);
	}
	.handle {
		position: absolute;
		top: 0;
		right: -3px;
		width: 7px;
		height: 100%;
		cursor: col-resize;
	}
	.handle:hover {
		background: var(--rule);
	}
</style>
