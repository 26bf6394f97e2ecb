<script lang="ts">
	import type { AccessNames, GroupState, Standing } from '$lib/server/access';
	import type { AccessDesk } from './access-desk.svelte';
	import RolesGivenFields from './RolesGivenFields.svelte';
	import TextField from './TextField.svelte';

	interface Props {
		desk: AccessDesk;
		groups: readonly Standing<GroupState>[];
		names: AccessNames;
		mayWrite: boolean;
	}
	let { desk, groups, names, mayWrite }: Props = $props();

	const BLANK: GroupState = { name: '', description: '', members: [], roles: [] };
	let chosen = $state<number | 'new' | null>(null);
	let edited = $state.raw<GroupState>(BLANK);
	let adding = $state('');
	const group = $derived(groups.find(({ id }) => id === chosen));
	const personName = (person: number) => names.people.find(({ id }) => id === person)?.name ?? 'somebody who is gone';

	function open(which: number | 'new') {
		chosen = which;
		edited = which === 'new' ? BLANK : groups.find(({ id }) => id === which)!.state;
	}
	function add() {
		const person = names.people.find(({ name }) => name.toLowerCase() === adding.trim().toLowerCase());
		if (!person) return;
		if (!edited.members.includes(person.id))
			edited = { ...edited, members: [...edited.members, person.id].sort((one, other) => one - other) };
		adding = '';
	}
	async function save(event: SubmitEvent) {
		event.preventDefault();
		const id = await desk.change<GroupState>(
			'group',
			chosen === 'new' ? null : (chosen as number),
			{ before: group?.state ?? null, after: edited },
			`The group ${edited.name} is saved.`
		);
		if (id !== undefined) open(id);
	}
	async function remove() {
		const id = await desk.change<GroupState>(
			'group',
			group!.id,
			{ before: group!.state, after: null },
			`The group ${group!.state.name} is deleted.`
		);
		if (id !== undefined) chosen = null;
	}
</script>

<div class="flex min-h-0 grow gap-6">
	<section class="min-w-0 grow overflow-auto" aria-label="Groups">
		{#if mayWrite}<button class="btn btn-primary btn-sm mb-2" onclick={() => open('new')}>New group</button>{/if}
		<table class="w-full text-[13.5px]">
			<thead
				><tr class="text-grey border-rule border-b text-left text-xs"
					><th class="py-1 font-normal">Group</th><th class="font-normal">People</th><th class="font-normal">Roles</th></tr
				></thead
			>
			<tbody>
				{#each groups as { id, state } (id)}
					<tr class={['border-hairline border-b', chosen === id && 'bg-base-200']}>
						<td class="py-1 pr-3"
							><button class="text-left font-semibold hover:underline" aria-pressed={chosen === id} onclick={() => open(id)}
								>{state.name}</button
							>
							<span class="text-grey block text-xs">{state.description}</span></td
						>
						<td class="pr-3">{state.members.map(personName).join(', ') || 'nobody yet'}</td>
						<td>{state.roles.map(({ role }) => names.roles.find((each) => each.id === role)?.name ?? '?').join(', ')}</td>
					</tr>
				{:else}<tr
						><td class="text-soft py-2" colspan="3">No groups yet. A group has people, and roles and grants that all of them have by it.</td
						></tr
					>{/each}
			</tbody>
		</table>
	</section>
	{#if chosen !== null}
		<form class="border-hairline w-80 shrink-0 overflow-auto border-l pl-5" onsubmit={save} aria-label="Group">
			<h2 class="mb-2 font-semibold">{chosen === 'new' ? 'New group' : group?.state.name}</h2>
			<fieldset class="grid gap-2" disabled={!mayWrite}>
				<TextField label="Name" value={edited.name} required onchange={(name) => (edited = { ...edited, name })} />
				<TextField
					label="What it is for"
					value={edited.description}
					maxlength={1_000}
					onchange={(description) => (edited = { ...edited, description })}
				/>
				<div>
					<h3 class="text-grey mb-1 text-xs">People</h3>
					<ul aria-label="People of the group">
						{#each edited.members as person (person)}
							<li class="border-hairline flex border-b py-0.5">
								{personName(person)}{#if mayWrite}<button
										type="button"
										class="text-grey hover:text-error ml-auto px-1"
										aria-label="Take {personName(person)} out"
										onclick={() => (edited = { ...edited, members: edited.members.filter((each) => each !== person) })}>×</button
									>{/if}
							</li>
						{/each}
					</ul>
					{#if mayWrite}
						<input
							class="input input-xs mt-1 w-full"
							list="people"
							placeholder="Add a person"
							aria-label="Add a person"
							bind:value={adding}
							onchange={add}
							onkeydown={(event) => {
								if (event.key !== 'Enter') return;
								event.preventDefault();
								add();
							}}
						/>
						<datalist id="people"
							>{#each names.people.filter(({ active }) => active) as { id, name } (id)}<option value={name}></option>{/each}</datalist
						>
					{/if}
				</div>
				<div>
					<h3 class="text-grey mb-1 text-xs">Roles they have by it</h3>
					<RolesGivenFields roles={edited.roles} {names} disabled={!mayWrite} onchange={(roles) => (edited = { ...edited, roles })} />
				</div>
			</fieldset>
			{#if mayWrite}
				<div class="mt-3 flex gap-2">
					<button class="btn btn-primary btn-sm" disabled={desk.busy}>Save</button>
					{#if group}<button type="button" class="btn btn-sm" onclick={remove}>Delete</button>{/if}
				</div>
			{/if}
		</form>
	{/if}
</div>
