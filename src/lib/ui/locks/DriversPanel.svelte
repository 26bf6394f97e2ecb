<script lang="ts">
	import { invalidateAll } from '$app/navigation';
	import type { BoardHead, DriversSet } from '$lib/server/locks';
	import { request } from '../request';

	interface Props {
		head: BoardHead;
		mayWrite: boolean;
		onclose: () => void;
		ontold: (told: { words: string; isFault: boolean }) => void;
	}
	let { head, mayWrite, onclose, ontold }: Props = $props();
	// svelte-ignore state_referenced_locally
	let drives = $state(Object.fromEntries(head.dimensions.map(({ id, drives: each, kind }) => [id, each || kind === 'scenario'])));
	let states = $state.raw<Extract<DriversSet, { kind: 'states' }> | null>(null);
	const isOn = $derived(head.dimensions.some((dimension) => dimension.drives));

	async function choose(dimensions: number[], away?: boolean) {
		const reply = await request<DriversSet>('/api/locks/drivers', { dimensions, ...(away !== undefined && { away }) });
		if (!reply.ok) return ontold({ words: reply.message, isFault: true });
		if (reply.answer.kind === 'states') {
			states = reply.answer;
			asked = dimensions;
			return;
		}
		ontold({
			words: dimensions.length === 0 ? 'The board is switched off.' : 'The board is driven by these dimensions now.',
			isFault: false
		});
		await invalidateAll();
		onclose();
	}
	let asked = $state.raw<number[]>([]);
	const chosen = $derived(head.dimensions.filter(({ id }) => drives[id]).map(({ id }) => id));
</script>

<section class="bg-base-200 border-hairline my-2 max-w-3xl rounded-md border px-3 py-2.5" aria-label="What drives the board">
	{#if states}
		<p class="font-semibold">
			{states.count === 1 ? 'One state names' : `${states.count} states name`}
			{asked.length === 0 ? 'what the board locks now' : 'a member of what would not drive it any more'}:
		</p>
		<ul class="max-h-40 overflow-auto py-1 text-[13px]">
			{#each states.states as { name, state }, index (index)}<li>{name}: <b class="font-semibold">{state}</b></li>{/each}
		</ul>
		<div class="flex flex-wrap gap-2">
			<button class="btn btn-primary btn-sm" onclick={() => choose(asked, true)}>Take {states.count === 1 ? 'it' : 'them'} away</button>
			{#if asked.length > 0}<button class="btn btn-sm" onclick={() => choose(asked, false)}
					>Keep {states.count === 1 ? 'it' : 'them'}, beside the board</button
				>{/if}
			<button class="btn btn-ghost btn-sm" onclick={() => (states = null)}>Leave it</button>
		</div>
	{:else}
		<p class="text-soft mb-1.5 text-[13px]">States are set for members of these dimensions together; the scenario is always one of them.</p>
		<div class="mb-2 flex flex-wrap gap-x-4 gap-y-1">
			{#each head.dimensions as { id, name, kind } (id)}
				<label class="flex items-center gap-1.5"
					><input
						type="checkbox"
						class="checkbox checkbox-xs"
						disabled={!mayWrite || kind === 'scenario'}
						bind:checked={drives[id]}
					/>{name}</label
				>
			{/each}
		</div>
		<div class="flex gap-2">
			<button class="btn btn-primary btn-sm" disabled={!mayWrite || chosen.length < 2} onclick={() => choose(chosen)}
				>{isOn ? 'Use these' : 'Switch the board on'}</button
			>
			{#if isOn}<button class="btn btn-sm" disabled={!mayWrite} onclick={() => choose([])}>Switch it off</button>
				<button class="btn btn-ghost btn-sm" onclick={onclose}>Leave it</button>{/if}
		</div>
	{/if}
</section>
