<script lang="ts">
	import type { AccessNames, ModelGrants } from '$lib/server/access';
	import type { AccessDesk } from './access-desk.svelte';
	import AttributeGrants from './AttributeGrants.svelte';
	import GrantList from './GrantList.svelte';
	import GrantMatrix from './GrantMatrix.svelte';
	import GrantSheet from './GrantSheet.svelte';

	interface Props {
		desk: AccessDesk;
		grants: ModelGrants;
		names: AccessNames;
		model: number;
		mayWrite: boolean;
	}
	let { desk, grants, names, model, mayWrite }: Props = $props();
	const guarded = $derived(grants.dimensions.filter((dimension) => dimension.guarded));

	async function guard(id: number, on: boolean) {
		const before = guarded.map((each) => each.id).sort((one, other) => one - other);
		const after = (on ? [...before, id] : before.filter((each) => each !== id)).sort((one, other) => one - other);
		await desk.change(
			'guarded',
			model,
			{ before: { dimensions: before }, after: { dimensions: after } },
			on ? 'Guarded: who has no grant there reads nothing of it.' : 'Not guarded any more: it is read by whoever opens forms.'
		);
	}
</script>

<div class="min-h-0 grow overflow-auto">
	<fieldset class="mb-3 flex flex-wrap items-baseline gap-x-4 gap-y-1" disabled={!mayWrite || desk.busy}>
		<legend class="text-grey float-left mr-3 text-xs">Reading is guarded on</legend>
		{#each grants.dimensions as { id, name, guarded: on } (id)}
			<label class="flex items-center gap-1.5 text-[13.5px]"
				><input
					type="checkbox"
					class="checkbox checkbox-xs"
					checked={on}
					onchange={(event) => guard(id, event.currentTarget.checked)}
				/>{name}</label
			>
		{/each}
	</fieldset>
	<p class="text-soft mb-3 max-w-2xl text-[13px]">
		{guarded.length === 0
			? 'Nothing is guarded: whoever opens forms reads all of this model, and grants say where people write.'
			: `Whoever has no grant for a part of ${guarded.map(({ name }) => name).join(' and ')} reads nothing of it.`}
	</p>
	<GrantMatrix {desk} {grants} {mayWrite} />
	<AttributeGrants {desk} {grants} {mayWrite} />
	<GrantList {desk} {grants} {names} {mayWrite} />
	<GrantSheet {desk} {mayWrite} />
</div>
