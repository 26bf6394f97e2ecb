<script lang="ts">
	import NumberField from '../figures/NumberField.svelte';
	import type { Answers, ParameterDefinition } from '$lib/core';
	import type { Vocabulary } from '$lib/server/engine';
	import MemberSelect from './MemberSelect.svelte';

	interface Props {
		parameters: readonly ParameterDefinition[];
		vocabulary: Vocabulary;
		answers: Answers;
		onchange: (answers: Answers) => void;
	}
	let { parameters, vocabulary, answers, onchange }: Props = $props();
	const set = (name: string, value: Answers[string]) => onchange({ ...answers, [name]: value });
</script>

{#each parameters as parameter (parameter.name)}
	{@const dimension = vocabulary.dimensions.find(({ id }) => id === parameter.dimension)}
	{@const answer = answers[parameter.name] ?? null}
	<div class="mb-1.5">
		<span class="text-grey text-xs">{parameter.label}{parameter.kind === 'percent' ? ', in %' : ''}</span>
		{#if parameter.kind === 'member'}
			<MemberSelect
				label={parameter.label}
				{dimension}
				value={typeof answer === 'number' ? answer : null}
				onchange={(value) => set(parameter.name, typeof value === 'number' ? value : null)}
			/>
		{:else if parameter.kind === 'members'}
			<select
				multiple
				class="select select-sm h-28 w-full"
				aria-label={parameter.label}
				onchange={(event) =>
					set(
						parameter.name,
						[...event.currentTarget.selectedOptions].map(({ value }) => Number(value))
					)}
			>
				{#each dimension?.members ?? [] as { id, name } (id)}<option value={id} selected={Array.isArray(answer) && answer.includes(id)}
						>{name}</option
					>{/each}
			</select>
		{:else if parameter.kind === 'text'}
			<input
				class="input input-sm block w-full"
				aria-label={parameter.label}
				value={typeof answer === 'string' ? answer : ''}
				oninput={(event) => set(parameter.name, event.currentTarget.value)}
			/>
		{:else}
			<NumberField
				class="input-sm block w-full"
				label={parameter.label}
				percent={parameter.kind === 'percent'}
				value={typeof answer === 'number' ? answer : null}
				onchange={(value) => set(parameter.name, value)}
			/>
		{/if}
	</div>
{/each}
