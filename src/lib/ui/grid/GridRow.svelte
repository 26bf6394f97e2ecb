<script lang="ts" module>
	import type { ColumnSlot } from './grid-state.svelte';

	/** A drawn column and where it stands. */
	export interface PlacedSlot {
		slot: ColumnSlot;
		width: number;
		left: number | undefined;
		right: number | undefined;
	}
</script>

<script lang="ts">
	import { GLYPHS, paintOf } from './glyphs';
	import './cell-states.css';
	import CellEditor from './CellEditor.svelte';
	import { lookOf, type GridSurroundings } from './cell-look';
	import type { GridState } from './grid-state.svelte';
	import { RowCells, type PlacedLook } from './row-cells';
	import type { ShownForm } from './shown-form';

	interface Props {
		form: ShownForm;
		grid: GridState;
		row: number;
		top: number;
		places: PlacedSlot[];
		around: GridSurroundings;
		cellId: (row: number, column: number) => string;
		/** Columns at which a group begins. */
		starts: ReadonlySet<number>;
		/** Whether its method would fill it otherwise now. */
		again?: boolean;
		oneditkey: (event: KeyboardEvent) => void;
	}
	let { form, grid, row, top, places, around, cellId, starts, again = false, oneditkey }: Props = $props();

	let element: HTMLTableRowElement;
	let end: HTMLElement;
	let cells: RowCells | undefined;

	const line = $derived(form.rows[row]!);
	const foldable = $derived(grid.hasRowsBeneath(row));
	// Each row follows only what concerns it: moving on redraws two rows, not all.
	const focusedColumn = $derived(grid.focus.row === row ? grid.focus.column : -1);
	const selectedFrom = $derived(grid.severalSelected && grid.isRowSelected(row) ? grid.selection.left : -1);
	const selectedTo = $derived(selectedFrom < 0 ? -1 : grid.selection.right);
	const isEditing = $derived(focusedColumn >= 0 && grid.editing);
	const edited = $derived(isEditing ? places.find(({ slot }) => slot.kind === 'column' && slot.column === focusedColumn) : undefined);

	/** The cells as they look; the one being edited is drawn by its editor. */
	const looks = $derived.by((): PlacedLook[] =>
		places.flatMap(({ slot, width, left, right }, order): PlacedLook | never[] => {
			const isFrozen = right !== undefined;
			const placed = { width, left, right, order };
			if (slot.kind === 'stub')
				return { ...EMPTY_LOOK, ...placed, column: slot.from, classes: `stub group-start ${isFrozen ? 'frozen ' : ''}` };
			if (isEditing && slot.column === focusedColumn) return [];
			const look = lookOf(form, grid, around, row, slot.column);
			if (isFrozen) look.classes += 'frozen ';
			else if (!form.columns[slot.column]!.parent && starts.has(slot.column)) look.classes += 'group-start ';
			const place = selectedFrom < 0 ? -1 : grid.columnPlace(slot.column);
			return Object.assign(look, placed, {
				focused: slot.column === focusedColumn,
				selected: selectedFrom >= 0 && place >= selectedFrom && place <= selectedTo,
				stub: false
			});
		})
	);
	$effect(() => {
		cells ??= new RowCells(element, end, cellId);
		cells.draw(row, looks);
	});

	const EMPTY_LOOK = {
		cell: -1,
		text: '',
		title: undefined,
		words: '',
		readOnly: true,
		glyph: undefined,
		focused: false,
		selected: false,
		stub: true
	};
</script>

<tr
	bind:this={element}
	class={[foldable && line.depth === 0 && 'top', line.parent && 'parent', line.kind, edited && 'editing']}
	style="top: {top}px"
	aria-rowindex={row + 3}
	aria-level={line.depth + 1}
	aria-expanded={foldable ? !grid.folded.has(row) : undefined}
