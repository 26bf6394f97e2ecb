<script lang="ts">
	import type { Driver } from '$lib/core';
	import MemberSelect from '../MemberSelect.svelte';
	import type { RunbookDesk } from '../runbook-desk.svelte';

	interface Props {
		desk: RunbookDesk;
		driver: Driver;
		/** What it is, to tell it from others on the page. */
		label: string;
		onchange: (driver: Driver) => void;
		onremove?: (() => void) | undefined;
	}
	let { desk, driver, label, onchange, onremove }: Props = $props();

	const accounts = $derived(desk.vocabulary.dimensions.find(({ kind }) => kind === 'account'));
	const others = $derived(desk.vocabulary.dimensions.filter(({ kind }) => kind !== 'account' && kind !== 'period'));
	const fixed = $derived(others.filter(({ id }) => driver.at[id] !== undefined));
	const free = $derived(others.filter(({ id }) => driver.at[id] === undefined));
	const parametersOf = (dimension: number) =>
		desk.draft.parameters.filter((each) => each.kind === 'member' && each.dimension === dimension).map(({ name }) => name);

	function set(dimension: number, reference: Driver['at'][number] | null) {
		const rest = Object.fromEntries(Object.entries(driver.at).filter(([of]) => Number(of) !== dimension));
		onchange({ ...driver, at: reference === null ? rest : { ...rest, [dimension]: reference } });
	}
</script>

<div class="flex flex-col gap-1">
	<div class="flex items-center gap-1.5">
		<div class="min-w-0 grow">
			<MemberSelect
				{label}
				dimension={accounts}
				leaves
				search
				value={driver.account}
				onchange={(account) => onchange({ ...driver, account: typeof account === 'number' ? account : null })}
			/>
		</div>
		{#if onremove && desk.mayWrite}<button
				class="text-grey hover:text-base-content px-1"
				aria-label="Delete {label.toLowerCase()}"
				onclick={onremove}>×</button
			>{/if}
	</div>
	{#each fixed as dimension (dimension.id)}
		{@const reference = driver.at[dimension.id]}
		<div class="flex items-center gap-1.5 pl-3 text-[13px]">
			<span class="text-grey w-28 shrink-0 truncate">in {dimension.name} at</span>
			<MemberSelect
				label="{label}: {dimension.name}"
				{dimension}
				search
				value={typeof reference === 'number' ? reference : null}
				parameter={typeof reference === 'object' ? reference.variable : undefined}
				parameters={parametersOf(dimension.id)}
				onchange={(member) => member !== null && set(dimension.id, member)}
			/>
			{#if desk.mayWrite}<button
					class="text-grey hover:text-base-content px-1"
					aria-label="{label}: read {dimension.name} where the receiver is"
					onclick={() => set(dimension.id, null)}>×</button
				>{/if}
		</div>
	{/each}
	{#if desk.mayWrite && free.length > 0}
		<select
			class="select select-xs ml-3 w-56"
			aria-label="{label}: read at a member of its own"
			value=""
			onchange={(event) => {
				const dimension = free.find(({ id }) => id === Number(event.currentTarget.value));
				event.currentTarget.value = '';
				const first = dimension?.members[0];
				if (dimension && first) set(dimension.id, first.id);
			}}
		>
			<option value="" disabled>read at one member of…</option>
			{#each free as { id, name } (id)}<option value={id}>{name}</option>{/each}
		</select>
	{/if}
</div>
