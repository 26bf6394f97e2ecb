<script lang="ts">
	import { isOfLevel, printSelection, quoted, unquoted, type SelectionCard } from '$lib/core';
	import MemberSelect from '../MemberSelect.svelte';
	import { useCards } from './card-desk.svelte';

	interface Props {
		label: string;
		selection: SelectionCard;
		/** The dimension it must be of, where that is said already. */
		of?: string | undefined;
		onchange: (written: string) => void;
	}
	let { label, selection, of, onchange }: Props = $props();
	const desk = useCards();

	const HOWS: Record<SelectionCard['how'], string> = {
		member: 'this one',
		leaves: 'the leaves of',
		children: 'the children of',
		under: 'this one and all beneath',
		range: 'from … to',
		level: 'every period of a level',
		first: 'the first of each',
		last: 'the last of each',
		parameter: 'what is asked'
	};
	const name = $derived(selection.dimension ?? of);
	const dimension = $derived(
		desk.dimension(name) ?? desk.member(selection)?.dimension ?? desk.places.find(({ kind }) => kind === 'period')
	);
	const isPeriod = $derived(dimension?.kind === 'period');
	const idOf = (word: string | undefined) =>
		(word === undefined ? undefined : desk.member({ dimension: dimension?.name, word })?.member.id) ?? null;
	const held = $derived(desk.holders(dimension?.id));
	const options = $derived(
		Object.entries(HOWS).filter(([how]) =>
			isOfLevel(how as SelectionCard['how']) ? isPeriod && of === undefined : how !== 'parameter' || held.length > 0
		) as [SelectionCard['how'], string][]
	);
	// Nothing that follows is lost: where … and except … are kept as they are written.
	let narrowing = $derived(selection.rest);

	// Where the dimension is said already it is not written again.
	const put = (next: Partial<SelectionCard>) =>
		onchange(printSelection({ ...selection, ...next, ...(of !== undefined && { dimension: selection.dimension }) }));
	const word = (id: number) => unquoted(desk.write(dimension, id));

	function setDimension(id: number) {
		const chosen = desk.vocabulary.dimensions.find((each) => each.id === id);
		const first = chosen?.members[0];
		if (!chosen || !first) return;
		onchange(
			printSelection({
				how: 'member',
				dimension: chosen.name,
				word: unquoted(first.written),
				last: undefined,
				ofParameter: false,
				rest: ''
			})
		);
	}
	function setHow(how: SelectionCard['how']) {
		if (isOfLevel(how))
			put({ how, word: how === 'level' ? desk.aLevel : (desk.vocabulary.levels[0] ?? desk.aLevel), ofParameter: false, last: undefined });
		else if (how === 'parameter') put({ how, word: held[0]!, ofParameter: false, last: undefined, dimension: dimension?.name });
		else {
			const isWord = idOf(selection.word) !== null && selection.how !== 'parameter' && !selection.ofParameter;
			const base = isWord ? selection.word : unquoted(dimension?.members[0]?.written ?? '');
			put({
				how,
				word: base,
				last: how === 'range' ? (selection.last ?? base) : undefined,
				ofParameter: false,
				dimension: dimension?.name
			});
		}
	}
</script>

<div class="flex flex-wrap items-end gap-2" role="group" aria-label={label}>
	{#if of === undefined}
		<label class="text-grey flex flex-col text-xs"
			>Dimension<select
				class="select select-sm text-base-content w-36"
				value={String(dimension?.id ?? '')}
				onchange={(event) => setDimension(Number(event.currentTarget.value))}
				>{#each desk.vocabulary.dimensions as each (each.id)}<option value={String(each.id)}>{each.name}</option>{/each}</select
			></label
		>
	{/if}
	<label class="text-grey flex flex-col text-xs"
		>Members<select
			class="select select-sm text-base-content w-44"
			value={selection.how}
			onchange={(event) => setHow(event.currentTarget.value as SelectionCard['how'])}
			>{#each options as [how, words] (how)}<option value={how}>{words}</option>{/each}</select
		></label
	>
	{#if isOfLevel(selection.how)}
		<select
			class="select select-sm w-32"
			aria-label="Level"
			value={selection.word}
			onchange={(event) => put({ word: event.currentTarget.value })}
			>{#each desk.vocabulary.levels as level (level)}<option>{level}</option>{/each}</select
		>
	{:else if selection.how === 'parameter' || selection.ofParameter}
		<select
			class="select select-sm w-40"
			aria-label="Asked as"
			value={selection.word}
			onchange={(event) => put({ word: event.currentTarget.value })}
			>{#each held as each (each)}<option value={each}>${each}</option>{/each}</select
		>
	{:else}
		<div class="w-52">
			<MemberSelect
				label="Member"
				{dimension}
				value={idOf(selection.word)}
				onchange={(id) => typeof id === 'number' && put({ word: word(id), dimension: dimension?.name })}
			/>
		</div>
		{#if selection.how === 'range'}
			<div class="w-52">
				<MemberSelect
					label="Last member"
					{dimension}
					value={idOf(selection.last)}
					onchange={(id) => typeof id === 'number' && put({ last: word(id) })}
				/>
			</div>
		{/if}
	{/if}
	{#if !isPeriod || selection.rest !== ''}
		<label class="text-grey flex flex-col text-xs"
			>Narrowed by (optional)<input
				class="input input-sm text-base-content w-56"
				placeholder="except {quoted('A member')}"
				bind:value={narrowing}
				onchange={() => put({ rest: narrowing.trim() })}
			/></label
		>
	{/if}
</div>
