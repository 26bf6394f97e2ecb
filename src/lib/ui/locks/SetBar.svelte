<script lang="ts">
	import type { AccessNames } from '$lib/server/access';
	import type { LockWriter } from '$lib/server/locks';
	import type { LockBoardState, LockState, SetTerms } from './lock-board.svelte';

	interface Props {
		board: LockBoardState;
		names: AccessNames;
		/** Who sets: they may still write where it is held, unless others are named. */
		self: number;
		terms: SetTerms;
	}
	let { board, names, self, terms = $bindable() }: Props = $props();

	const choices = $derived([
		...board.head.namers.map(({ dimension, by, words }) => ({ value: JSON.stringify({ dimension, by }), name: words })),
		...names.groups.map(({ id, name }) => ({ value: JSON.stringify({ group: id }), name: `Group ${name}` })),
		...names.people.filter(({ active }) => active).map(({ id, name }) => ({ value: JSON.stringify({ person: id }), name }))
	]);
	const nameOf = (writer: LockWriter) => choices.find(({ value }) => value === JSON.stringify(writer))?.name ?? 'somebody';
	const said = $derived<SetTerms>({ ...terms, writers: terms.writers.length > 0 ? terms.writers : [{ person: self }] });
	let on = $state('');
	let then = $state<LockState>('closed');
	let more = $state(false);
	const put = () => (terms = { ...terms, turns: on ? { on, to: then } : null });
	let goes = $derived<Record<number, boolean>>(Object.fromEntries((board.asking?.exceptions ?? []).map(({ id }) => [id, false])));
</script>

<div class="flex gap-2">
	{#each [['open', 'Open', 'O'], ['held', 'Hold', 'H'], ['closed', 'Close', 'C']] as const as [state, word, key] (state)}
		<button class="btn btn-sm" disabled={board.busy} onclick={() => board.set(state, said)}
			>{word} <span class="text-grey text-xs">{key}</span></button
		>
	{/each}
	<button class="btn btn-ghost btn-sm" disabled={board.busy} onclick={() => board.set(null)}>As above</button>
	<button class="btn btn-ghost btn-sm" aria-expanded={more} onclick={() => (more = !more)}>Reason, day, writers</button>
</div>
{#if more}
	<div
		class="bg-base-200 border-hairline mt-2 flex flex-wrap items-end gap-3 rounded-md border px-3 py-2"
		role="group"
		aria-label="What is set besides"
	>
		<label class="text-soft grid text-xs">Reason<input class="input input-sm w-56" maxlength="500" bind:value={terms.reason} /></label>
		<label class="text-soft grid text-xs">Until<input class="input input-sm w-38" type="date" bind:value={on} onchange={put} /></label>
		<label class="text-soft grid text-xs"
			>From that day on<select class="select select-sm w-28" bind:value={then} onchange={put}
				><option value="open">open</option><option value="held">held</option><option value="closed">closed</option></select
			></label
		>
		<div class="text-soft grid text-xs">
			<label class="grid"
				>Held: they may still write<select
					class="select select-sm w-52"
					onchange={(event) => {
						const { value } = event.currentTarget;
						if (value && !terms.writers.some((writer) => JSON.stringify(writer) === value))
							terms = { ...terms, writers: [...terms.writers, JSON.parse(value) as LockWriter] };
						event.currentTarget.value = '';
					}}
					><option value="">{terms.writers.length === 0 ? 'you; name others…' : 'name more…'}</option>
					{#each choices as { value, name } (value)}<option {value}>{name}</option>{/each}</select
				></label
			>
			{#if terms.writers.length > 0}<span class="flex flex-wrap gap-1 pt-1"
					>{#each terms.writers as writer (JSON.stringify(writer))}<button
							class="badge badge-sm"
							aria-label="Leave out {nameOf(writer)}"
							onclick={() => (terms = { ...terms, writers: terms.writers.filter((each) => each !== writer) })}>{nameOf(writer)} ×</button
						>{/each}</span
				>{/if}
		</div>
	</div>
{/if}
{#if board.asking}
	<section class="bg-base-200 border-hairline mt-2 max-w-3xl rounded-md border px-3 py-2" aria-label="What is set beneath">
		<p class="font-semibold">
			{board.asking.exceptions.length === 1 ? 'One slice' : `${board.asking.exceptions.length} slices`} beneath
			{board.asking.exceptions.length === 1 ? 'is' : 'are'} set otherwise and stay so, unless they go:
		</p>
		<ul class="max-h-40 overflow-auto py-1">
			{#each board.asking.exceptions as { id, name, state } (id)}<li>
					<label class="flex items-center gap-2 text-[13px]"
						><input
							type="checkbox"
							class="checkbox checkbox-xs"
							checked={goes[id] ?? false}
							onchange={(event) => (goes = { ...goes, [id]: event.currentTarget.checked })}
						/>{name}: <b class="font-semibold">{state}</b>, goes</label
					>
				</li>{/each}
		</ul>
		<div class="flex gap-2">
			<button
				class="btn btn-primary btn-sm"
				disabled={board.busy}
				onclick={() =>
					board.set(
						board.asking!.state,
						board.asking!.terms,
						board.asking!.exceptions.filter(({ id }) => goes[id]).map(({ id }) => id)
					)}>Set it to {board.asking.state}</button
			>
			<button class="btn btn-sm" onclick={() => (goes = Object.fromEntries(board.asking!.exceptions.map(({ id }) => [id, true])))}
				>All go</button
			>
			<button class="btn btn-ghost btn-sm" onclick={() => (board.asking = null)}>Leave it</button>
		</div>
	</section>
{/if}
