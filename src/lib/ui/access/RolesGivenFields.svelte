<script lang="ts">
	import type { AccessNames, RolesGiven } from '$lib/server/access';

	interface Props {
		roles: RolesGiven;
		names: AccessNames;
		disabled: boolean;
		onchange: (roles: RolesGiven) => void;
	}
	let { roles, names, disabled, onchange }: Props = $props();

	let adding = $state('');
	const put = (place: number, change: Partial<RolesGiven[number]>) =>
		onchange(roles.map((given, at) => (at === place ? { ...given, ...change } : given)));
	function add() {
		const role = Number(adding);
		adding = '';
		if (role && !roles.some((given) => given.role === role && given.model === null)) onchange([...roles, { role, model: null }]);
	}
</script>

<ul class="grid gap-1" aria-label="Roles">
	{#each roles as { role, model }, place (place)}
		<li class="flex items-center gap-2">
			<span class="w-28 truncate">{names.roles.find(({ id }) => id === role)?.name ?? 'a role that is gone'}</span>
			<select
				class="select select-xs w-36"
				aria-label="In which model"
				{disabled}
				value={model ?? ''}
				onchange={(event) => put(place, { model: event.currentTarget.value === '' ? null : Number(event.currentTarget.value) })}
			>
				<option value="">in every model</option>
				{#each names.models as { id, name } (id)}<option value={id}>in {name}</option>{/each}
			</select>
			{#if !disabled}<button
					type="button"
					class="text-grey hover:text-error px-1"
					aria-label="Take the role away"
					onclick={() => onchange(roles.filter((_, at) => at !== place))}>×</button
				>{/if}
		</li>
	{:else}<li class="text-grey text-[13px]">No roles</li>{/each}
</ul>
{#if !disabled}
	<select class="select select-xs mt-1 w-44" aria-label="Give a role" bind:value={adding} onchange={add}>
		<option value="">Give a role…</option>
		{#each names.roles as { id, name } (id)}<option value={id}>{name}</option>{/each}
	</select>
{/if}
