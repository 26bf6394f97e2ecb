<script lang="ts">
	import type { CellMark } from '$lib/server/form';
	import CellEditor from './CellEditor.svelte';
	import type { ColumnSlot, GridState } from './grid-state.svelte';
	import type { ShownForm } from './shown-form';

	interface Props {
		form: ShownForm;
		grid: GridState;
		row: number;
		drawn: ColumnSlot[];
		frozen: ColumnSlot[];
		rightOf: number[];
		faults: ReadonlyMap<number, string>;
		flashing: ReadonlySet<number>;
		pending: ReadonlyMap<number, string>;
		marks: ReadonlyMap<number, CellMark>;
		others: ReadonlyMap<number, string>;
		cellId: (row: number, column: number) => string;
		beginsGroup: (column: number) => boolean;
		onpointerdown: (event: PointerEvent, row: number, column: number) => void;
		oncontextmenu: (event: MouseEvent, row: number, column: number) => void;
		onover: (column: number) => void;
		onedit: () => void;
		oneditkey: (event: KeyboardEvent) => void;
		onname: (extend: boolean) => void;
	}
	let {
		form,
		grid,
		row,
		drawn,
		frozen,
		rightOf,
		faults,
		flashing,
		pending,
		marks,
		others,
		cellId,
		beginsGroup,
		onpointerdown,
		oncontextmenu,
		onover,
		onedit,
		oneditkey,
		onname
	}: Props = $props();

	const line = $derived(form.rows[row]!);
	const foldable = $derived(grid.hasRowsBeneath(row));
	const isHere = $derived(form.has(row));

	const CLASSES: Record<string, string> = { e: 'enter', s: 'spread', c: 'computed', x: 'closed', r: 'computed' };

	/** How a figure stands out by the thresholds of its row and column. */
	function emphasisOf(column: number): string {
		const value = form.value(row, column);
		if (value === null) return '';
		const rules = [...line.emphasis, ...form.columns[column]!.emphasis];
		const met = rules.find((rule) => (rule.when === 'above' ? value > rule.value : value < rule.value));
		return met ? `stands-${met.look}` : '';
	}

	/** What a screen reader is told beyond the figure. */
	function describe(cell: number, column: number): string {
		const parts: string[] = [];
		const mark = form.mark(row, column);
		const flag = form.flag(row, column);
		const beside = marks.get(cell);
		if (form.drafted.has(cell)) parts.push('unsaved');
		if (form.draftedBeneath.has(cell)) parts.push('unsaved entries beneath');
		if (faults.has(cell)) parts.push(`refused: ${faults.get(cell)}`);
		if (flag & 1) parts.push('a rate or weight is missing');
		if (flag & 4) parts.push('several values beneath');
		if (form.good.has(cell)) parts.push('favourable');
		if (form.bad.has(cell)) parts.push('unfavourable');
		if (mark === 'x') parts.push('closed');
		if (mark === 's') parts.push('spreads when typed');
		if (grid.kept.has(cell)) parts.push('kept fixed');
		if (beside?.notes) parts.push(beside.notes === 1 ? 'a note' : `${beside.notes} notes`);
		if (beside?.lines) parts.push('detail lines');
		if (beside?.links) parts.push('links');
		if (others.has(cell)) parts.push(`${others.get(cell)} is here`);
		return parts.join(', ');
	}
</script>

