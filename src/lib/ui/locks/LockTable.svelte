<script lang="ts">
	import { invalidateAll } from '$app/navigation';
	import type { LockSheetOutcome } from '$lib/server/locks';
	import Papa from 'papaparse';
	import { at } from '../at';
	import { request } from '../request';

	interface Props {
		mayWrite: boolean;
		ontold: (told: { words: string; isFault: boolean }) => void;
	}
	let { mayWrite, ontold }: Props = $props();
	let open = $state(false);
	let text = $state('');
	let outcome = $state.raw<LockSheetOutcome | null>(null);
	const grid = $derived(Papa.parse<string[]>(text.replace(/\n+$/, ''), { delimiter: text.includes('\t') ? '\t' : '' }).data);

	async function send(bring: boolean) {
		const reply = await request<LockSheetOutcome>('/api/locks/sheet', { grid, bring });
		if (!reply.ok) return ontold({ words: reply.message, isFault: true });
		if (!bring || reply.answer.faults.length > 0) {
			outcome = reply.answer;
			return;
		}
		ontold({
			words: `Brought in: ${reply.answer.set} set, ${reply.answer.cleared} as above. It can be taken back under History.`,
			isFault: false
		});
		open = false;
		text = '';
		outcome = null;
		await invalidateAll();
	}
	async function choose(event: Event & { currentTarget: HTMLInputElement }) {
		const [file] = event.currentTarget.files ?? [];
		if (file) text = await file.text();
		event.currentTarget.value = '';
	}
</script>

<div class="mt-2 flex gap-2">
	<a class="btn btn-sm" href="{at('/api/access/report')}?of=locks&as=csv" download>States as CSV</a>
	{#if mayWrite && !open}<button class="btn btn-sm" onclick={() => (open = true)}>Bring a table in</button>{/if}
</div>
{#if open}
	<section class="bg-base-200 border-hairline mt-2 max-w-3xl rounded-md border px-3 py-2.5" aria-label="Bring states in">
		<p class="text-soft mb-1 text-[13px]">
			A column a dimension with codes or names, then State, Reason, Until, Then, as the board is saved. A row without a state is as above
			again.
		</p>
		<textarea
			class="textarea textarea-sm w-full font-mono"
			rows="5"
			aria-label="Table of states"
			bind:value={text}
			oninput={() => (outcome = null)}></textarea>
		{#if outcome}
			<p class="font-semibold">
				{outcome.set} set, {outcome.cleared} as above, {outcome.same} as they are{outcome.faults.length > 0
					? `, ${outcome.faults.length} that cannot be`
					: ''}
			</p>
			<ul class="max-h-40 overflow-auto text-[13px]">
				{#each outcome.faults as { row, words } (row)}<li>
						<span class="text-grey mr-2">row {row}</span><span class="text-error">{words}</span>
					</li>{/each}
			</ul>
		{/if}
		<div class="mt-1 flex flex-wrap items-center gap-2">
			{#if outcome && outcome.faults.length === 0}<button class="btn btn-primary btn-sm" onclick={() => send(true)}>Bring them in</button>
			{:else}<button class="btn btn-primary btn-sm" disabled={text.trim() === ''} onclick={() => send(false)}
					>Look at what would change</button
				>{/if}
			<input class="file-input file-input-sm w-64" type="file" accept=".csv,.tsv,.txt" aria-label="File of states" onchange={choose} />
			<button class="btn btn-ghost btn-sm" onclick={() => (open = false)}>Leave it</button>
		</div>
	</section>
{/if}
