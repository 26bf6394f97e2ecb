<script lang="ts">
	import CircleHelp from '@lucide/svelte/icons/circle-question-mark';

	let dialog: HTMLDialogElement;
	export const open = () => dialog.showModal();

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
		['Ctrl I, Ctrl K', 'details of the cell, commands']
	];
	const SHORTHAND = [
		['350k, 1.2m', '350,000 and 1,200,000'],
		['+= 500, -= 2000', 'more or less than now'],
		['+= 5%, *= 1.1', 'by a share, by a factor'],
		['=12000/12', 'a calculation']
	];
</script>

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
		<dl class="grid grid-cols-[7.5rem_1fr] content-start gap-y-1.5">
			<dt><span class="border-mark border-b-2 border-dotted">1,250</span></dt>
			<dd>you may type here</dd>
			<dt><span class="border-mark border-b-2 border-dotted font-semibold">8,400</span></dt>
			<dd>a total you may spread from</dd>
			<dt><span class="bg-base-200 text-soft px-2">3,120</span></dt>
			<dd>computed, or not yours to type</dd>
			<dt><span class="text-primary font-semibold">◆ 1,300</span></dt>
			<dd>in your draft, not saved yet</dd>
			<dt><span class="font-semibold"><span class="text-primary">◇</span> 9,700</span></dt>
			<dd>a total with unsaved entries beneath</dd>
			<dt><span class="text-secondary italic">2,310</span></dt>
			<dd>as it would be after the run you try</dd>
			<dt><span class="decoration-error underline decoration-wavy">990</span></dt>
			<dd>refused; the reason shows on the cell</dd>
			<dt><span class="closed px-2">2,050</span></dt>
			<dd>closed by a lock or outside the months of entry</dd>
			<dt>≈ 4,410</dt>
			<dd>a rate or a weight is missing beneath</dd>
			<dt><span class="border-secondary border-b-2">1,900</span></dt>
			<dd>kept fixed: spreads leave it as it is</dd>
			<dt>
				<span class="relative pr-3"
					>560<svg class="text-accent absolute top-0 right-0 size-2" viewBox="0 0 10 10" aria-hidden="true"
						><circle cx="5.5" cy="4.5" r="3" fill="currentColor" /></svg
					></span
				>
			</dt>
			<dd>a note</dd>
			<dt>
				<span class="relative pr-3"
					>560<svg class="text-secondary absolute top-0 right-0 size-2" viewBox="0 0 10 10" aria-hidden="true"
						><path d="M2 2.5h7M4 5h5M6 7.5h3" stroke="currentColor" stroke-width="1.4" /></svg
					></span
				>
			</dt>
			<dd>detail lines behind it</dd>
			<dt>
				<span class="relative pr-3"
					>560<svg class="text-secondary absolute top-0 right-0 size-2" viewBox="0 0 10 10" aria-hidden="true"
						><path d="M4 2h4.5v4.5M8.5 2 3 7.5" fill="none" stroke="currentColor" stroke-width="1.3" /></svg
					></span
				>
			</dt>
			<dd>links or files</dd>
		</dl>
		<div>
			<dl class="grid grid-cols-[8.5rem_1fr] gap-y-1">
				{#each KEYS as [key, meaning] (key)}<dt class="font-semibold">{key}</dt>
					<dd>{meaning}</dd>{/each}
			</dl>
			<h3 class="mt-3 mb-1 font-semibold">What you may type</h3>
			<dl class="grid grid-cols-[8.5rem_1fr] gap-y-1">
				{#each SHORTHAND as [typed, meaning] (typed)}<dt class="font-mono text-[13px]">{typed}</dt>
					<dd>{meaning}</dd>{/each}
			</dl>
		</div>
	</div>
</dialog>

<style>
	.closed {
		background-image: repeating-linear-gradient(135deg, transparent 0 6px, var(--hairline) 6px 7px);
	}
</style>
