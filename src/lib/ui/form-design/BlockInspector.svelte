<script lang="ts">
	import { blockLabels, type AxisBlock, type CellBlock, type DerivedBlock, type Derivation, type Reading } from '$lib/core';
	import type { SelectedMembers } from '$lib/server/engine';
	import { request } from '../request';
	import type { DesignDesk } from './design-desk.svelte';
	import { addBlock, changeBlock, removeBlock, setSelection, type AxisName } from './edit-layout';
	import EmphasisFields from './EmphasisFields.svelte';
	import SelectionPicker from './SelectionPicker.svelte';

	let { desk, axis, block }: { desk: DesignDesk; axis: AxisName; block: AxisBlock } = $props();

	const key = $derived(`${axis} ${block.id}`);
	/** Blocks that stand before this one: computed lines read those. */
	const before = $derived.by(() => {
		const blocks = desk.layout[axis];
		const own = blocks.findIndex(({ id }) => id === block.id);
		return blockLabels(blocks, desk.names).filter((_, index) => index < own && blocks[index]!.kind !== 'text');
	});
	const cellsBefore = $derived(before.filter(({ id }) => desk.block(axis, id)?.kind === 'cells'));
	let shownDimension = $state<number | null>(null);
	const part = $derived(
		block.kind === 'cells' ? (block.parts.find(({ dimension }) => dimension === shownDimension) ?? block.parts[0]) : undefined
	);
	let expressionFault = $state('');
	let advised = $state.raw<SelectedMembers['members']>([]);

	const set = (change: Partial<CellBlock> | Partial<DerivedBlock> | Partial<AxisBlock>, field = '') =>
		desk.arrange(
			(layout) => changeBlock(layout, axis, block.id, (each) => clean({ ...each, ...change } as AxisBlock)),
			field && `${key} ${field}`
		);
	/** What is left empty is not said. */
	const clean = (each: AxisBlock): AxisBlock =>
		Object.fromEntries(
			Object.entries(each).filter(([name, value]) => name === 'label' || (value !== undefined && value !== ''))
		) as unknown as AxisBlock;
	function setReading({ currency, rateSet }: Reading) {
		const reading = { ...(currency && { currency }), ...(rateSet !== undefined && { rateSet }) };
		set({ reading: Object.keys(reading).length > 0 ? reading : undefined } as Partial<CellBlock>);
	}
	const numberOr = (text: string): number | undefined =>
		text.trim() === '' || !Number.isFinite(Number(text)) ? undefined : Math.round(Number(text));

	function setHow(how: Derivation['how']) {
		const first = before[0]?.id ?? 0;
		const other = before[1]?.id ?? first;
		const derivation: Derivation =
			how === 'to date'
				? { how, of: cellsBefore[0]?.id ?? 0, since: 'year' }
				: how === 'expression'
					? { how, expression: { kind: 'account', member: first } }
					: { how, of: first, base: other };
		if (how === 'expression') desk.texts = { ...desk.texts, [key]: before[0] ? `"${before[0].label}"` : '' };
		const labels = { difference: 'Difference', '% difference': 'in %', share: 'Share', 'to date': 'to date', expression: 'Computed' };
		// A name somebody gave stays; one of these goes with what it was for.
		const given =
			block.kind === 'derived' && block.label !== '' && !Object.values(labels).includes(block.label) ? block.label : labels[how];
		set({ derivation, label: given } as Partial<DerivedBlock>);
	}
	async function setExpression(text: string) {
		const read = await desk.readExpression(key, text, before);
		expressionFault = typeof read === 'string' ? read : '';
		if (typeof read === 'string' || block.kind !== 'derived' || block.derivation.how !== 'expression') return;
		set({ derivation: { ...block.derivation, expression: read } } as Partial<DerivedBlock>);
	}
	/** The members whose rows may carry advice. */
	async function readAdvised() {
		if (block.kind !== 'cells') return;
		const last = block.parts.at(-1);
		if (!last) return;
		const selector = desk.layout.selectors.find(({ dimension }) => dimension === last.dimension);
		const reply = await request<SelectedMembers>('/api/form-design/select', { ...last, ...(selector && { chosen: selector.initial }) });
		if (reply.ok) advised = reply.answer.members;
	}
	const HOWS = [
		['difference', 'Difference'],
		['% difference', 'Difference in %'],
		['share', 'Share of a whole'],
		['to date', 'Running total to date'],
		['expression', 'Expression']
	] as const;
