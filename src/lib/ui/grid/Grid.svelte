<script lang="ts">
	import type { FormAnswer } from '$lib/server/engine';
	import { tick, untrack } from 'svelte';
	import { formatFigure } from '../figures/format';
	import { formatAt, type GridState } from './grid-state.svelte';

	interface Props {
		form: FormAnswer;
		locale: string;
		label: string;
		faults: Map<number, string>;
		flashing: Set<number>;
		pending: Map<number, string>;
		grid: GridState;
		onfocuscell: (row: number, column: number) => void;
		onundo: () => void;
		onredo: () => void;
		onsave: () => void;
		oninspect: () => void;
		onhelp: () => void;
	}
	let { form, locale, label, faults, flashing, pending, grid, onfocuscell, onundo, onredo, onsave, oninspect, onhelp }: Props = $props();

	let input = $state<HTMLInputElement>();
	let dragging = false;

	const columns = $derived(form.columns.length);
	const drafted = $derived(new Set(form.drafted));
	const draftedBeneath = $derived(new Set(form.draftedBeneath));
	const good = $derived(new Set(form.good));
	const bad = $derived(new Set(form.bad));
	/** Headings over groups of columns: the quarter and how many months it covers here. */
	const groups = $derived.by(() => {
		const found: { name: string; span: number }[] = [];
		for (const { group } of form.columns) {
			const last = found.at(-1);
			if (last && last.name === group) last.span++;
			else found.push({ name: group, span: 1 });
		}
		return found;
	});

	$effect(() => {
		// Another choice may have brought fewer lines.
		void [form.rows, form.columns];
		untrack(() => grid.clamp());
	});

	const cellId = (row: number, column: number) => `cell-${row}-${column}`;

	async function showFocus(focusTable = true) {
		await tick();
		const cell = document.getElementById(cellId(grid.focus.row, grid.focus.column));
		cell?.scrollIntoView({ block: 'nearest', inline: 'nearest' });
		if (focusTable && !grid.editing) cell?.focus({ preventScroll: true });
		onfocuscell(grid.focus.row, grid.focus.column);
	}

	async function edit(text?: string) {
		const mark = form.marks[grid.focus.row * columns + grid.focus.column];
		if (mark !== 'e' && mark !== 's') {
			// The reason is in the inspector; typing here would only be refused.
			grid.startEdit(text);
			grid.cancel();
			oninspect();
			return;
		}
		grid.startEdit(text);
		await tick();
		input?.focus();
		if (text === undefined) input?.select();
	}

	function endEdit(rows: number, across: number) {
		grid.commit();
		grid.move(rows, across);
		void showFocus();
	}

	function oneditkey(event: KeyboardEvent) {
		event.stopPropagation();
		if (event.key === 'Enter') endEdit(event.shiftKey ? -1 : 1, 0);
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

	function onkeydown(event: KeyboardEvent) {
		const ctrl = event.ctrlKey || event.metaKey;
		const arrow = ARROWS[event.key];
		const shortcut = ctrl ? event.key.toLowerCase() : '';
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
		} else if (event.key === 'F2') void edit();
		else if (event.key === 'F1') onhelp();
		else if (event.key === 'Delete' || event.key === 'Backspace') grid.clear();
		else if (shortcut === 'z') (event.shiftKey ? onredo : onundo)();
		else if (shortcut === 'y') onredo();
		else if (shortcut === 's') onsave();
		else if (shortcut === 'd') grid.fillDown();
		else if (shortcut === 'i') oninspect();
		else if (shortcut === 'a') {
			grid.anchor = { row: grid.visibleRows[0] ?? 0, column: 0 };
			grid.focus = { row: grid.visibleRows.at(-1) ?? 0, column: columns - 1 };
		} else if (event.key === ' ' && grid.hasRowsBeneath(grid.focus.row)) grid.toggleFold(grid.focus.row);
		else if (!ctrl && !event.altKey && event.key.length === 1 && event.key !== ' ') void edit(event.key);
		else return;
		event.preventDefault();
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
		grid.paste(event.clipboardData?.getData('text/plain') ?? '');
	}

	function onpointerdown(event: PointerEvent, row: number, column: number) {
		if (event.button !== 0 || (grid.editing && grid.focus.row === row && grid.focus.column === column)) return;
		grid.commit();
		grid.moveTo({ row, column }, event.shiftKey);
		dragging = true;
		void showFocus();
	}

	/** What a screen reader is told beyond the figure. */
	function describe(index: number, mark: string | undefined): string {
		const parts: string[] = [];
		if (drafted.has(index)) parts.push('unsaved');
		if (draftedBeneath.has(index)) parts.push('unsaved entries beneath');
		if (faults.has(index)) parts.push(`refused: ${faults.get(index)}`);
		if ((form.flags[index] ?? 0) & 1) parts.push('a rate is missing');
		if (good.has(index)) parts.push('favourable');
		if (bad.has(index)) parts.push('unfavourable');
		if (mark === 'x') parts.push('closed');
		if (mark === 's') parts.push('spreads when typed');
		return parts.join(', ');
	}

	const classOf: Record<string, string> = { e: 'enter', s: 'spread', c: 'computed', x: 'closed', r: 'computed' };
