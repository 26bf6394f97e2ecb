<script lang="ts">
	import type { Conflict } from '$lib/server/engine';
	import { SvelteMap } from 'svelte/reactivity';
	import { formatAmount } from '../figures/format';

	interface Props {
		conflicts: Conflict[];
		refused: { words: string; reason: string }[];
		locale: string;
		onsettle: (decisions: { keepMine: Conflict[]; takeTheirs: Conflict[] }) => void;
	}
	let { conflicts, refused, locale, onsettle }: Props = $props();

	/** By place in the list; undecided ones keep the person's own value. */
	const decisions = new SvelteMap<number, 'mine' | 'theirs'>();
	const shown = (value: number | 'cleared' | 'nothing' | null) =>
		value === null || value === 'nothing' ? 'empty' : value === 'cleared' ? 'entry taken away' : formatAmount(value, locale);

	function settle(all?: 'mine' | 'theirs') {
		const choice = (index: number) => all ?? decisions.get(index) ?? 'mine';
		onsettle({
			keepMine: conflicts.filter((_, index) => choice(index) === 'mine'),
			takeTheirs: conflicts.filter((_, index) => choice(index) === 'theirs')
		});
	}
</script>

<section
	class="border-error/50 bg-base-200 mb-2.5 max-h-56 overflow-auto rounded-md border px-3 py-2 text-[13px]"
	aria-label="What stands in the way of saving"
>
	{#if conflicts.length > 0}
		<div class="mb-1 flex items-center gap-2">
			<h2 class="grow font-semibold">
				{conflicts.length === 1 ? 'One cell' : `${conflicts.length} cells`} changed meanwhile. Choose which value stands.
			</h2>
			<button class="btn btn-xs" onclick={() => settle('theirs')}>Take all theirs</button>
			<button class="btn btn-xs" onclick={() => settle('mine')}>Keep all mine</button>
			<button class="btn btn-primary btn-xs" onclick={() => settle()}>Save as chosen</button>
		</div>
		<table class="w-full">
			<thead
				><tr class="text-grey text-left text-xs"
					><th>Cell</th><th class="text-right">You saw</th><th class="text-right">Now</th><th class="text-right">Yours</th><th></th></tr
				></thead
			>
			<tbody>
				{#each conflicts as conflict, index (conflict.words)}
					{@const choice = decisions.get(index) ?? 'mine'}
					<tr class="border-hairline border-t">
						<td class="py-1">{conflict.words}</td>
						<td class="text-grey text-right">{shown(conflict.seen)}</td>
						<td class={['text-right', choice === 'theirs' && 'font-semibold']}>{shown(conflict.now)}</td>
						<td class={['text-right', choice === 'mine' && 'text-primary font-semibold']}>{shown(conflict.mine)}</td>
						<td class="pl-3 text-right whitespace-nowrap">
							<button class="btn btn-ghost btn-xs" aria-pressed={choice === 'mine'} onclick={() => decisions.set(index, 'mine')}
								>Keep mine</button
							>
							<button class="btn btn-ghost btn-xs" aria-pressed={choice === 'theirs'} onclick={() => decisions.set(index, 'theirs')}
								>Take theirs</button
							>
						</td>
					</tr>
				{/each}
			</tbody>
		</table>
	{/if}
	{#if refused.length > 0}
		<h2 class="font-semibold">
			{refused.length === 1 ? 'One cell' : `${refused.length} cells`} cannot be saved. Undo or discard {refused.length === 1
				? 'it'
				: 'them'}, or ask for the lock to be opened.
		</h2>
		<ul>
			{#each refused.slice(0, 50) as { words, reason } (words)}<li class="border-hairline border-t py-1">
					{words}: <span class="text-error">{reason}</span>
				</li>{/each}
		</ul>
	{/if}
</section>