</script>

{#snippet besideField()}
	<label
		><span>Lines stand</span><select
			class="select select-sm w-full"
			value={block.beside ?? ''}
			onchange={(event) => {
				const { value } = event.currentTarget;
				set({ beside: value === '' ? undefined : Number(value) });
			}}
			><option value="">after one another</option>{#each before as { id, label } (id)}<option value={id}>each beside {label}</option
				>{/each}</select
		></label
	>
{/snippet}

<div class="flex items-center gap-1.5">
	<h2 class="text-grey grow text-xs font-semibold">
		{block.kind === 'cells' ? 'Lines' : block.kind === 'derived' ? 'Computed lines' : 'Heading'} on {axis}
	</h2>
	<button
		class="btn btn-ghost btn-xs"
		onclick={() => {
			let made = block.id;
			desk.arrange((layout) => {
				const added = addBlock(layout, axis, block.kind, block.id);
				made = added.id;
				return changeBlock(added.layout, axis, added.id, () => ({ ...block, id: added.id }));
			});
			desk.picked = { kind: 'block', axis, id: made };
		}}>Copy</button
	>
	<button
		class="btn btn-ghost btn-xs"
		onclick={() => {
			desk.arrange((layout) => removeBlock(layout, axis, block.id));
			desk.picked = { kind: 'form' };
		}}>Remove</button
	>
</div>

{#if block.kind === 'cells'}
	{#if block.parts.length > 1}
		<div class="join mt-1">
			{#each block.parts as { dimension } (dimension)}
				<button
					class={['btn btn-xs join-item', part?.dimension === dimension && 'btn-primary']}
					aria-pressed={part?.dimension === dimension}
					onclick={() => (shownDimension = dimension)}>{desk.dimension(dimension)?.name}</button
				>
			{/each}
		</div>
	{/if}
	{#if part}
		{#key `${key} ${part.dimension}`}
			<SelectionPicker
				{desk}
				dimension={part.dimension}
				selection={part.selection}
				onchange={(selection) => desk.arrange((layout) => setSelection(layout, axis, block.id, part.dimension, selection))}
			/>
		{/key}
	{:else}<p class="text-grey mt-1">Put a dimension on the {axis} first.</p>{/if}
	<h3>Shown as</h3>
	<div class="grid grid-cols-2 gap-2">
		<label class="col-span-2"
			><span>{axis === 'columns' ? 'Heading above its columns' : 'Heading'}</span><input
				class="input input-sm w-full"
				value={block.heading ?? ''}
				oninput={(event) => set({ heading: event.currentTarget.value }, 'heading')}
			/></label
		>
		<label class="col-span-2"
			><span>Name of its line, where it is just one</span><input
				class="input input-sm w-full"
				placeholder="the member’s"
				value={block.called ?? ''}
				oninput={(event) => set({ called: event.currentTarget.value } as Partial<CellBlock>, 'called')}
			/></label
		>
		<label
			><span>Names</span><select
				class="select select-sm w-full"
				value={block.names ?? 'name'}
				onchange={(event) => set({ names: event.currentTarget.value as CellBlock['names'] } as Partial<CellBlock>)}
				><option value="name">Name</option><option value="code">Code</option><option value="both">Code and name</option></select
			></label
		>
		<label
			><span>Order</span><select
				class="select select-sm w-full"
				value={block.sort ?? 'tree'}
				onchange={(event) => set({ sort: event.currentTarget.value as CellBlock['sort'] } as Partial<CellBlock>)}
				><option value="tree">As in the tree</option><option value="name">By name</option><option value="code">By code</option></select
			></label
		>
		{#if axis === 'rows'}
			<label
				><span>Levels open</span><input
					class="input input-sm w-full text-right"
					inputmode="numeric"
					value={block.openLevels ?? ''}
					placeholder="2"
					oninput={(event) => set({ openLevels: numberOr(event.currentTarget.value) } as Partial<CellBlock>, 'levels')}
				/></label
			>
		{:else}
			<label
				><span>Width, pixels</span><input
					class="input input-sm w-full text-right"
					inputmode="numeric"
					value={block.width ?? ''}
					placeholder="84"
					onchange={(event) => {
						const width = numberOr(event.currentTarget.value);
						set({ width: width === undefined ? undefined : Math.max(40, Math.min(400, width)) } as Partial<CellBlock>);
					}}
				/></label
			>
		{/if}
		<label
			><span>Decimals</span><input
				class="input input-sm w-full text-right"
				inputmode="numeric"
				value={block.decimals ?? ''}
				placeholder="as the account"
				onchange={(event) => {
					const decimals = numberOr(event.currentTarget.value);
					set({ decimals: decimals === undefined ? undefined : Math.max(0, Math.min(6, decimals)) } as Partial<CellBlock>);
				}}
			/></label
		>
	</div>
	<div class="mt-2 grid grid-cols-2 gap-2">
		<label
			><span>Totals</span><select
				class="select select-sm w-full"
				value={block.totalsAfter ? 'after' : 'before'}
				onchange={(event) => set({ totalsAfter: event.currentTarget.value === 'after' ? true : undefined } as Partial<CellBlock>)}
				><option value="before">before their parts</option><option value="after">after their parts</option></select
			></label
		>
		{@render besideField()}
	</div>
	<label class="mt-2 flex items-center gap-2"
		><input
			type="checkbox"
			class="checkbox checkbox-xs"
			checked={!block.flat}
			onchange={(event) => set({ flat: event.currentTarget.checked ? undefined : true } as Partial<CellBlock>)}
		/> Indented by the tree</label
	>
	<label class="mt-1 flex items-center gap-2"
		><input
			type="checkbox"
			class="checkbox checkbox-xs"
			checked={!block.readOnly}
			onchange={(event) => set({ readOnly: event.currentTarget.checked ? undefined : true } as Partial<CellBlock>)}
		/> Takes entries</label
	>
	<h3>Read in</h3>
	<div class="grid grid-cols-2 gap-2">
		<label
			><span>Currency</span><select
				class="select select-sm w-full"
				value={block.reading?.currency ?? ''}
				onchange={(event) => setReading({ ...block.reading, currency: event.currentTarget.value || undefined })}
				><option value="">as chosen above the form</option><option value="local">local</option
				>{#each desk.desk.currencies as currency (currency)}<option>{currency}</option>{/each}</select
			></label
		>
		<label
			><span>At the rates of</span><select
				class="select select-sm w-full"
				value={block.reading?.rateSet ?? 0}
				onchange={(event) => setReading({ ...block.reading, rateSet: Number(event.currentTarget.value) || undefined })}
				><option value={0}>the scenario’s own</option>{#each desk.desk.rateSets as { id, name } (id)}<option value={id}>{name}</option
					>{/each}</select
			></label
		>
	</div>
	{#if block.reading?.rateSet !== undefined}
		<p class="text-grey mt-1 text-xs">At other rates than the scenario’s own it is only shown; type where its own rates stand.</p>
	{/if}
	<h3>Stands out</h3>
	<EmphasisFields
		rules={block.emphasis ?? []}
		onchange={(emphasis) => set({ emphasis: emphasis.length > 0 ? emphasis : undefined } as Partial<CellBlock>)}
	/>
	{#if axis === 'rows'}
		<details class="mt-3" ontoggle={(event) => event.currentTarget.open && readAdvised()}>
			<summary class="text-grey cursor-pointer text-xs font-semibold">A word of advice beside rows</summary>
			{#each advised as member (member.id)}
				<label class="mt-1 block"
					><span>{member.name}</span><input
						class="input input-xs w-full"
						value={block.guidance?.[member.id] ?? ''}
						onchange={(event) => {
							const { value } = event.currentTarget;
							const guidance = Object.fromEntries(
								Object.entries({ ...block.guidance, [member.id]: value }).filter(([, words]) => words !== '')
							);
							set({ guidance: Object.keys(guidance).length > 0 ? guidance : undefined } as Partial<CellBlock>);
						}}
					/></label
				>
			{/each}
		</details>
	{/if}
{:else if block.kind === 'derived'}
	<div class="mt-1 grid gap-2">
		<label
			><span>Called</span><input
				class="input input-sm w-full"
				value={block.label}
				oninput={(event) => set({ label: event.currentTarget.value }, 'label')}
			/></label
		>
		<label
			><span>Computed as</span><select
				class="select select-sm w-full"
				value={block.derivation.how}
				onchange={(event) => setHow(event.currentTarget.value as Derivation['how'])}
				>{#each HOWS as [value, name] (value)}<option {value}>{name}</option>{/each}</select
			></label
		>
		{#if block.derivation.how === 'expression'}
			{@const derivation = block.derivation}
			<label
				><span>Of the blocks before it, by name</span><textarea
					class="textarea textarea-sm w-full font-mono"
					rows="2"
					value={desk.texts[key] ?? ''}
					oninput={(event) => setExpression(event.currentTarget.value)}></textarea></label
			>
			{#if expressionFault}<p class="text-error" role="alert">{expressionFault}</p>{/if}
			<p class="text-grey text-xs">Names: {before.map(({ label }) => `"${label}"`).join(', ')}</p>
			<label class="flex items-center gap-2"
				><input
					type="checkbox"
					class="checkbox checkbox-xs"
					checked={derivation.percent ?? false}
					onchange={(event) => set({ derivation: { ...derivation, percent: event.currentTarget.checked } } as Partial<DerivedBlock>)}
				/> Shown in percent</label
			>
		{:else if block.derivation.how === 'to date'}
			{@const derivation = block.derivation}
			<label
				><span>Runs up</span><select
					class="select select-sm w-full"
					value={derivation.of}
					onchange={(event) => set({ derivation: { ...derivation, of: Number(event.currentTarget.value) } } as Partial<DerivedBlock>)}
					>{#each cellsBefore as { id, label } (id)}<option value={id}>{label}</option>{/each}</select
				></label
			>
			<label
				><span>Since the start of the</span><select
					class="select select-sm w-full"
					value={derivation.since}
					onchange={(event) => set({ derivation: { ...derivation, since: event.currentTarget.value } } as Partial<DerivedBlock>)}
					>{#each desk.desk.levels as level (level)}<option>{level}</option>{/each}</select
				></label
			>
		{:else}
			{@const derivation = block.derivation}
			<label
				><span>Of</span><select
					class="select select-sm w-full"
					value={derivation.of}
					onchange={(event) => set({ derivation: { ...derivation, of: Number(event.currentTarget.value) } } as Partial<DerivedBlock>)}
					>{#each before as { id, label } (id)}<option value={id}>{label}</option>{/each}</select
				></label
			>
			<label
				><span>{derivation.how === 'share' ? 'In' : 'Against'}</span><select
					class="select select-sm w-full"
					value={derivation.base}
					onchange={(event) => set({ derivation: { ...derivation, base: Number(event.currentTarget.value) } } as Partial<DerivedBlock>)}
					>{#each before as { id, label } (id)}<option value={id}>{label}</option>{/each}</select
				></label
			>
		{/if}
		{@render besideField()}
		<label
			><span>Decimals</span><input
				class="input input-sm w-24 text-right"
				value={block.decimals ?? ''}
				onchange={(event) => set({ decimals: numberOr(event.currentTarget.value) } as Partial<DerivedBlock>)}
			/></label
		>
	</div>
	<h3>Stands out</h3>
	<EmphasisFields
		rules={block.emphasis ?? []}
		onchange={(emphasis) => set({ emphasis: emphasis.length > 0 ? emphasis : undefined } as Partial<DerivedBlock>)}
	/>
{:else}
	<label class="mt-1 block"
		><span>Text; empty for a thin line between</span><input
			class="input input-sm w-full"
			value={block.label}
			oninput={(event) => set({ label: event.currentTarget.value }, 'label')}
		/></label
	>
{/if}

<style>
	h3 {
		margin: 14px 0 4px;
		font-size: 12px;
		font-weight: 600;
		color: var(--grey);
	}
	label > span {
		display: block;
		font-size: 12px;
		color: var(--grey);
	}
</style>