</script>

<svelte:window onpointerup={() => (dragging = false)} />

<div class="scroller border-rule min-h-0 overflow-auto border-t">
	<!-- The pattern for editable grids with a tree of rows is a table with this role. -->
	<!-- svelte-ignore a11y_no_noninteractive_element_to_interactive_role -->
	<table
		role="treegrid"
		aria-label={label}
		aria-rowcount={form.rows.length}
		aria-colcount={columns}
		{onkeydown}
		{oncopy}
		oncut={(event) => oncopy(event, true)}
		{onpaste}
	>
		<thead>
			<tr class="groups">
				<td class="corner"></td>
				{#each groups as { name, span }, index (index)}
					<svelte:element
						this={name === '' ? 'td' : 'th'}
						colspan={span}
						class={[name === '' ? index > 0 && 'total' : index > 0 && 'group-start']}>{name}</svelte:element
					>
				{/each}
			</tr>
			<tr>
				<th class="corner"><span class="sr-only">Rows</span></th>
				{#each form.columns as column, index (index)}
					<th
						scope="col"
						class={[
							column.parent && 'total',
							index > 0 && !column.parent && column.group !== form.columns[index - 1]?.group && 'group-start'
						]}
						title={column.computed ?? (column.cut ? `${column.label}, ${column.cut}: what this scenario speaks about` : column.label)}
					>
						{column.level === 'month' ? column.label.split(' ')[0] : column.label}
						{#if column.cut}<span class="text-grey block text-[11px] leading-3 font-normal">{column.cut}</span>{/if}
					</th>
				{/each}
			</tr>
		</thead>
		<tbody>
			{#each grid.visibleRows as row (row)}
				{@const line = form.rows[row]!}
				{@const foldable = grid.hasRowsBeneath(row)}
				<tr
					class={[foldable && line.depth === 0 && 'top', line.parent && 'parent']}
					aria-level={line.depth + 1}
					aria-expanded={foldable ? !grid.folded.has(row) : undefined}
				>
					<th
						scope="row"
						style="padding-left: {8 + line.depth * 18}px"
						title={line.formula ? `${line.label} = ${line.formula}` : line.label}
					>
						{#if foldable}
							<button
								class="twist"
								tabindex="-1"
								aria-label={grid.folded.has(row) ? `Open ${line.label}` : `Close ${line.label}`}
								onclick={() => grid.toggleFold(row)}
							>
								<svg viewBox="0 0 10 10" width="10" height="10" class={[!grid.folded.has(row) && 'rotate-90']} aria-hidden="true"
									><path d="M3 1.5 7 5 3 8.5z" fill="currentColor" /></svg
								>
							</button>
						{:else}<span class="twist"></span>{/if}
						{line.label}
						{#if line.unit && !line.label.toLowerCase().includes(line.unit)}<span class="text-grey text-[11.5px]">{line.unit}</span>{/if}
					</th>
					{#each form.columns as column, at (at)}
						{@const index = row * columns + at}
						{@const mark = form.marks[index]}
						{@const focused = grid.focus.row === row && grid.focus.column === at}
						<td
							id={cellId(row, at)}
							role="gridcell"
							tabindex={focused ? 0 : -1}
							aria-selected={grid.isSelected(row, at)}
							aria-readonly={mark !== 'e' && mark !== 's'}
							class={[
								classOf[mark ?? 'c'],
								column.parent && 'total',
								at > 0 && !column.parent && column.group !== form.columns[at - 1]?.group && 'group-start',
								focused && 'focused',
								grid.severalSelected && grid.isSelected(row, at) && 'selected',
								drafted.has(index) && 'drafted',
								draftedBeneath.has(index) && 'drafted-beneath',
								faults.has(index) && 'refused',
								flashing.has(index) && 'flash',
								pending.has(index) && 'pending',
								good.has(index) && 'good',
								bad.has(index) && 'bad'
							]}
							title={faults.get(index)}
							onpointerdown={(event) => onpointerdown(event, row, at)}
							onpointerenter={() => dragging && grid.moveTo({ row, column: at }, true)}
							ondblclick={() => edit()}
						>
							{#if focused && grid.editing}
								<input
									bind:this={input}
									class="editor"
									aria-label="{line.label}, {column.label}"
									bind:value={grid.text}
									onkeydown={oneditkey}
									onblur={() => grid.commit()}
								/>
							{:else}
								<span class="figure"
									>{(form.flags[index] ?? 0) & 1 ? '≈ ' : ''}{pending.get(index) ??
										formatFigure(form.values[index] ?? null, formatAt(form, row, at), locale)}</span
								>
								{@const words = describe(index, mark)}
								{#if words}<span class="sr-only">{words}</span>{/if}
								{#if mark === 'x'}<svg class="lock" viewBox="0 0 10 10" aria-hidden="true"
										><path d="M2 4.5h6v4.5H2zM3.4 4.5V3a1.6 1.6 0 0 1 3.2 0v1.5" fill="none" stroke="currentColor" /></svg
									>{/if}
							{/if}
						</td>
					{/each}
				</tr>
			{/each}
		</tbody>
	</table>
</div>

<style>
	td.good .figure {
		color: var(--color-success);
	}
	td.bad .figure {
		color: var(--color-error);
	}
	.scroller {
		user-select: none;
	}
	table {
		border-collapse: separate;
		border-spacing: 0;
		font-size: 13px;
		line-height: 18px;
	}
	th,
	td {
		height: 28px;
		padding: 0 10px 0 6px;
		white-space: nowrap;
		border-bottom: 1px solid var(--hairline);
		background: var(--color-base-100);
	}
	thead th,
	thead td {
		position: sticky;
		top: 22px;
		z-index: 2;
		height: 30px;
		min-width: 68px;
		text-align: right;
		font-weight: 600;
		color: var(--soft);
		border-bottom-color: var(--rule);
	}
	thead .groups th,
	thead .groups td {
		top: 0;
		height: 22px;
		text-align: left;
		font-weight: 500;
		font-size: 12px;
		color: var(--grey);
		border-bottom: none;
	}
	tbody th {
		position: sticky;
		left: 0;
		z-index: 1;
		width: 220px;
		min-width: 220px;
		max-width: 220px;
		overflow: hidden;
		text-overflow: ellipsis;
		text-align: left;
		font-weight: 400;
		border-right: 1px solid var(--rule);
	}
	thead .corner {
		left: 0;
		z-index: 3;
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
	tbody td {
		position: relative;
		text-align: right;
		min-width: 68px;
		cursor: cell;
		color: var(--color-base-content);
	}
	.group-start {
		border-left: 1px solid var(--hairline);
	}
	td.computed,
	td.closed {
		background: var(--color-base-200);
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
	td.enter .figure:empty,
	td.spread .figure:empty {
		display: inline-block;
		width: 18px;
		height: 15px;
	}
	td.spread {
		font-weight: 600;
	}
	/* The year's total stays in sight at the right. */
	th.total,
	td.total {
		position: sticky;
		right: 0;
		z-index: 1;
		min-width: 96px;
		border-left: 1px solid var(--rule);
	}
	thead .total {
		z-index: 3;
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
		margin-right: 6px;
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
	td.focused {
		outline: 2px solid var(--color-primary);
		outline-offset: -2px;
		border-radius: 3px;
	}
	.lock {
		position: absolute;
		top: 2px;
		right: 1px;
		width: 8px;
		height: 8px;
		color: var(--grey);
	}
	.editor {
		position: absolute;
		inset: 2px;
		min-width: 90px;
		left: auto;
		width: calc(100% - 4px);
		padding: 0 6px;
		text-align: right;
		background: var(--raised);
		color: var(--color-base-content);
		outline: none;
		z-index: 4;
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
