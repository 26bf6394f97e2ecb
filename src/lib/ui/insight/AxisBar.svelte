<script lang="ts">
	import type { FormSelector } from '$lib/core';
	import { dndzone } from 'svelte-dnd-action';
	import { tick } from 'svelte';
	import { trayDimensions, orderAxis, setSelection, type Tray } from '../form-design/edit-layout';
	import SelectionPicker from '../form-design/SelectionPicker.svelte';
	import { selectionInWords } from '$lib/core';
	import MemberPick from '../data-in/MemberPick.svelte';
	import type { ViewDesk } from './view-desk.svelte';

	interface Props {
		desk: ViewDesk;
		selectors: FormSelector[];
		/** The dimension (id) of periods. */
		periods: number;
		onchoose: (dimension: number, member: number) => void;
	}
	let { desk, selectors, periods, onchoose }: Props = $props();

	const ZONES = [
		['rows', 'Down'],
		['columns', 'Across'],
		['aside', 'At']
	] as const;
	type Zone = (typeof ZONES)[number][0];
	const base = $props.id();
	let moving = $state.raw<{ zone: Zone; items: { id: number }[] } | null>(null);
	/** The dimension whose members are being picked. */
	let open = $state<number | null>(null);
	let block = $state(0);

	const idsOf = (zone: Zone): number[] => (zone === 'aside' ? desk.aside : trayDimensions(desk.layout, zone));
	const itemsOf = (zone: Zone): { id: number }[] => (moving?.zone === zone ? moving.items : idsOf(zone).map((id) => ({ id })));
	const chosenOf = (id: number) => {
		const selector = selectors.find(({ dimension }) => dimension === id);
		const member = selector?.chosen ?? desk.layout.pinned.find(({ dimension }) => dimension === id)?.member;
		return selector?.choices.find((choice) => choice.member === member)?.name ?? desk.names.get(member ?? 0) ?? '';
	};
	const zoneOf = (id: number): Zone => ZONES.map(([zone]) => zone).find((zone) => idsOf(zone).includes(id)) ?? 'aside';
	/** The blocks of an axis that say something different about a dimension. */
	const blocksOf = (id: number) => {
		const zone = zoneOf(id);
		if (zone === 'aside') return [];
		return desk.layout[zone].flatMap((each) => {
			const part = each.kind === 'cells' && each.parts.find(({ dimension }) => dimension === id);
			return part ? [{ id: each.id, selection: part.selection }] : [];
		});
	};
	const trayFor = (zone: Zone): Tray => (zone === 'aside' ? 'selectors' : zone);

	function ondrop(zone: Zone, event: CustomEvent<{ items: { id: number }[]; info: { id: string } }>) {
		const dropped = Number(event.detail.info.id);
		const order = event.detail.items.map(({ id }) => id);
		moving = null;
		if (!order.includes(dropped)) return;
		const at = order.indexOf(dropped);
		if (!idsOf(zone).includes(dropped)) void desk.place(dropped, trayFor(zone), at).then(() => refocus(dropped));
		else if (zone !== 'aside' && order.join() !== idsOf(zone).join())
			void desk.turn((layout) => orderAxis(layout, zone, order)).then(() => refocus(dropped));
	}
	async function refocus(id: number) {
		await tick();
		document.getElementById(`${base}-chip-${id}`)?.focus();
	}
	function toggle(id: number) {
		open = open === id ? null : id;
		block = blocksOf(id)[0]?.id ?? 0;
	}
	async function move(id: number, zone: Zone) {
		await desk.place(id, trayFor(zone), idsOf(zone).length);
		await refocus(id);
	}
	async function choose(id: number, member: { id: number; name: string }) {
		desk.know([member]);
		const offered = selectors.find(({ dimension }) => dimension === id)?.choices.some((choice) => choice.member === member.id);
		if (offered) return onchoose(id, member.id);
		await desk.turn((layout) => ({
			...layout,
			pinned: layout.pinned.filter(({ dimension }) => dimension !== id),
			selectors: [
				...layout.selectors.filter(({ dimension }) => dimension !== id),
				{ dimension: id, selection: { kind: 'these', members: [member.id] }, initial: member.id }
			]
		}));
	}
</script>

