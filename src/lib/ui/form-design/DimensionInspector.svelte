<script lang="ts">
	import MemberPick from '../data-in/MemberPick.svelte';
	import type { DesignDesk } from './design-desk.svelte';
	import { placeDimension, toggleSelector, trayOf, type Tray } from './edit-layout';
	import SelectionPicker from './SelectionPicker.svelte';

	let { desk, dimension }: { desk: DesignDesk; dimension: number } = $props();

	const facts = $derived(desk.dimension(dimension)!);
	const tray = $derived(trayOf(desk.layout, dimension));
	const selector = $derived(desk.layout.selectors.find((each) => each.dimension === dimension));
	const pinned = $derived(desk.layout.pinned.find((each) => each.dimension === dimension));
	const variables = $derived(desk.desk.variables.filter((each) => each.dimension === dimension));
	const onAxis = $derived(tray === 'rows' || tray === 'columns');
	const TRAYS: [Tray, string][] = [
		['rows', 'Rows'],
		['columns', 'Columns'],
		['selectors', 'Selectors'],
		['pinned', 'Pinned']
	];
	const setSelector = (change: Partial<NonNullable<typeof selector>>) =>
		desk.arrange((layout) => ({
			...layout,
			selectors: layout.selectors.map((each) => (each.dimension === dimension ? { ...each, ...change } : each))
		}));
</script>

<h2 class="text-grey text-xs font-semibold">{facts.name}</h2>
<label class="mt-1 block"
	><span class="text-grey text-xs">Stands among</span>
	<select
		class="select select-sm w-full"
		value={tray ?? ''}
		onchange={(event) => {
			const to = event.currentTarget.value as Tray;
			desk.arrange((layout) => placeDimension(layout, dimension, to, 99, desk.start(dimension)));
		}}
	>
		{#if !tray}<option value="">nothing yet</option>{/if}
		{#each TRAYS as [value, name] (value)}<option {value}>{name}</option>{/each}
	</select></label
>
{#if onAxis}
	<label class="mt-2 flex items-center gap-2"
		><input
			type="checkbox"
			class="checkbox checkbox-xs"
			checked={selector !== undefined}
			onchange={() => desk.arrange((layout) => toggleSelector(layout, dimension, desk.start(dimension)))}
		/>
		The reader chooses one, and the {tray} follow</label
	>
	<p class="text-grey mt-1 text-xs">
		What stands on the {tray} is picked block by block: choose a block in the tray. With a selector, blocks may take “the one chosen”.
	</p>
{/if}
{#if selector}
	<h3 class="text-grey mt-3 text-xs font-semibold">The reader may choose from</h3>
	{#key dimension}<SelectionPicker
			{desk}
			{dimension}
			selection={selector.selection}
			onchange={(selection) => setSelector({ selection })}
		/>{/key}
	<p class="text-grey mt-3 text-xs">Chosen at first</p>
	<MemberPick
		{dimension}
		label="Chosen at first"
		of="all"
		chosen={desk.names.get(selector.initial) ?? ''}
		onpick={(member) => {
			desk.know([member]);
			setSelector({ initial: member.id, initialVariable: undefined });
		}}
	/>
	{#if variables.length > 0}
		<label class="mt-1 block"
			><span class="text-grey text-xs">or what a variable names</span>
			<select
				class="select select-sm w-full"
				value={selector.initialVariable ?? ''}
				onchange={(event) => setSelector({ initialVariable: event.currentTarget.value || undefined })}
				><option value="">the member above</option>{#each variables as { name } (name)}<option value={name}>${name}</option>{/each}</select
			></label
		>
	{/if}
	<label class="mt-2 flex items-center gap-2"
		><input
			type="checkbox"
			class="checkbox checkbox-xs"
			checked={selector.asks ?? false}
			onchange={(event) => setSelector({ asks: event.currentTarget.checked ? true : undefined })}
		/> Asks first: nothing is shown until the reader has chosen</label
	>
{/if}
{#if pinned && tray === 'pinned'}
	<p class="text-grey mt-3 text-xs">Fixed at</p>
	<MemberPick
		{dimension}
		label="Fixed at"
		of="all"
		chosen={desk.names.get(pinned.member) ?? ''}
		onpick={(member) => {
			desk.know([member]);
			desk.arrange((layout) => ({
				...layout,
				pinned: layout.pinned.map((each) => (each.dimension === dimension ? { ...each, member: member.id } : each))
			}));
		}}
	/>
{/if}
