<script lang="ts">
	import type { AccessNames, Why } from '$lib/server/access';
	import MemberPick from '../data-in/MemberPick.svelte';
	import { request } from '../request';

	interface Props {
		dimensions: readonly { id: number; name: string; isPeriod: boolean; first: { id: number; name: string } | null }[];
		names: AccessNames;
		person: number;
	}
	let { dimensions, names, person }: Props = $props();

	// svelte-ignore state_referenced_locally
	let of = $state(person);
	// svelte-ignore state_referenced_locally
	let chosen = $state.raw<Record<number, { id: number; name: string }>>(
		Object.fromEntries(dimensions.flatMap(({ id, first }) => (first ? [[id, first]] : [])))
	);
	let why = $state.raw<Why | null>(null);
	let fault = $state<string | null>(null);

	async function ask() {
		const period = dimensions.find(({ isPeriod }) => isPeriod);
		const members = dimensions.filter(({ isPeriod }) => !isPeriod).map(({ id }) => chosen[id]?.id ?? 0);
		const reply = await request<Why>('/api/access/why', { person: of, members, period: chosen[period!.id]?.id ?? 0 });
		fault = reply.ok ? null : reply.message;
		why = reply.ok ? reply.answer : null;
	}
</script>

<div class="grid min-h-0 max-w-5xl gap-8 overflow-auto md:grid-cols-[22rem_1fr]">
	<form
		class="grid content-start gap-1.5"
		aria-label="Figure and person"
		onsubmit={(event) => {
			event.preventDefault();
			void ask();
		}}
	>
		<label class="text-grey text-xs"
			>Who<select class="select select-sm text-base-content w-full" bind:value={of}
				>{#each names.people as { id, name } (id)}<option value={id}>{name}</option>{/each}</select
			></label
		>
		{#each dimensions as { id, name } (id)}
			<div class="grid grid-cols-[7rem_1fr] items-center gap-2">
				<span class="text-[13px]">{name}</span>
				<MemberPick
					dimension={id}
					of="all"
					label="{name} of the figure"
					chosen={chosen[id]?.name ?? ''}
					placeholder="choose"
					onpick={(member) => (chosen = { ...chosen, [id]: member })}
				/>
			</div>
		{/each}
		<button class="btn btn-primary btn-sm mt-1 justify-self-start">Why?</button>
	</form>
	<section aria-live="polite" aria-label="Explanation">
		{#if fault}<p class="text-error" role="alert">{fault}</p>{/if}
		{#if why}
			{#each [['read', why.read], ['write', why.write]] as const as [what, lines] (what)}
				{@const may = lines.every(({ holds }) => holds)}
				<h2 class="mt-3 font-semibold first:mt-0">{why.name} {may ? 'may' : 'may not'} {what} it</h2>
				<ol class="border-rule mt-1 ml-1 border-l pl-3">
					{#each lines as { words, holds }, place (place)}
						<li class={['py-0.5', holds ? '' : 'text-accent font-semibold']}>{words}</li>
					{/each}
				</ol>
			{/each}
		{:else if !fault}<p class="text-soft">
				Choose a person and a figure: what lets them read and write it, or keeps them from it, is told sentence by sentence.
			</p>{/if}
	</section>
</div>
