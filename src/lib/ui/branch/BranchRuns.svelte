<script lang="ts">
	import { invalidateAll } from '$app/navigation';
	import { onMount } from 'svelte';
	import type { Answers } from '$lib/core';
	import type { RunInBranch } from '$lib/server/branch';
	import type { RunAsk } from '$lib/server/runbook/asks';
	import { formatMoment } from '../figures/format';
	import AskFields from '../rules/AskFields.svelte';
	import { request } from '../request';
	import { useShell } from '../shell/shell.svelte';

	/** What ran in a branch: whether it is out of date, run again with one press, put back; and another runbook to be run. */
	interface Props {
		branch: { id: number; mayWork: boolean };
		runs: readonly RunInBranch[];
		/** What can be run here; none for who runs only what stands on forms. */
		runbooks: readonly { id: number; name: string }[];
		mayRun: boolean;
		locale: string;
	}
	let { branch, runs, runbooks, mayRun, locale }: Props = $props();
	const shell = useShell();
	let told = $state.raw<{ words: string; isFault: boolean } | null>(null);
	let chosen = $state('');
	let asks = $state.raw<RunAsk[]>([]);
	let answers = $state.raw<Answers>({});
	let busy = $state(false);
	const mayAct = $derived(branch.mayWork && mayRun);

	onMount(() => void look());

	/** Asks which runs are out of date: they are looked through one by one, which takes its time. */
	async function look() {
		if (!runs.some(({ stands, outOfDate }) => stands && !outOfDate)) return;
		const reply = await request<{ runs: RunInBranch[] }>('/api/branches/freshness', { id: branch.id });
		const known = new Map(runs.map(({ id, outOfDate }) => [id, outOfDate]));
		if (reply.ok && reply.answer.runs.some(({ id, outOfDate }) => known.get(id) !== outOfDate)) await invalidateAll();
	}

	async function choose() {
		asks = [];
		if (chosen === '') return;
		const reply = await request<{ asks: RunAsk[] }>('/api/branches/asks', { id: branch.id, runbook: Number(chosen) });
		if (!reply.ok) return (told = { words: reply.message, isFault: true });
		asks = reply.answer.asks;
		answers = Object.fromEntries(asks.map(({ name, answer }) => [name, answer]));
	}

	async function start(verb: 'run' | 'run-again', body: object) {
		busy = true;
		told = { words: 'It is running…', isFault: false };
		const reply = await request<{ run: number; job: number }>(`/api/branches/${verb}`, { id: branch.id, ...body });
		if (reply.ok) {
			const { words, state } = await shell.jobs.until(reply.answer.job);
			told = { words, isFault: state !== 'done' };
			chosen = '';
			asks = [];
			await invalidateAll();
			await look();
		} else told = { words: reply.message, isFault: true };
		busy = false;
	}

	async function putBack(run: number) {
		const reply = await request<{ cells: number }>('/api/branches/put-back-run', { id: branch.id, run });
		told = reply.ok
			? { words: 'It is put back: what the plan’s runs wrote shows there again.', isFault: false }
			: { words: reply.message, isFault: true };
		await invalidateAll();
	}
	const wordsOf = ({ state, stands, outOfDate, words }: RunInBranch): string =>
		state === 'waiting'
			? 'Under way'
			: state === 'failed'
				? words
				: state === 'taken back'
					? 'Put back'
					: !stands
						? 'Replaced by a later run'
						: outOfDate
							? 'Out of date: what it read has changed since'
							: words;
</script>

{#if runs.length > 0 || (mayAct && runbooks.length > 0)}
	<section aria-labelledby="runs">
		<h2 id="runs" class="border-rule border-b pb-1 font-semibold">Runs in it</h2>
		<ul class="text-[13px]">
			{#each runs as run (run.id)}
				<li class={['border-hairline border-b py-1.5', !run.stands && 'text-soft']}>
					<div class="flex items-baseline gap-2">
						<span class="grow">{run.name}</span>
						{#if mayAct && run.stands}
							<button class="btn btn-xs" disabled={busy} onclick={() => start('run-again', { run: run.id })}
								>Run again<span class="sr-only">: {run.name}</span></button
							>
							<button class="btn btn-xs btn-ghost" disabled={busy} onclick={() => putBack(run.id)}
								>Put back<span class="sr-only">: {run.name}</span></button
							>
						{/if}
					</div>
					<p class="text-soft text-xs">{run.person ?? 'Somebody'}, {formatMoment(run.at, locale)}</p>
					<p class={['text-xs', run.outOfDate && run.stands ? 'text-warning' : run.state === 'failed' ? 'text-error' : 'text-soft']}>
						{wordsOf(run)}
					</p>
				</li>
			{:else}<li class="text-soft py-1.5">Nothing has been run in it. What the plan’s runs wrote shows through.</li>{/each}
		</ul>
		{#if told}<p class={['my-1 text-[13px]', told.isFault ? 'text-error' : 'text-success']} role={told.isFault ? 'alert' : 'status'}>
				{told.words}
			</p>{/if}
		{#if mayAct && runbooks.length > 0}
			<form
				class="mt-2 flex flex-wrap items-end gap-2"
				onsubmit={(event) => {
					event.preventDefault();
					void start('run', { runbook: Number(chosen), answers });
				}}
			>
				<select
					class="select select-sm min-w-0 grow"
					aria-label="Run a runbook in this branch"
					bind:value={chosen}
					disabled={busy}
					onchange={choose}
				>
					<option value="">Run a runbook in it…</option>
					{#each runbooks as { id, name } (id)}<option value={String(id)}>{name}</option>{/each}
				</select>
				{#if chosen !== ''}
					<AskFields {asks} bind:answers />
					<button class="btn btn-primary btn-sm" disabled={busy}>Run it here</button>
				{/if}
			</form>
		{/if}
	</section>
{/if}
