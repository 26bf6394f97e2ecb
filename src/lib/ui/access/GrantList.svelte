<script lang="ts">
	import type { AccessNames, GrantLine, GrantState, ModelGrants } from '$lib/server/access';
	import type { FoundMember } from '$lib/server/structure';
	import MemberPick from '../data-in/MemberPick.svelte';
	import type { AccessDesk } from './access-desk.svelte';
	import { LEVELS } from './levels';

	interface Props {
		desk: AccessDesk;
		grants: ModelGrants;
		names: AccessNames;
		mayWrite: boolean;
	}
	let { desk, grants, names, mayWrite }: Props = $props();

	let making = $state(false);
	const BLANK = { holder: '', name: '', level: 'write' as GrantState['level'] };
	let draft = $state(BLANK);
	let slice = $state.raw<{ dimension: string; member: FoundMember }[]>([]);
	async function make(event: SubmitEvent) {
		event.preventDefault();
		const [kind, id] = draft.holder.split(' ');
		if (!id) return;
		const holder = kind === 'group' ? { group: Number(id) } : { person: Number(id) };
		const members = [...new Set(slice.map(({ member }) => member.id))].sort((one, other) => one - other);
		const after: GrantState = { holder, name: draft.name, level: draft.level, members };
		if ((await desk.change<GrantState>('grant', null, { before: null, after }, `“${draft.name}” is granted.`)) === undefined) return;
		making = false;
		draft = BLANK;
		slice = [];
	}
	const takeAway = (grant: GrantLine) =>
		desk.change<GrantState>(
			'grant',
			grant.id,
			{ before: grant.state, after: null },
			`“${grant.state.name}” is taken away from ${grant.holder}.`
		);
</script>

<h2 class="mt-5 mb-1 font-semibold">All grants</h2>
<table class="w-full text-[13.5px]" aria-label="All grants">
	<thead
		><tr class="text-grey border-rule border-b text-left text-xs"
			><th class="py-1 font-normal">Who</th><th class="font-normal">May</th><th class="font-normal">Grant</th><th class="font-normal"
				>Where</th
			><th><span class="sr-only">Take away</span></th></tr
		></thead
	>
	<tbody>
		{#each grants.grants as grant (grant.id)}
			<tr class="border-hairline border-b">
				<td class="py-1 pr-3"
					>{grant.holder}{#if grant.isGroup}<span class="text-grey ml-1 text-xs">group</span>{/if}</td
				>
				<td class="pr-3">{LEVELS[grant.state.level]}</td>
				<td class="pr-3">{grant.state.name}</td>
				<td class="pr-3"
					>{grant.slice.length === 0
						? 'everywhere'
						: grant.slice.map(({ dimension: on, members }) => `${on}: ${members.join(', ')}`).join(' · ')}</td
				>
				<td class="text-right"
					>{#if mayWrite}<button class="text-primary text-[13px] font-semibold" onclick={() => takeAway(grant)}>Take away</button>{/if}</td
				>
			</tr>
		{:else}<tr><td class="text-soft py-2" colspan="5">Nothing is granted: nobody writes in this model.</td></tr>{/each}
	</tbody>
</table>
{#if mayWrite && !making}<button class="btn btn-sm mt-2" onclick={() => (making = true)}>New grant</button>{/if}
{#if making}
	<form class="bg-base-200 border-hairline mt-2 grid max-w-2xl gap-2 rounded-md border px-3 py-2.5" onsubmit={make} aria-label="New grant">
		<div class="flex flex-wrap gap-2">
			<label class="text-grey flex flex-col text-xs"
				>Who<select class="select select-sm text-base-content w-48" bind:value={draft.holder} required>
					<option value="">choose…</option>
					{#each names.groups as { id, name } (id)}<option value="group {id}">{name}, group</option>{/each}
					{#each names.people.filter(({ active }) => active) as { id, name } (id)}<option value="person {id}">{name}</option>{/each}
				</select></label
			>
			<label class="text-grey flex flex-col text-xs"
				>may<select class="select select-sm text-base-content w-36" bind:value={draft.level}
					>{#each Object.entries(LEVELS) as [level, words] (level)}<option value={level}>{words}</option>{/each}</select
				></label
			>
			<label class="text-grey text-xs"
				>It is called<input
					class="input input-sm text-base-content block w-52"
					bind:value={draft.name}
					required
					maxlength="200"
					placeholder="Skerry, deck crew"
				/></label
			>
		</div>
		<p class="text-grey text-xs">
			Where: of each dimension that is named, one of these members and what is under it; everywhere if none is.
		</p>
		{#each grants.dimensions as { id, name } (id)}
			<div class="grid grid-cols-[8rem_1fr] items-baseline gap-2">
				<span class="text-[13px]">{name}</span>
				<span>
					<MemberPick
						dimension={id}
						of="all"
						label="Limit {name}"
						placeholder="all"
						onpick={(member) => (slice = [...slice.filter((each) => each.member.id !== member.id), { dimension: name, member }])}
					/>
					{#each slice.filter((each) => each.dimension === name) as { member } (member.id)}
						<button
							type="button"
							class="mr-2 text-[13px]"
							title="Take it out"
							onclick={() => (slice = slice.filter((each) => each.member.id !== member.id))}>{member.name} ×</button
						>
					{/each}
				</span>
			</div>
		{/each}
		<div class="flex gap-2">
			<button class="btn btn-primary btn-sm" disabled={desk.busy}>Grant it</button>
			<button type="button" class="btn btn-ghost btn-sm" onclick={() => (making = false)}>Leave it</button>
		</div>
	</form>
{/if}