<div class="relative flex flex-wrap items-center gap-x-4 gap-y-1.5" role="group" aria-label="How the figures are laid out">
	{#each ZONES as [zone, title] (zone)}
		<div class="flex items-center gap-1.5">
			<span class="text-grey text-xs font-semibold">{title}</span>
			<div
				class="border-rule flex min-h-7 min-w-16 flex-wrap items-center gap-1 rounded-md border border-dashed px-1 py-0.5"
				role="list"
				aria-label={zone === 'rows' ? 'Dimensions down' : zone === 'columns' ? 'Dimensions across' : 'Dimensions the figures are at'}
				use:dndzone={{
					items: itemsOf(zone),
					type: 'view-dimension',
					flipDurationMs: 0,
					dropTargetStyle: { outline: '1.5px dashed var(--color-secondary)' },
					zoneTabIndex: -1,
					zoneItemTabIndex: -1
				}}
				onconsider={(event) => (moving = { zone, items: event.detail.items as { id: number }[] })}
				onfinalize={(event) => ondrop(zone, event)}
			>
				{#each itemsOf(zone) as { id } (id)}
					<div role="listitem">
						<button
							id="{base}-chip-{id}"
							class={[
								'bg-raised cursor-grab rounded border px-2 py-0.5 text-[13px] whitespace-nowrap',
								open === id ? 'border-primary text-primary' : 'border-rule hover:border-mark'
							]}
							aria-expanded={open === id}
							onclick={() => toggle(id)}
							>{id === periods && zone === 'aside'
								? 'Year'
								: desk.nameOf(
										id
									)}{#if zone === 'aside' || (zone === 'columns' && selectors.some(({ dimension }) => dimension === id))}:&#32;<b
									class="font-semibold">{chosenOf(id)}</b
								>{/if}</button
						>
					</div>
				{/each}
			</div>
		</div>
	{/each}
	{#if open !== null}
		{@const id = open}
		{@const zone = zoneOf(id)}
		{@const blocks = blocksOf(id)}
		{@const selector = selectors.find(({ dimension }) => dimension === id)}
		<div
			class="bg-raised border-rule text-base-content absolute top-full left-0 z-20 mt-1 max-h-[32rem] w-96 overflow-y-auto rounded-md border p-3 text-[13px] shadow-lg"
			role="group"
			aria-label={desk.nameOf(id)}
		>
			<div class="mb-2 flex items-center gap-1.5">
				<h2 class="grow text-sm font-semibold">{desk.nameOf(id)}</h2>
				{#each ZONES.filter(([other]) => other !== zone) as [other, title] (other)}
					<button class="btn btn-xs" disabled={desk.busy} onclick={() => move(id, other)}>{other === 'aside' ? 'Take off' : title}</button>
				{/each}
				{#if zone !== 'aside' && idsOf(zone).length > 1 && idsOf(zone)[0] !== id}
					<button
						class="btn btn-xs"
						disabled={desk.busy}
						onclick={() => desk.turn((layout) => orderAxis(layout, zone, [id, ...idsOf(zone).filter((other) => other !== id)]))}
						>First</button
					>
				{/if}
				<button class="btn btn-xs" onclick={() => (open = null)}>Done</button>
			</div>
			{#if selector}
				<p class="text-grey text-xs font-semibold">Chosen</p>
				{#if selector.choices.length > 1}
					<select
						class="select select-sm mb-2 w-full"
						aria-label="Chosen in {desk.nameOf(id)}"
						value={selector.chosen}
						onchange={(event) => onchoose(id, Number(event.currentTarget.value))}
					>
						{#each selector.choices as { member, name, depth } (member)}<option value={member}>{'\u2003'.repeat(depth)}{name}</option
							>{/each}
					</select>
				{/if}
			{/if}
			{#if zone === 'aside'}
				<MemberPick dimension={id} label="Find a member of {desk.nameOf(id)}" of="all" onpick={(member) => choose(id, member)} />
			{:else}
				{#if blocks.length > 1}
					<div class="join mb-2" role="group" aria-label="Which columns">
						{#each blocks as each (each.id)}
							<button
								class={['btn btn-xs join-item max-w-40 truncate', block === each.id && 'btn-primary']}
								aria-pressed={block === each.id}
								onclick={() => (block = each.id)}>{selectionInWords(each.selection, desk.names)}</button
							>
						{/each}
					</div>
				{/if}
				{@const shown = blocks.find((each) => each.id === block) ?? blocks[0]}
				{#if shown}
					<SelectionPicker
						{desk}
						dimension={id}
						selection={shown.selection}
						road="/api/views"
						onchange={(selection) => void desk.turn((layout) => setSelection(layout, zone, shown.id, id, selection))}
					/>
				{/if}
			{/if}
		</div>
	{/if}
</div>
