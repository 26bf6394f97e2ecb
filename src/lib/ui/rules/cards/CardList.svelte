<script lang="ts">
	import {
		addSelection,
		dissolveScope,
		insertStatement,
		quoted,
		removeSelection,
		removeStatement,
		replaceSpan,
		swapStatements,
		type Card
	} from '$lib/core';
	import ArrowDown from '@lucide/svelte/icons/arrow-down';
	import ArrowUp from '@lucide/svelte/icons/arrow-up';
	import X from '@lucide/svelte/icons/x';
	import MemberSelect from '../MemberSelect.svelte';
	import { partAt, useCards } from './card-desk.svelte';
	import CardList from './CardList.svelte';
	import { placeInWords, selectionInCards } from './card-words';
	import PartTools from './PartTools.svelte';
	import PartView from './PartView.svelte';
	import PlaceFields from './PlaceFields.svelte';
	import SelectionFields from './SelectionFields.svelte';

	interface Props {
		cards: readonly Card[];
		/** Where the list begins when it has no card yet, and the path of its cards. */
		before: number;
		path: string;
		label: string;
	}
	let { cards, before, path, label }: Props = $props();
	const desk = useCards();

	const statements: Record<string, () => string> = {
		Assignment: () => `${desk.anAccount} = ${desk.anAccount}{${quoted(desk.aLevel)} - 1}`,
		'Only for…': () => {
			const [first] = desk.places;
			return `within ${quoted(first!.name)}: ${first!.members[0]!.written}\nend`;
		},
		'Named part': () => `let part${desk.text.length} = 0`,
		Comment: () => '-- What this is for'
	};
	function add(kind: string) {
		desk.change(insertStatement(desk.text, cards.at(-1), before, statements[kind]!()));
		desk.picked = null;
	}
	const named: Record<Card['kind'], string> = { comment: 'comment', scope: 'scope', let: 'named part', assignment: 'assignment' };
	/** Faults of the card itself; those of cards inside a scope are shown there. */
	const faultsOf = (card: Card) =>
		card.kind === 'scope' ? desk.faultsIn({ from: card.from, to: card.selections.at(-1)!.to }) : desk.faultsIn(card);
	const pickedIn = (card: Card, own: string) => {
		if ((card.kind !== 'assignment' && card.kind !== 'let') || !desk.picked?.startsWith(`${own}.value`)) return undefined;
		return partAt(card.value, desk.picked.slice(`${own}.value`.length));
	};
</script>