{#snippet cells(slot: ColumnSlot, right: number | undefined)}
	{#if slot.kind === 'stub'}
		<td class="stub group-start" class:frozen={right !== undefined} style={right === undefined ? '' : `right: ${right}px`}></td>
	{:else}
		{@const column = slot.column}
		{@const across = form.columns[column]!}
		{@const cell = form.cell(row, column)}
		{@const mark = isHere ? form.mark(row, column) : 'c'}
		{@const focused = grid.focus.row === row && grid.focus.column === column}
		{@const beside = marks.get(cell)}
		{@const facts = form.facts(row, column)}
		{@const isWords = facts.coded && form.word(row, column) !== undefined}
		<td
			id={cellId(row, column)}
			role="gridcell"
			tabindex={focused ? 0 : -1}
			aria-colindex={column + 2}
			aria-selected={grid.isSelected(row, column)}
			aria-readonly={mark !== 'e' && mark !== 's'}
			class={[
				CLASSES[mark],
				across.kind === 'text' && 'blank',
				right !== undefined && 'frozen',
				right === undefined && !across.parent && beginsGroup(column) && 'group-start',
				focused && 'focused',
				grid.severalSelected && grid.isSelected(row, column) && 'selected',
				form.drafted.has(cell) && 'drafted',
				form.draftedBeneath.has(cell) && 'drafted-beneath',
				faults.has(cell) && 'refused',
				flashing.has(cell) && 'flash',
				pending.has(cell) && 'pending',
				form.good.has(cell) && 'good',
				form.bad.has(cell) && 'bad',
				grid.kept.has(cell) && 'kept',
				others.has(cell) && 'other',
				facts.coded && 'words',
				emphasisOf(column)
			]}
			style={right === undefined ? '' : `right: ${right}px`}
			title={faults.get(cell) ?? (isWords ? form.word(row, column) : undefined)}
			onpointerdown={(event) => onpointerdown(event, row, column)}
			oncontextmenu={(event) => oncontextmenu(event, row, column)}
			onpointerenter={() => onover(column)}
			ondblclick={onedit}
		>
			{#if focused && grid.editing}
				<CellEditor
					label="{line.label}, {across.label}"
					valueType={facts.valueType}
					choices={facts.account === null ? [] : (form.choices[facts.account] ?? [])}
					bind:text={grid.text}
					selects={grid.text === grid.editableText(grid.focus)}
					onkey={oneditkey}
					onleave={() => grid.commit()}
				/>
			{:else if isHere}
				<span class="figure"
					>{form.flag(row, column) & 1 ? '≈ ' : ''}{pending.get(cell) ??
						(form.flag(row, column) & 4 ? 'mixed' : grid.shownText(row, column))}</span
				>
				{@const words = describe(cell, column)}
				{#if words}<span class="sr-only">{words}</span>{/if}
				{#if mark === 'x'}<svg class="glyph" viewBox="0 0 10 10" aria-hidden="true"
						><path d="M2 4.5h6v4.5H2zM3.4 4.5V3a1.6 1.6 0 0 1 3.2 0v1.5" fill="none" stroke="currentColor" /></svg
					>
				{:else if beside?.notes}<svg class="glyph text-accent" viewBox="0 0 10 10" aria-hidden="true"
						><path d="M1 1h8L9 9z" fill="currentColor" /></svg
					>
				{:else if beside?.lines}<svg class="glyph text-secondary" viewBox="0 0 10 10" aria-hidden="true"
						><path d="M2 2.5h7M4 5h5M6 7.5h3" stroke="currentColor" stroke-width="1.4" /></svg
					>
				{:else if beside?.links}<svg class="glyph text-secondary" viewBox="0 0 10 10" aria-hidden="true"
						><path d="M4 2h4.5v4.5M8.5 2 3 7.5" fill="none" stroke="currentColor" stroke-width="1.3" /></svg
					>{/if}
			{:else}<span class="sr-only">is being read</span>{/if}
		</td>
	{/if}
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
		onclick={(event) => onname(event.shiftKey)}
	>
		{#if foldable}
			<button
				class="twist"
				tabindex="-1"
				aria-label={grid.folded.has(row) ? `Open ${line.label}` : `Close ${line.label}`}
				onclick={(event) => {
					event.stopPropagation();
					grid.toggleFold(row);
				}}
			>
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
	{#each drawn as slot (slot.kind === 'stub' ? `stub ${slot.from}` : slot.column)}{@render cells(slot, undefined)}{/each}
	<td class="gap" aria-hidden="true"></td>
	{#each frozen as slot, index (slot.kind === 'stub' ? `stub ${slot.from}` : slot.column)}{@render cells(slot, rightOf[index])}{/each}
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
