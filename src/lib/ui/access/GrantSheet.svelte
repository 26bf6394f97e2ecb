<script lang="ts">
	import Papa from 'papaparse';
	import type { SheetPreview } from '$lib/server/access';
	import { invalidateAll } from '$app/navigation';
	import { request } from '../request';
	import type { AccessDesk } from './access-desk.svelte';

	interface Props {
		desk: AccessDesk;
		mayWrite: boolean;
	}
	let { desk, mayWrite }: Props = $props();
	let open = $state(false);
	let text = $state('');
	let whole = $state(false);
	let file = $state<string | null>(null);
	let grid = $state.raw<string[][] | null>(null);
	let preview = $state.raw<SheetPreview | null>(null);
	const WHAT = { new: 'new', changed: 'changed', same: 'as it is', 'taken away': 'taken away', fault: 'cannot be' } as const;

	const fail = (message: string) => (desk.told = { words: message, isFault: true });
	async function look() {
		preview = null;
		const asked = grid ?? Papa.parse<string[]>(text.replace(/\n+$/, ''), { delimiter: text.includes('\t') ? '\t' : '' }).data;
		grid = asked;
		const reply = await request<SheetPreview>('/api/access/look-at-grants', { grid: asked, whole });
		if (reply.ok) {
			preview = reply.answer;
			desk.told = null;
		} else {
			fail(reply.message);
			grid = null;
		}
	}
	async function upload(event: Event & { currentTarget: HTMLInputElement }) {
		const [chosen] = event.currentTarget.files ?? [];
		if (!chosen) return;
		const reply = await request<{ grid: string[][] }>(`/api/access/sheet?name=${encodeURIComponent(chosen.name)}`, chosen);
		event.currentTarget.value = '';
		if (!reply.ok) return void fail(reply.message);
		file = chosen.name;
		({ grid } = reply.answer);
		await look();
	}
	function clear() {
		grid = preview = file = null;
	}
	async function bring() {
		desk.busy = true;
		const reply = await request<SheetPreview>('/api/access/bring-grants', { grid, whole });
		desk.busy = false;
		if (!reply.ok) return void fail(reply.message);
		const { counts } = reply.answer;
		desk.told = {
			words: `Brought in: ${counts.new} new, ${counts.changed} changed, ${counts['taken away']} taken away. Each can be taken back under Changes.`,
			isFault: false
		};
		desk.last = null;
		text = '';
		open = false;
		clear();
		await invalidateAll();
	}
</script>

<div class="mt-4 flex flex-wrap items-center gap-2">
	<a class="btn btn-sm" href="{desk.report}?of=grants&as=xlsx" download>Grants as XLSX</a>
	<a class="btn btn-sm" href="{desk.report}?of=grants&as=csv" download>CSV</a>
	{#if mayWrite && !open}<button class="btn btn-sm" onclick={() => (open = true)}>Bring grants in</button>{/if}
</div>
{#if open}
	<section class="bg-base-200 border-hairline mt-2 max-w-3xl rounded-md border px-3 py-2.5" aria-label="Bring grants in">
		<p class="text-soft mb-2 text-[13px]">
			Paste a table, or choose a file, as these grants are saved: Who (an address or a group), May, Grant, and a column a dimension with
			codes or names, several parted by |.
		</p>
		{#if preview && grid}
			<p class="mb-1 font-semibold">
				{file ?? 'Pasted'}: {preview.counts.new} new, {preview.counts.changed} changed, {preview.counts.same} as they are, {preview.counts[
					'taken away'
				]} taken away{preview.counts.fault > 0 ? `, ${preview.counts.fault} that cannot be` : ''}
			</p>
			<ul class="border-hairline max-h-60 overflow-auto border-t text-[13px]">
				{#each preview.lines as { row, what, words }, index (index)}
					<li class="border-hairline grid grid-cols-[4rem_6rem_1fr] border-b py-0.5">
						<span class="text-grey">{row > 0 ? `row ${row}` : ''}</span><span class={what === 'fault' ? 'text-error font-semibold' : ''}
							>{WHAT[what]}</span
						><span>{words}</span>
					</li>
				{:else}<li class="text-soft py-1">Everything is as it is.</li>{/each}
			</ul>
			<div class="mt-2 flex gap-2">
				<button class="btn btn-primary btn-sm" disabled={desk.busy || preview.counts.fault > 0} onclick={bring}>Bring them in</button>
				<button class="btn btn-ghost btn-sm" onclick={clear}>Back</button>
			</div>
		{:else}
			<textarea class="textarea textarea-sm w-full font-mono" rows="5" aria-label="Table of grants" bind:value={text}></textarea>
			<label class="mt-1 flex items-center gap-1.5 text-[13px]"
				><input type="checkbox" class="checkbox checkbox-xs" bind:checked={whole} />These are all: grants that are not among them are taken
				away</label
			>
			<div class="mt-2 flex flex-wrap items-center gap-2">
				<button class="btn btn-primary btn-sm" disabled={text.trim() === ''} onclick={look}>Look at what would change</button>
				<input
					class="file-input file-input-sm w-64"
					type="file"
					accept=".csv,.xlsx,.tsv,.txt"
					aria-label="File of grants"
					onchange={upload}
				/>
				<button class="btn btn-ghost btn-sm" onclick={() => (open = false)}>Leave it</button>
			</div>
		{/if}
	</section>
{/if}
