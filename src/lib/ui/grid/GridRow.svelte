<script lang="ts">
	import CellEditor from './CellEditor.svelte';
	import { lookOf, type CellLook, type GridSurroundings } from './cell-look';
	import type { ColumnSlot, GridState } from './grid-state.svelte';
	import type { ShownForm } from './shown-form';

	interface Props {
		form: ShownForm;
		grid: GridState;
		row: number;
		drawn: ColumnSlot[];
		frozen: ColumnSlot[];
		rightOf: number[];
		around: GridSurroundings;
		cellId: (row: number, column: number) => string;
		/** Columns at which a group begins. */
		starts: ReadonlySet<number>;
		oneditkey: (event: KeyboardEvent) => void;
	}
	let { form, grid, row, drawn, frozen, rightOf, around, cellId, starts, oneditkey }: Props = $props();

	/** A drawn place: the stub of a folded group, or a cell. */
	type Drawn =
		{ key: string; stub: true; right: number | undefined } | (CellLook & { key: string; stub: false; right: number | undefined });

	const line = $derived(form.rows[row]!);
	const foldable = $derived(grid.hasRowsBeneath(row));
	// Each row follows only what concerns it: moving on redraws two rows, not all.
	const focusedColumn = $derived(grid.focus.row === row ? grid.focus.column : -1);
	const selectedFrom = $derived(grid.severalSelected && grid.isRowSelected(row) ? grid.selection.left : -1);
	const selectedTo = $derived(selectedFrom < 0 ? -1 : grid.selection.right);
	const isEditing = $derived(focusedColumn >= 0 && grid.editing);

	const looks = $derived.by((): Drawn[] => {
		const draw = (slot: ColumnSlot, right: number | undefined): Drawn => {
			if (slot.kind === 'stub') return { key: `stub ${slot.from}`, stub: true, right };
			const look = lookOf(form, grid, around, row, slot.column);
			const across = form.columns[slot.column]!;
			const place = grid.columnPlace(slot.column);
			if (right !== undefined) look.classes += 'frozen ';
			else if (!across.parent && starts.has(slot.column)) look.classes += 'group-start ';
			if (slot.column === focusedColumn) look.classes += 'focused ';
			if (place >= selectedFrom && place <= selectedTo) look.classes += 'selected ';
			return Object.assign(look, { key: String(slot.column), stub: false as const, right });
		};
		return [...drawn.map((slot) => draw(slot, undefined)), ...frozen.map((slot, index) => draw(slot, rightOf[index]))];
	});
	const moving = $derived(looks.slice(0, drawn.length));
	const still = $derived(looks.slice(drawn.length));
</script>

