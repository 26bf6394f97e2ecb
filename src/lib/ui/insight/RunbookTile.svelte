<script lang="ts">
	import { page } from '$app/state';
	import type { Answers } from '$lib/core';
	import type { RunAsk } from '$lib/server/runbook/asks';
	import { at } from '../at';
	import { request } from '../request';
	import AskFields from '../rules/AskFields.svelte';
	import { useShell } from '../shell/shell.svelte';

	/** A runbook on a board: what it asks for, then it runs; in the branch, where one is in one. */
	interface Props {
		runbook: number;
		name: string;
		mayRun: boolean;
	}
	let { runbook, name, mayRun }: Props = $props();
	const shell = useShell();
	let asks = $state.raw<RunAsk[] | null>(null);
	let answers = $state.raw<Answers>({});
	let told = $state.raw<{ words: string; isFault: boolean } | null>(null);
	let busy = $state(false);
	const branch = $derived((page.data.branch as { id: number } | null | undefined)?.id);

	async function begin() {
		told = null;
		busy = true;
		const reply = await (branch === undefined
			? request<{ asks: RunAsk[] }>(`/api/runbooks/${runbook}/asks`, {})
			: request<{ asks: RunAsk[] }>('/api/branches/asks', { id: branch, runbook }));
		busy = false;
		if (!reply.ok) return (told = { words: reply.message, isFault: true });
		asks = reply.answer.asks;
		answers = Object.fromEntries(reply.answer.asks.map((ask) => [ask.name, ask.answer]));
	}
	async function run() {
		busy = true;
		told = { words: 'It is running…', isFault: false };
		const reply = await (branch === undefined
			? request<{ job: number }>(`/api/runbooks/${runbook}/run`, { answers })
			: request<{ job: number }>('/api/branches/run', { id: branch, runbook, answers }));
		if (reply.ok) {
			const { words, state } = await shell.jobs.until(reply.answer.job);
			told = { words, isFault: state !== 'done' };
			asks = null;
		} else told = { words: reply.message, isFault: true };
		busy = false;
	}
</script>

<div class="h-full overflow-auto">
	{#if !mayRun}<a class="btn btn-sm" href={at(`/rules/${runbook}`)}>{name}</a>
		<p class="text-grey mt-1 text-xs">You may look at this runbook.</p>
	{:else if asks === null}
		<div class="flex flex-wrap items-center gap-2">
			<button class="btn btn-primary btn-sm" disabled={busy} onclick={begin}>{name}…</button>
			<a class="text-primary text-[13px] font-semibold hover:underline" href={at(`/rules/${runbook}`)}>Look what it does first</a>
		</div>
	{:else}
		<form
			class="grid gap-2"
			onsubmit={(event) => {
				event.preventDefault();
				void run();
			}}
		>
			<div class="flex flex-wrap gap-2"><AskFields {asks} bind:answers /></div>
			<div class="flex gap-2">
				<button class="btn btn-primary btn-sm" disabled={busy}>Run it{branch === undefined ? '' : ' in the branch'}</button>
				<button type="button" class="btn btn-sm" disabled={busy} onclick={() => (asks = null)}>Leave it</button>
			</div>
		</form>
	{/if}
	{#if told}<p class={['mt-1 text-[13px]', told.isFault ? 'text-error' : 'text-success']} role={told.isFault ? 'alert' : 'status'}>
			{told.words}
		</p>{/if}
</div>
