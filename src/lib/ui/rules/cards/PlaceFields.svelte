<script lang="ts">
	import { quoted, replaceSpan, type PlaceCard, type ReadCard } from '$lib/core';
	import { useCards } from './card-desk.svelte';
	import { placeInWords } from './card-words';

	interface Props {
		/** An account, and where it is read or written. */
		of: ReadCard;
		/** It is written: to members only. */
		isTarget?: boolean;
	}
	let { of, isTarget = false }: Props = $props();
	const desk = useCards();

	const written = (place: PlaceCard) => desk.text.slice(place.from, place.to);
	function write(places: readonly string[]) {
		const name = desk.text.slice(of.name.from, of.name.to);
		desk.change(replaceSpan(desk.text, of, places.length === 0 ? name : `${name}{${places.join(', ')}}`));
	}
	const set = (at: number, text: string) => write(of.places.map((each, place) => (place === at ? text : written(each))));
	function add(what: string) {
		const dimension = desk.places.find(({ id }) => String(id) === what);
		const added = dimension
			? desk.place(dimension, (dimension.members.find(({ leaf }) => leaf) ?? dimension.members[0]!).id)
			: `${desk.aLevel} - 1`;
		write([...of.places.map(written), added]);
	}
	const free = $derived(
		desk.places.filter(
			({ name, kind }) =>
				(isTarget || kind !== 'period') &&
				!of.places.some((place) =>
					place.kind === 'member' ? dimensionOf(place) === name : place.kind !== 'shift' && place.dimension === name
				)
		)
	);
	/** Whose member a place is, named in front or not. */
	function dimensionOf(place: PlaceCard): string | undefined {
		if (place.kind === 'shift') return undefined;
		return place.kind === 'member' ? (desk.member(place.name)?.dimension.name ?? place.name.dimension) : place.dimension;
	}
	const offers = $derived(isTarget ? 'Write it at one place…' : 'Read it elsewhere…');
</script>

<select
	class="select select-sm w-44"
	aria-label={isTarget ? 'Write it at one place' : 'Read it elsewhere'}
	value=""
	onchange={(event) => {
		const what = event.currentTarget.value;
		event.currentTarget.value = '';
		add(what);
	}}
>
	<option value="" disabled>{offers}</option>
	{#if !isTarget && !of.places.some((place) => place.kind === 'shift')}<option value="shift">in another period</option>{/if}
	{#each free as { id, name } (id)}<option value={String(id)}>at a member of {name}</option>{/each}
</select>
{#if of.places.length > 0}
	<ul class="flex w-full flex-col gap-1">
		{#each of.places as place, at (place.from)}
			{@const dimension = desk.dimension(dimensionOf(place))}
			<li class="flex flex-wrap items-center gap-2">
				{#if place.kind === 'shift'}
					<span class="text-soft">period:</span>
					<input
						type="number"
						class="input input-sm w-16"
						aria-label="How many periods"
						value={Math.abs(place.by)}
						min="0"
						max="1000"
						onchange={(event) => {
							const by = Math.min(1000, Math.abs(Math.round(Number(event.currentTarget.value)) || 0));
							set(at, `${quoted(place.level)} ${place.by > 0 ? '+' : '-'} ${by}`);
						}}
					/>
					<select
						class="select select-sm w-24"
						aria-label="Of which level"
						value={place.level}
						onchange={(event) => set(at, `${quoted(event.currentTarget.value)} ${place.by > 0 ? '+' : '-'} ${Math.abs(place.by)}`)}
						>{#each desk.vocabulary.levels as level (level)}<option>{level}</option>{/each}</select
					>
					<select
						class="select select-sm w-24"
						aria-label="Before or after"
						value={place.by > 0 ? '+' : '-'}
						onchange={(event) => set(at, `${quoted(place.level)} ${event.currentTarget.value} ${Math.abs(place.by)}`)}
						><option value="-">before</option><option value="+">after</option></select
					>
				{:else if dimension}
					<span class="text-soft">{dimension.name}:</span>
					<select
						class="select select-sm w-52"
						aria-label="Where in {dimension.name}"
						value={place.kind === 'member'
							? String(desk.member(place.name)?.member.id ?? '')
							: place.kind === 'parameter'
								? `$${place.parameter}`
								: place.kind}
						onchange={(event) => {
							const chosen = event.currentTarget.value;
							const front = `${quoted(dimension.name)}: `;
							set(at, /^\d+$/.test(chosen) ? desk.place(dimension, Number(chosen)) : `${front}${chosen}`);
						}}
					>
						{#if dimension.kind !== 'period' && !isTarget && !desk.isLive}
							<option value="parent">one up from here</option><option value="total">all of it</option>
						{/if}
						{#each desk.holders(dimension.id) as name (name)}<option value="${name}">${name}</option>{/each}
						{#each dimension.members.filter(({ leaf }) => leaf || !isTarget) as member (member.id)}<option value={String(member.id)}
								>{member.name}</option
							>{/each}
					</select>
				{:else}<span class="text-soft">{placeInWords(place, desk)}</span>{/if}
				<button
					class="text-grey hover:text-base-content px-1"
					aria-label={isTarget
						? `Write it wherever the scope says instead of ${placeInWords(place, desk)}`
						: `Read it here again instead of ${placeInWords(place, desk)}`}
					onclick={() => write(of.places.filter((each) => each !== place).map(written))}>×</button
				>
			</li>
		{/each}
	</ul>
{/if}