{#snippet tools(card: Card, at: number)}
	{#if !desk.readonly}
		<span class="ml-auto flex shrink-0">
			<button
				class="btn btn-ghost btn-xs btn-square"
				aria-label="Move the {named[card.kind]} up"
				disabled={at === 0}
				onclick={() => desk.change(swapStatements(desk.text, cards[at - 1]!, card))}><ArrowUp size={13} aria-hidden="true" /></button
			>
			<button
				class="btn btn-ghost btn-xs btn-square"
				aria-label="Move the {named[card.kind]} down"
				disabled={at === cards.length - 1}
				onclick={() => desk.change(swapStatements(desk.text, card, cards[at + 1]!))}><ArrowDown size={13} aria-hidden="true" /></button
			>
			<button
				class="btn btn-ghost btn-xs btn-square"
				aria-label="Take the {named[card.kind]} away"
				onclick={() => {
					desk.picked = null;
					desk.change(removeStatement(desk.text, card));
				}}><X size={13} aria-hidden="true" /></button
			>
		</span>
	{/if}
{/snippet}
{#snippet faults(card: Card)}
	{#each faultsOf(card) as fault, place (place)}<p class="text-error pb-1.5 text-[13px]">{fault.message}</p>{/each}
{/snippet}
{#snippet notes(of: readonly string[])}
	{#each of as note, place (place)}<p class="text-grey text-xs italic">{note}</p>{/each}
{/snippet}

<ol class="flex flex-col gap-2" aria-label={label}>
	{#each cards as card, at (at)}
		{@const own = `${path}/${at}`}
		{@const picked = pickedIn(card, own)}
		<li
			class={[
				'rounded-md border',
				card.kind === 'comment' ? 'border-transparent' : 'border-rule bg-base-100',
				card.kind === 'scope' && 'scope'
			]}
		>
			{#if card.kind === 'comment'}
				<div class="flex items-center gap-1 px-2">
					<span class="text-grey" aria-hidden="true">–</span>
					<input
						class="text-grey min-w-0 grow bg-transparent text-[13px] italic"
						aria-label="Comment"
						readonly={desk.readonly}
						value={card.text}
						onchange={(event) => desk.change(replaceSpan(desk.text, card, `-- ${event.currentTarget.value.replaceAll('\n', ' ').trim()}`))}
					/>
					{@render tools(card, at)}
				</div>
			{:else if card.kind === 'scope'}
				<div class="flex items-start gap-1 px-2.5 pt-1.5">
					<div class="flex min-w-0 grow flex-wrap items-center gap-1.5">
						<span class="text-grey text-xs">Only for</span>
						{#each card.selections as selection, place (selection.from)}
							{@const chosen = `${own}.only${place}`}
							<span class={['border-rule flex items-center rounded-md border', desk.picked === chosen && 'border-primary']}>
								<button
									class="px-2 py-0.5 text-left"
									aria-expanded={desk.picked === chosen}
									disabled={desk.readonly}
									onclick={() => (desk.picked = desk.picked === chosen ? null : chosen)}
									>{#if selection.dimension}<span class="text-grey text-xs">{`${selection.dimension} `}</span>{/if}<strong
										class="font-semibold">{selectionInCards(selection, desk)}</strong
									></button
								>
								{#if card.selections.length > 1 && !desk.readonly}<button
										class="text-grey hover:text-base-content px-1.5"
										aria-label="Take {selectionInCards(selection, desk)} out"
										onclick={() => {
											desk.picked = null;
											desk.change(removeSelection(desk.text, card.selections, place));
										}}>×</button
									>{/if}
							</span>
						{/each}
						{#if !desk.readonly}
							<select
								class="select select-xs w-36"
								aria-label="Narrow to a dimension"
								value=""
								onchange={(event) => {
									const dimension = desk.vocabulary.dimensions.find(({ id }) => String(id) === event.currentTarget.value)!;
									event.currentTarget.value = '';
									desk.change(addSelection(desk.text, card.selections, desk.place(dimension, dimension.members[0]!.id)));
									desk.picked = `${own}.only${card.selections.length}`;
								}}
							>
								<option value="" disabled>and only for…</option>
								{#each desk.vocabulary.dimensions as { id, name } (id)}<option value={String(id)}>{name}</option>{/each}
							</select>
							<button class="text-grey text-xs underline" onclick={() => desk.change(dissolveScope(desk.text, card))}>For everything</button
							>
						{/if}
					</div>
					{@render tools(card, at)}
				</div>
				{#each card.selections as selection, place (place)}
					{#if desk.picked === `${own}.only${place}`}
						<div class="border-hairline bg-base-200 mx-2.5 mt-1.5 rounded-md border p-2">
							<SelectionFields label="Only for" {selection} onchange={(text) => desk.change(replaceSpan(desk.text, selection, text))} />
						</div>
					{/if}
				{/each}
				<div class="px-2.5">{@render notes(card.notes)}{@render faults(card)}</div>
				<div class="p-2.5 pt-2">
					<CardList
						cards={card.cards}
						before={card.inside}
						path={own}
						label="Inside {card.selections.map((each) => selectionInCards(each, desk)).join(', ')}"
					/>
				</div>
			{:else}
				<div class="flex items-start gap-1 px-2.5 py-1.5">
					<div class="flex min-w-0 grow flex-wrap items-center gap-1.5">
						{#if card.kind === 'let'}
							<span class="text-grey text-xs">Call</span>
							<input
								class="input input-sm w-32 font-semibold"
								aria-label="Name of the part"
								readonly={desk.readonly}
								value={card.name}
								onchange={(event) => {
									const name = event.currentTarget.value.trim().replaceAll(/[^\p{L}\p{N}_]+/gu, '_');
									if (/^[\p{L}_]/u.test(name)) desk.change(replaceSpan(desk.text, card.at, name));
									else event.currentTarget.value = card.name;
								}}
							/>
						{:else}
							<div class="w-56">
								<MemberSelect
									label="Account that is written"
									dimension={desk.accounts}
									leaves
									value={desk.member(card.target.name)?.member.id ?? null}
									also={desk.isLive ? undefined : { words: 'Every account of the scope', isChosen: desk.isValue(card.target.name) }}
									onalso={() => desk.change(replaceSpan(desk.text, card.target.name, 'value'))}
									onchange={(id) =>
										typeof id === 'number' && desk.change(replaceSpan(desk.text, card.target.name, desk.write(desk.accounts, id)))}
								/>
							</div>
							{#if !desk.isValue(card.target.name) && !desk.member(card.target.name)?.member.leaf}<span class="text-grey text-xs"
									>{desk.shown(card.target.name)}</span
								>{/if}
							{@const places = card.target.places.map((place) => placeInWords(place, desk)).join(', ')}
							{#if places !== '' || !desk.readonly}
								<button
									class={['text-grey border-b-2 px-0.5 text-xs', desk.picked === `${own}.target` ? 'border-primary' : 'border-transparent']}
									aria-label={places === '' ? 'Written wherever the scope says; write it at one place' : `Written at ${places}`}
									aria-expanded={desk.picked === `${own}.target`}
									disabled={desk.readonly}
									onclick={() => (desk.picked = desk.picked === `${own}.target` ? null : `${own}.target`)}
									>{places === '' ? 'at…' : `at ${places}`}</button
								>
							{/if}
						{/if}
						<span class="text-soft px-0.5">=</span>
						<PartView part={card.value} path="{own}.value" />
					</div>
					{@render tools(card, at)}
				</div>
				{#if card.kind === 'assignment' && !(desk.readonly && !card.everywhere)}
					<label class="text-soft flex items-center gap-1.5 px-2.5 pb-1.5 text-[13px]"
						><input
							type="checkbox"
							class="checkbox checkbox-xs"
							disabled={desk.readonly}
							checked={card.everywhere !== undefined}
							onchange={(event) => {
								const end = { from: card.value.to, to: card.everywhere?.to ?? card.value.to };
								desk.change(
									event.currentTarget.checked ? replaceSpan(desk.text, end, ' everywhere') : replaceSpan(desk.text, card.everywhere!, '')
								);
							}}
						/> everywhere in the scope, not only where there are figures</label
					>
				{/if}
				{#if card.kind === 'assignment' && desk.picked === `${own}.target`}
					<div class="mx-2.5 mb-2">
						<div
							class="border-hairline bg-base-200 flex flex-wrap items-center gap-2 rounded-md border p-2"
							role="group"
							aria-label="Where it is written"
						>
							<PlaceFields of={card.target} isTarget />
							<button class="btn btn-xs ml-auto" onclick={() => (desk.picked = null)}>Done</button>
						</div>
					</div>
				{/if}
				{#if picked}<div class="px-2.5 pb-2"><PartTools part={picked.part} around={picked.around} path={desk.picked!} /></div>{/if}
				<div class="px-2.5">{@render notes(card.notes)}{@render faults(card)}</div>
			{/if}
		</li>
	{/each}
	{#if !desk.readonly}
		<li>
			<div class="flex flex-wrap gap-1" role="group" aria-label="Add to {label}">
				{#each Object.keys(statements) as kind (kind)}<button class="btn btn-xs" onclick={() => add(kind)}>+ {kind}</button>{/each}
			</div>
		</li>
	{/if}
</ol>

<style>
	.scope {
		border-left: 3px solid var(--color-secondary);
	}
</style>
