<script lang="ts">
	import { page } from '$app/state';
	import type { BoardSending } from '$lib/server/insight';
	import { onMount } from 'svelte';
	import { request } from '../request';
	import ScheduleFields from '../schedule/ScheduleFields.svelte';
	import { useShell } from '../shell/shell.svelte';

	/** Sends a board as PDF to people's messages: now, or by itself. */
	interface Props {
		board: { id: number; mayChange: boolean };
		locale: string;
		onclose: () => void;
	}
	let { board, locale, onclose }: Props = $props();
	const shell = useShell();
	let sending = $state.raw<BoardSending | null>(null);
	let people = $state<number[]>([]);
	let told = $state.raw<{ words: string; isFault: boolean } | null>(null);
	let busy = $state(false);

	onMount(async () => {
		const reply = await request<BoardSending>('/api/boards/sending', { id: board.id });
		if (!reply.ok) return (told = { words: reply.message, isFault: true });
		sending = reply.answer;
		people = [...reply.answer.people];
	});
	const nameOf = (id: number) => sending?.readers.find((each) => each.id === id)?.name ?? 'somebody who cannot see it';
	const left = $derived((sending?.readers ?? []).filter(({ id }) => !people.includes(id)));
	const chosen = $derived(page.url.search.slice(1));

	async function send() {
		busy = true;
		told = { words: 'It is being printed…', isFault: false };
		const reply = await request<{ job: number }>('/api/boards/send', { id: board.id, people, chosen });
		if (reply.ok) {
			const { words, state } = await shell.jobs.until(reply.answer.job);
			told = { words, isFault: state !== 'done' };
		} else told = { words: reply.message, isFault: true };
		busy = false;
	}
	async function set(schedule: { cron: string; timeZone: string; active: boolean } | null): Promise<string | null> {
		const reply = await request<BoardSending>('/api/boards/set-sending', {
			...{ id: board.id, chosen, schedule, people }
		});
		if (!reply.ok) return reply.message;
		sending = reply.answer;
		return null;
	}
	function add(event: Event & { currentTarget: HTMLSelectElement }) {
		const id = Number(event.currentTarget.value);
		if (id) people = [...people, id];
		event.currentTarget.value = '';
	}
</script>

<aside class="border-hairline bg-base-100 w-80 shrink-0 overflow-y-auto border-l px-4 py-3 text-[13px]" aria-label="Send as PDF">
	<div class="flex items-center gap-2">
		<h2 class="grow text-sm font-semibold">Send as PDF</h2>
		<button class="btn btn-xs" onclick={onclose}>Close</button>
	</div>
	<p class="text-soft mt-1">
		With what stands chosen now. Everybody gets it among their messages, and by mail, with the figures they may read.
	</p>
	{#if sending}
		<fieldset class="mt-3 grid gap-1">
			<legend class="font-semibold">To</legend>
			{#each people as id (id)}
				<div class="flex items-center gap-2">
					<span class="grow">{nameOf(id)}</span>
					<button class="text-primary font-semibold" onclick={() => (people = people.filter((each) => each !== id))}
						>Take off<span class="sr-only"> {nameOf(id)}</span></button
					>
				</div>
			{/each}
			{#if left.length > 0}<select class="select select-sm w-full" aria-label="Add somebody" onchange={add}
					><option value="">Add somebody…</option>{#each left as { id, name } (id)}<option value={id}>{name}</option>{/each}</select
				>{/if}
		</fieldset>
		<button class="btn btn-primary btn-sm mt-3" disabled={busy || people.length === 0} onclick={send}>Send it now</button>
		{#if told}<p class={['mt-2', told.isFault ? 'text-error' : 'text-success']} role={told.isFault ? 'alert' : 'status'}>
				{told.words}
			</p>{/if}
		{#if board.mayChange}
			<h3 class="border-rule mt-4 mb-1 border-t pt-2 font-semibold">By itself</h3>
			{#if people.length === 0 && !sending.schedule}<p class="text-soft">Choose first to whom.</p>
			{:else}<ScheduleFields schedule={sending.schedule} {locale} word="Send it by itself" onset={set} />{/if}
		{/if}
	{/if}
</aside>