>
	<th
		role="rowheader"
		scope="row"
		style="padding-left: {8 + line.depth * 18}px"
		title={[line.label, line.formula ? `= ${line.formula}` : '', line.guidance].filter(Boolean).join('\n')}
		data-row={row}
	>
		{#if foldable}
			<button class="twist" tabindex="-1" data-fold={row} aria-label={grid.folded.has(row) ? `Open ${line.label}` : `Close ${line.label}`}>
				<svg viewBox="0 0 10 10" width="10" height="10" class={[!grid.folded.has(row) && 'rotate-90']} aria-hidden="true"
					><path d="M3 1.5 7 5 3 8.5z" fill="currentColor" /></svg
				>
			</button>
		{:else}<span class="twist"></span>{/if}
		{line.label}
		{#if again}<svg class="again" viewBox="0 0 10 10" width="11" height="11" role="img" aria-label="its method gives something else now"
				><path {...paintOf(GLYPHS.stale)} /></svg
			>{/if}
		{#if line.unit && !line.label.toLowerCase().includes(line.unit)}<span class="text-grey text-[11.5px]">{line.unit}</span>{/if}
		{#if line.guidance}<span class="text-grey text-[11.5px] italic">{line.guidance}</span>{/if}
	</th>
	{#if edited}
		{@const facts = form.facts(row, focusedColumn)}
		<td
			id={cellId(row, focusedColumn)}
			role="gridcell"
			tabindex="0"
			aria-colindex={focusedColumn + 2}
			aria-selected="true"
			class={['enter focused edited', edited.right !== undefined && 'frozen']}
			style="width: {edited.width}px; {edited.right === undefined
				? `left: ${edited.left}px`
				: `right: ${edited.right}px; order: ${places.indexOf(edited)}`}"
			data-row={row}
			data-column={focusedColumn}
		>
			<CellEditor
				label="{line.label}, {form.columns[focusedColumn]!.label}"
				valueType={facts.valueType}
				choices={facts.account === null ? [] : (form.choices[facts.account] ?? [])}
				bind:text={grid.text}
				selects={grid.text === grid.editableText(grid.focus)}
				onkey={oneditkey}
				onleave={() => grid.commit()}
			/>
		</td>
	{/if}
	<!-- Pushes the frozen cells to the right; the others stand where their column does. -->
	<td class="rest" aria-hidden="true" bind:this={end}></td>
</tr>

<style>
	.again {
		display: inline-block;
		color: var(--color-warning);
	}
	/* Lines and cells stand at places worked out before: styling and laying out a screen of table cells took some 34 ms. */
	tr {
		display: flex;
		position: absolute;
		left: 0;
		width: 100%;
		height: var(--row);
		contain: layout size style;
	}
	th,
	tr :global(td) {
		display: block;
		flex: none;
		height: 100%;
		padding: 0 10px 0 6px;
		line-height: calc(var(--row) - 1px);
		white-space: nowrap;
		border-bottom: 1px solid var(--hairline);
		background: var(--color-base-100);
	}
	th {
		order: -1;
		width: var(--names);
		position: sticky;
		left: 0;
		z-index: 2;
		overflow: hidden;
		text-overflow: ellipsis;
		text-align: left;
		font-weight: 400;
		border-right: 1px solid var(--rule);
	}
	tr.parent th,
	tr.parent :global(td) {
		font-weight: 600;
	}
	tr.top th,
	tr.top :global(td) {
		font-weight: 650;
		border-bottom-color: var(--soft);
	}
	tr.text th {
		font-weight: 600;
		color: var(--soft);
	}
	tr.text :global(td),
	tr :global(td.blank) {
		background: var(--color-base-100) !important;
	}
	tr :global(td) {
		overflow: hidden;
		text-overflow: ellipsis;
		position: absolute;
		top: 0;
		text-align: right;
		cursor: cell;
		color: var(--color-base-content);
		outline: none;
	}
	td.rest.rest {
		position: static;
		flex: auto;
		padding: 0;
		border-bottom-color: transparent;
	}
	tr :global(td.words) {
		text-align: left;
	}
	tr :global(.group-start) {
		border-left: 1px solid var(--hairline);
	}
	/* What may be chosen hangs below the cell, over the rows that follow. */
	tr.editing {
		z-index: 1;
	}
	td.edited {
		overflow: visible;
	}
	/* The year's total stays in sight at the right. */
	tr :global(td.frozen) {
		position: sticky;
		top: auto;
		z-index: 1;
		border-left: 1px solid var(--mark);
	}
	tr :global(td.flash) {
		animation: flash 1.6s ease-out;
	}
	@keyframes flash {
		from {
			box-shadow: inset 0 -3px var(--color-secondary);
		}
	}
	tr :global(td.selected) {
		box-shadow: inset 0 0 0 100px color-mix(in srgb, var(--color-primary) 9%, transparent);
	}
	tr :global(td.other) {
		outline: 1.5px dashed var(--color-secondary);
		outline-offset: -2px;
	}
	tr :global(td.focused) {
		outline: 2px solid var(--color-primary);
		outline-offset: -2px;
		border-radius: 3px;
	}
	.twist {
		display: inline-grid;
		place-items: center;
		width: 16px;
		height: 16px;
		margin-right: 2px;
		vertical-align: -3px;
		color: var(--grey);
	}
</style>
