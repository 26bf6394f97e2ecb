<script lang="ts">
	import type { RoleLine, RoleState } from '$lib/server/access';
	import type { AccessDesk } from './access-desk.svelte';

	interface Props {
		desk: AccessDesk;
		roles: readonly RoleLine[];
		catalogue: readonly { area: string; permissions: readonly { permission: RoleState['permissions'][number]; words: string }[] }[];
		mayWrite: boolean;
	}
	let { desk, roles, catalogue, mayWrite }: Props = $props();

	let name = $state('');
	let like = $state('');
	// svelte-ignore state_referenced_locally
	let one = $state(roles[0]?.id ?? 0);
	// svelte-ignore state_referenced_locally
	let other = $state(roles[1]?.id ?? 0);
	const compared = $derived([roles.find(({ id }) => id === one), roles.find(({ id }) => id === other)]);
	const put = (role: (typeof roles)[number], after: RoleState | null, words: string) =>
		desk.change<RoleState>('role', role.id, { before: role.state, after }, words);
	const toggle = (role: (typeof roles)[number], permission: RoleState['permissions'][number]) => {
		const { permissions } = role.state;
		const has = permissions.includes(permission);
		void put(
			role,
			{ ...role.state, permissions: has ? permissions.filter((each) => each !== permission) : [...permissions, permission].sort() },
			`${role.state.name} is changed for ${role.given === 1 ? 'whoever has' : `all ${role.given} who have`} it.`
		);
	};
	async function make(event: SubmitEvent) {
		event.preventDefault();
		const copied = roles.find(({ id }) => id === Number(like));
		const after: RoleState = { name, description: '', permissions: copied?.state.permissions ?? [] };
		if ((await desk.change<RoleState>('role', null, { before: null, after }, `The role ${name} is made.`)) !== undefined) name = like = '';
	}
</script>

<div class="min-h-0 overflow-auto">
	{#if mayWrite}
		<form class="mb-3 flex items-end gap-2" onsubmit={make} aria-label="New role">
			<label class="text-grey text-xs"
				>New role<input class="input input-sm text-base-content block w-52" bind:value={name} required maxlength="200" /></label
			>
			<label class="text-grey flex flex-col text-xs"
				>like<select class="select select-sm text-base-content w-44" bind:value={like}
					><option value="">nothing yet</option>{#each roles as { id, state } (id)}<option value={id}>{state.name}</option>{/each}</select
				></label
			>
			<button class="btn btn-primary btn-sm" disabled={desk.busy}>Make it</button>
		</form>
	{/if}
	<table class="text-[13.5px]" aria-label="Roles and their permissions">
		<thead>
			<tr class="border-rule border-b text-left align-bottom">
				<th class="text-grey py-1 pr-6 text-xs font-normal" scope="col">Who has it may</th>
				{#each roles as role (role.id)}
					<th class="px-3 text-center" scope="col" title={role.state.description}
						>{role.state.name}<span class="text-grey block text-xs font-normal"
							>{role.given === 0 ? 'given to nobody' : `given ${role.given === 1 ? 'once' : `${role.given} times`}`}</span
						>
						{#if mayWrite && role.given === 0}<button
								class="text-primary text-xs font-semibold"
								onclick={() => put(role, null, `The role ${role.state.name} is deleted.`)}>Delete</button
							>{/if}</th
					>
				{/each}
			</tr>
		</thead>
		<tbody>
			{#each catalogue as { area, permissions } (area)}
				<tr><th class="text-grey pt-2 text-left text-xs font-semibold" scope="rowgroup" colspan={roles.length + 1}>{area}</th></tr>
				{#each permissions as { permission, words } (permission)}
					<tr class="border-hairline border-b">
						<th class="py-1 pr-6 text-left font-normal" scope="row">{words}</th>
						{#each roles as role (role.id)}
							<td class="text-center"
								><input
									type="checkbox"
									class="checkbox checkbox-xs"
									aria-label="{role.state.name} may {words}"
									checked={role.state.permissions.includes(permission)}
									disabled={!mayWrite || desk.busy}
									onchange={() => toggle(role, permission)}
								/></td
							>
						{/each}
					</tr>
				{/each}
			{/each}
		</tbody>
	</table>
	<section class="mt-4 max-w-3xl" aria-label="Who has which role">
		{#each roles.filter(({ given }) => given > 0) as { id, state, given, holders } (id)}
			<p class="text-[13.5px]">
				<b class="font-semibold">{state.name}</b>: {holders.join(', ')}{given > holders.length ? ` and ${given - holders.length} more` : ''}
			</p>
		{/each}
	</section>
	{#if roles.length > 1}
		<section class="mt-4" aria-label="Difference of two roles">
			<p class="flex flex-wrap items-center gap-2">
				<select class="select select-sm w-44" aria-label="One role" bind:value={one}
					>{#each roles as { id, state } (id)}<option value={id}>{state.name}</option>{/each}</select
				>
				beside
				<select class="select select-sm w-44" aria-label="The other role" bind:value={other}
					>{#each roles as { id, state } (id)}<option value={id}>{state.name}</option>{/each}</select
				>
			</p>
			{#each [[compared[0], compared[1]], [compared[1], compared[0]]] as const as [more, less], index (index)}
				{#if more && less && more !== less}
					{@const only = catalogue.flatMap(({ permissions }) =>
						permissions.filter(
							({ permission }) => more.state.permissions.includes(permission) && !less.state.permissions.includes(permission)
						)
					)}
					<p class="mt-1 text-[13.5px]">
						<b class="font-semibold">{more.state.name}</b>
						{only.length === 0 ? `may nothing that ${less.state.name} may not.` : `alone may ${only.map(({ words }) => words).join('; ')}.`}
					</p>
				{/if}
			{/each}
		</section>
	{/if}
	<p class="text-soft mt-3 max-w-2xl text-[13px]">
		A role says what somebody does; where they do it, and what they read there, is said by grants. Who may read a part of a model only has
		Forms and Access of it: the other areas show all of it.
	</p>
</div>
