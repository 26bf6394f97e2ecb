<script lang="ts">
	import { formatAmount } from '../figures/format';
	import { restatement } from '../restate.svelte';

	let { locale }: { locale: string } = $props();
	let dialog = $state<HTMLDialogElement>();
	let reason = $state('');
	const asked = $derived(restatement.asked);
	$effect(() => {
		if (asked) {
			reason = '';
			dialog?.showModal();
		} else dialog?.close();
	});
	const amount = (value: number | null) => (value === null ? 'nothing' : formatAmount(value, locale));
</script>

<dialog
	bind:this={dialog}
	class="bg-raised border-rule text-base-content m-auto max-h-[90vh] w-[46rem] max-w-[94vw] overflow-auto rounded-md border p-5 shadow-xl backdrop:bg-black/25"
	aria-labelledby="restate"
	onclose={() => restatement.asked?.answer(null)}
>
	{#if asked}
		<form
			onsubmit={(event) => {
				event.preventDefault();
				asked.answer(reason.trim());
			}}
		>
			<h2 id="restate" class="text-lg font-semibold">
				{asked.count === 1 ? 'One closed figure' : `${asked.count} closed figures`} would move
			</h2>
			<p class="text-soft text-[13px]">
				They stand in slices that are closed. Moving them restates what was reported; the reason stays in the history of locks.
			</p>
			<table class="my-2 w-full text-[13px]">
				<tbody>
					{#each asked.lines as { lock, account, where, scenario, period, before, after }, index (index)}
						<tr class="border-hairline border-b">
							<td class="py-0.5">{account}{where === '' ? '' : `, ${where}`}<span class="text-soft block text-xs">{lock}</span></td>
							<td>{scenario}, {period}</td>
							<td class="text-right whitespace-nowrap tabular-nums">{amount(before)}</td>
							<td class="pl-2 text-right font-semibold whitespace-nowrap tabular-nums">→ {amount(after)}</td>
						</tr>
					{/each}
				</tbody>
			</table>
			{#if asked.count > asked.lines.length}<p class="text-soft text-xs">and {asked.count - asked.lines.length} more</p>{/if}
			<label class="grid text-[13px]">Why<input class="input input-sm w-full" maxlength="500" required bind:value={reason} /></label>
			<div class="mt-3 flex justify-end gap-2">
				<button type="button" class="btn btn-sm" onclick={() => asked.answer(null)}>Leave everything as it is</button>
				<button class="btn btn-primary btn-sm" disabled={reason.trim() === ''}>Restate them</button>
			</div>
		</form>
	{/if}
</dialog>
