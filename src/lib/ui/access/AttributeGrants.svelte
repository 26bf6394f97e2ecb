<script lang="ts">
	import type { AttributeGrantState, ModelGrants } from '$lib/server/access';
	import type { AccessDesk } from './access-desk.svelte';
	import { LEVELS } from './levels';

	interface Props {
		desk: AccessDesk;
		grants: ModelGrants;
		mayWrite: boolean;
	}
	let { desk, grants, mayWrite }: Props = $props();
	let chosen = $state('');
	let level = $state<'read' | 'write'>('write');

	async function give(event: SubmitEvent) {
		event.preventDefault();
		const what = grants.attributes.find(({ words }) => words === chosen);
		if (!what) return;
		const after: AttributeGrantState = { dimension: what.dimension, by: what.by, level };
		if ((await desk.change('attribute grant', null, { before: null, after }, `${what.words}: may ${LEVELS[level]} there.`)) !== undefined)
			chosen = '';
	}
</script>

{#if grants.byAttribute.length > 0 || (mayWrite && grants.attributes.length > 0)}
	<h2 class="mt-5 mb-1 font-semibold">By attribute</h2>
	<ul class="border-hairline max-w-2xl border-t" aria-label="Grants by attribute">
		{#each grants.byAttribute as { id, state, words, people, members } (id)}
			<li class="border-hairline flex items-baseline gap-3 border-b py-1 text-[13.5px]">
				<span class="grow"
					>{words} may {LEVELS[state.level]} there<span class="text-soft"
						>: {people === 0
							? 'nobody is named'
							: `${people === 1 ? 'one person' : `${people} people`} at ${members === 1 ? 'one member' : `${members} members`}`}</span
					></span
				>
				{#if mayWrite}<button
						class="text-primary text-[13px] font-semibold"
						onclick={() => desk.change('attribute grant', id, { before: state, after: null }, `${words} gives nothing any more.`)}
						>Take away</button
					>{/if}
			</li>
		{/each}
	</ul>
	{#if mayWrite && grants.attributes.length > 0}
		<form class="mt-2 flex flex-wrap items-end gap-2" onsubmit={give} aria-label="New grant by attribute">
			<label class="text-grey flex flex-col text-xs"
				>Whoever is<select class="select select-sm text-base-content w-56" bind:value={chosen} required
					><option value="">choose…</option>{#each grants.attributes as { words } (words)}<option value={words}>{words}</option
						>{/each}</select
				></label
			>
			<label class="text-grey flex flex-col text-xs"
				>may<select class="select select-sm text-base-content w-36" bind:value={level}
					><option value="write">{LEVELS.write}</option><option value="read">{LEVELS.read}</option></select
				></label
			>
			<button class="btn btn-sm" disabled={desk.busy}>Grant it</button>
		</form>
	{/if}
{/if}
