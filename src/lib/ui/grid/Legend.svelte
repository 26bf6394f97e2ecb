<script lang="ts">
	import './cell-states.css';
	import CircleHelp from '@lucide/svelte/icons/circle-question-mark';

	import { useShell } from '../shell/shell.svelte';
	import { CELL_STATES } from './cell-states';
	import { GLYPHS, paintOf } from './glyphs';
	import type { MarkChoice } from '$lib/server/session';
	import { MARK_SETS, MARKS_TO_CHOOSE, type MarkName } from './mark-choice';

	const shell = useShell();
	const isHidden = (mark: MarkName | undefined) => mark !== undefined && shell.marks.hidden.includes(mark);
	const toggle = (mark: MarkName) =>
		shell.chooseMarks({
			...shell.marks,
			hidden: isHidden(mark) ? shell.marks.hidden.filter((each) => each !== mark) : [...shell.marks.hidden, mark]
		});

	let dialog: HTMLDialogElement;
	export function open() {
		if (!dialog.open) dialog.showModal();
	}

	const KEYS = [
		['Arrows, Enter', 'move; with Ctrl to the edge, with Shift select'],
		['Any figure, F2', 'type over, or edit what is there'],
		['Enter, Tab', 'take the figure and move on; Esc leaves it as it was'],
		['Esc, then Tab', 'leave the grid'],
		['Delete', 'take your entry away'],
		['Ctrl C, X, V, D', 'copy, cut, paste, repeat downwards'],
		['Ctrl Z, Y', 'undo, redo before saving'],
		['Ctrl S', 'save'],
		['Space', 'open or close a group of rows'],
		['Shift F10', 'what else to do with the cell'],
		['Ctrl Enter', 'the same into all selected cells'],
		['Ctrl F', 'find a row, a column or a figure'],
		['Ctrl I', 'details of the cell']
	];
	const MEMBER_KEYS = [
		['Insert, Shift Insert', 'a new member beside, beneath'],
		['Enter, F2', 'change what is there'],
		['Ctrl Shift arrows', 'move up, down, in or out'],
		['Delete', 'delete the member'],
		['Ctrl Z', 'take the last change back']
	];
	const PAGE_KEYS = [
		['Ctrl K', 'find a form, page or action'],
		['F1', 'this page of keys']
	];
	const SHORTHAND = [
		['350k, 1.2m', '350,000 and 1,200,000'],
		['+= 500, -= 2000', 'more or less than now'],
		['+= 5%, *= 1.1', 'by a share, by a factor'],
		['=12000/12', 'a calculation']
	];
</script>

<svelte:window
	onkeydown={(event) => {
		if (event.key !== 'F1') return;
		event.preventDefault();
		open();
	}}
/>

<button class="btn btn-ghost btn-sm btn-square" onclick={open} aria-label="Legend and keys" title="Legend and keys (F1)"
	><CircleHelp size={15} aria-hidden="true" /></button
>

<dialog
	bind:this={dialog}
	class="bg-raised border-rule text-base-content m-auto w-[46rem] max-w-[94vw] rounded-md border p-5 shadow-xl backdrop:bg-black/25"
	aria-labelledby="legend-title"
>
	<div class="flex items-center">
		<h2 id="legend-title" class="grow text-lg font-semibold">Legend and keys</h2>
		<form method="dialog"><button class="btn btn-sm">Close</button></form>
	</div>
	<div class="mt-3 grid gap-6 md:grid-cols-2">
		<div>
			<dl class="grid grid-cols-[7.5rem_1fr] content-start gap-y-1.5">
				{#each CELL_STATES.filter(({ mark }) => !isHidden(mark)) as { classes, sample, meaning, glyph } (meaning)}
					<dt>
						<span class="figure relative inline-block px-3 {classes}" data-state={classes}
							>{sample}{#if glyph}<svg class="glyph {glyph}" viewBox="0 0 10 10" aria-hidden="true"
									><path {...paintOf(GLYPHS[glyph])} /></svg
								>{/if}</span
						>
					</dt>
					<dd>{meaning}</dd>
				{/each}
			</dl>
			<h3 class="mt-3 mb-1 font-semibold">What you may type</h3>
			<dl class="grid grid-cols-[8.5rem_1fr] gap-y-1">
				{#each SHORTHAND as [typed, meaning] (typed)}<dt class="font-mono text-[13px]">{typed}</dt>
					<dd>{meaning}</dd>{/each}
			</dl>
		</div>
		<div>
			{#each [{ title: 'In forms', keys: KEYS }, { title: 'Members in Structure', keys: MEMBER_KEYS }, { title: 'Everywhere', keys: PAGE_KEYS }] as { title, keys } (title)}
				<h3 class="mt-3 mb-1 font-semibold first:mt-0">{title}</h3>
				<dl class="grid grid-cols-[8.5rem_1fr] gap-y-1">
					{#each keys as [key, meaning] (key)}<dt class="font-semibold">{key}</dt>
						<dd>{meaning}</dd>{/each}
				</dl>
			{/each}
			<fieldset class="mt-3">
				<legend class="mb-1 font-semibold">How they are drawn, for you</legend>
				{#each Object.entries(MARK_SETS) as [set, name] (set)}
					<label class="mr-3 inline-flex items-center gap-1.5"
						><input
							type="radio"
							class="radio radio-xs"
							name="mark-set"
							value={set}
							checked={shell.marks.set === set}
							onchange={() => void shell.chooseMarks({ ...shell.marks, set: set as MarkChoice['set'] })}
						/>
						{name}</label
					>
				{/each}
			</fieldset>
			<fieldset class="mt-2">
				<legend class="mb-1 font-semibold">Which of them you want to see</legend>
				{#each Object.entries(MARKS_TO_CHOOSE) as [mark, words] (mark)}
					<label class="flex items-center gap-1.5"
						><input
							type="checkbox"
							class="checkbox checkbox-xs"
							checked={!isHidden(mark as MarkName)}
							onchange={() => void toggle(mark as MarkName)}
						/>
						{words}</label
					>
				{/each}
			</fieldset>
		</div>
	</div>
</dialog>