{#snippet cells(list: Drawn[])}
	{#each list as look (look.key)}
		{#if look.stub}
			<td class="stub group-start" class:frozen={look.right !== undefined} style:right={look.right === undefined ? null : `${look.right}px`}
			></td>
		{:else}
			<td
				id={cellId(row, look.column)}
				role="gridcell"
				tabindex={look.column === focusedColumn ? 0 : -1}
				aria-colindex={look.column + 2}
				aria-selected={look.column === focusedColumn || (selectedFrom >= 0 && look.classes.includes('selected'))}
				aria-readonly={look.readOnly}
				class={look.classes}
				style:right={look.right === undefined ? null : `${look.right}px`}
				title={look.title}
				data-row={row}
				data-column={look.column}
			>
				{#if isEditing && look.column === focusedColumn}
					{@const facts = form.facts(row, look.column)}
					<CellEditor
						label="{line.label}, {form.columns[look.column]!.label}"
						valueType={facts.valueType}
						choices={facts.account === null ? [] : (form.choices[facts.account] ?? [])}
						bind:text={grid.text}
						selects={grid.text === grid.editableText(grid.focus)}
						onkey={oneditkey}
						onleave={() => grid.commit()}
					/>
				{:else}
					<span class="figure">{look.text}</span>
					{#if look.words !== ''}<span class="sr-only">{look.words}</span>{/if}
					{#if look.glyph === 'lock'}<svg class="glyph" viewBox="0 0 10 10" aria-hidden="true"
							><path d="M2 4.5h6v4.5H2zM3.4 4.5V3a1.6 1.6 0 0 1 3.2 0v1.5" fill="none" stroke="currentColor" /></svg
						>
					{:else if look.glyph === 'note'}<svg class="glyph text-accent" viewBox="0 0 10 10" aria-hidden="true"
							><circle cx="5.5" cy="4.5" r="3" fill="currentColor" /></svg
						>
					{:else if look.glyph === 'lines'}<svg class="glyph text-secondary" viewBox="0 0 10 10" aria-hidden="true"
							><path d="M2 2.5h7M4 5h5M6 7.5h3" stroke="currentColor" stroke-width="1.4" /></svg
						>
					{:else if look.glyph === 'link'}<svg class="glyph text-secondary" viewBox="0 0 10 10" aria-hidden="true"
							><path d="M4 2h4.5v4.5M8.5 2 3 7.5" fill="none" stroke="currentColor" stroke-width="1.3" /></svg
						>{/if}
				{/if}
			</td>
		{/if}
	{/each}
{/snippet}

<tr
	class={[foldable && line.depth === 0 && 'top', line.parent && 'parent', line.kind]}
	aria-rowindex={row + 3}
	aria-level={line.depth + 1}
	aria-expanded={foldable ? !grid.folded.has(row) : undefined}
>
	<th
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
		{#if line.unit && !line.label.toLowerCase().includes(line.unit)}<span class="text-grey text-[11.5px]">{line.unit}</span>{/if}
		{#if line.guidance}<span class="text-grey text-[11.5px] italic">{line.guidance}</span>{/if}
	</th>
	<td class="gap" aria-hidden="true"></td>
	{@render cells(moving)}
	<td class="gap" aria-hidden="true"></td>
	{@render cells(still)}
</tr>

<style>
	th,
	td {
		height: var(--row);
		padding: 0 10px 0 6px;
		white-space: nowrap;
		border-bottom: 1px solid var(--hairline);
		background: var(--color-base-100);
	}
	th {
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
	tr.parent td {
		font-weight: 600;
	}
	tr.top th,
	tr.top td {
		font-weight: 650;
		border-bottom-color: var(--soft);
	}
	tr.text th {
		font-weight: 600;
		color: var(--soft);
	}
	tr.text td,
	td.blank {
		background: var(--color-base-100) !important;
	}
	td {
		position: relative;
		text-align: right;
		cursor: cell;
		color: var(--color-base-content);
		outline: none;
	}
	td.gap {
		padding: 0;
		border-bottom-color: transparent;
	}
	.figure {
		display: inline-block;
		max-width: 100%;
		padding-left: 2px;
		overflow: hidden;
		text-overflow: ellipsis;
		vertical-align: bottom;
	}
	td.words {
		text-align: left;
	}
	.group-start {
		border-left: 1px solid var(--hairline);
	}
	td.computed,
	td.closed {
		background-color: var(--color-base-200);
		color: var(--soft);
	}
	td.closed {
		background-image: repeating-linear-gradient(135deg, transparent 0 6px, var(--hairline) 6px 7px);
	}
	td.enter .figure,
	td.spread .figure {
		border-bottom: 1.5px dotted var(--mark);
		padding-bottom: 1px;
	}
	td.kept .figure {
		border-bottom: 2px solid var(--color-secondary);
	}
	td.enter .figure:empty,
	td.spread .figure:empty {
		width: 18px;
		height: 15px;
		vertical-align: middle;
	}
	td.spread {
		font-weight: 600;
	}
	/* The year's total stays in sight at the right. */
	td.frozen {
		position: sticky;
		z-index: 1;
		border-left: 1px solid var(--rule);
	}
	td.good .figure,
	td.stands-good .figure {
		color: var(--color-success);
	}
	td.bad .figure,
	td.stands-bad .figure {
		color: var(--color-error);
	}
	td.stands-strong .figure {
		font-weight: 700;
	}
	td.stands-quiet .figure {
		color: var(--grey);
	}
	td.drafted .figure {
		color: var(--color-primary);
		font-weight: 650;
		border-bottom-color: var(--color-primary);
	}
	td.drafted .figure::before,
	td.drafted-beneath .figure::before {
		content: '';
		display: inline-block;
		width: 5px;
		height: 5px;
		margin: 0 6px 0 1px;
		vertical-align: 2px;
		border: 1px solid var(--color-primary);
		transform: rotate(45deg);
	}
	td.drafted .figure::before {
		background: var(--color-primary);
	}
	td.refused .figure {
		text-decoration: underline wavy var(--color-error);
		text-underline-offset: 3px;
		border-bottom: none;
	}
	td.pending .figure {
		color: var(--color-primary);
	}
	td.flash {
		animation: flash 1.6s ease-out;
	}
	@keyframes flash {
		from {
			box-shadow: inset 0 -3px var(--color-secondary);
		}
	}
	td.selected {
		box-shadow: inset 0 0 0 100px color-mix(in srgb, var(--color-primary) 9%, transparent);
	}
	td.other {
		outline: 1.5px dashed var(--color-secondary);
		outline-offset: -2px;
	}
	td.focused {
		outline: 2px solid var(--color-primary);
		outline-offset: -2px;
		border-radius: 3px;
	}
	.glyph {
		position: absolute;
		top: 2px;
		right: 1px;
		width: 8px;
		height: 8px;
	}
	td.closed .glyph {
		color: var(--grey);
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
