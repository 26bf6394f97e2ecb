<script lang="ts">
	import type { WorkbookChange, WorkbookReading } from '$lib/server/form';

	interface Props {
		reading: WorkbookReading;
		onenter: (changes: WorkbookChange[]) => void;
		/** A figure of a cell as the form writes it. */
		shown: (row: number, column: number, value: number, typed: boolean) => string;
		onclose: () => void;
	}
	let { reading, onenter, shown, onclose }: Props = $props();
	/** Conflicts in which the workbook's figure is taken. */
	let taken = $state<boolean[]>([]);
	/** What a workbook says of a cell: figures as the form writes them, words as they are. */
	const told = ({ row, column }: WorkbookChange, text: string, typed = false) =>
		text === '' || row < 0 || column < 0 || !Number.isFinite(Number(text)) ? text : shown(row, column, Number(text), typed);
	const all = $derived([...reading.changes, ...reading.conflicts.filter((_, index) => taken[index])]);
</script>

<section
	class="border-rule bg-base-200 mb-2.5 max-h-72 overflow-auto rounded-md border px-3 py-2 text-[13px]"
	aria-label="What the workbook would do"
>
	<div class="mb-1 flex items-center gap-2">
		<h2 class="grow font-semibold">
			The workbook changes {reading.changes.length === 1 ? 'one cell' : `${reading.changes.length} cells`}{reading.conflicts.length > 0
				? `; ${reading.conflicts.length} changed here meanwhile`
				: ''}{reading.refused.length > 0 ? `; ${reading.refused.length} may not be written` : ''}.
		</h2>
		<button class="btn btn-xs" onclick={onclose}>Leave it</button>
		<button class="btn btn-primary btn-xs" disabled={all.length === 0} onclick={() => onenter(all)}
			>Take {all.length === 1 ? 'one figure' : `${all.length} figures`} into my draft</button
		>
	</div>
	{#each reading.remarks as remark (remark)}<p class="text-warning mb-1">{remark}</p>{/each}
	<table class="w-full">
		<thead
			><tr class="text-grey text-left text-xs"
				><th class="font-normal">Cell</th><th class="text-right font-normal">When downloaded</th><th class="text-right font-normal"
					>In the workbook</th
				><th class="pl-3 font-normal"></th></tr
			></thead
		>
		<tbody>
			{#each reading.conflicts as change, index (`conflict ${change.row} ${change.column}`)}
				<tr class="border-hairline border-t"
					><td class="py-0.5">{change.words}</td><td class="text-grey text-right">{told(change, change.before)}</td><td class="text-right"
						>{told(change, change.text, true)}</td
					><td class="text-warning pl-3"
						>Now {told(change, change.now) || 'empty'} here. {change.effect ?? ''}
						<label class="text-base-content"
							><input type="checkbox" class="checkbox checkbox-xs" bind:checked={taken[index]} /> take the workbook’s</label
						></td
					></tr
				>
			{/each}
			{#each reading.refused.slice(0, 200) as change (`refused ${change.row} ${change.column}`)}
				<tr class="border-hairline border-t"
					><td class="py-0.5">{change.words}</td><td class="text-grey text-right">{told(change, change.before)}</td><td class="text-right"
						>{told(change, change.text, true)}</td
					><td class="text-error pl-3">Not taken. {change.reason}</td></tr
				>
			{/each}
			{#each reading.changes.slice(0, 400) as change (`change ${change.row} ${change.column}`)}
				<tr class="border-hairline border-t"
					><td class="py-0.5">{change.words}</td><td class="text-grey text-right">{told(change, change.before)}</td><td
						class="text-right font-semibold">{told(change, change.text, true) || 'empty'}</td
					><td class="text-grey pl-3">{change.effect ?? ''}</td></tr
				>
			{/each}
		</tbody>
	</table>
</section>
