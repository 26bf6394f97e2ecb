<script lang="ts">
	import { asTyped, typedNumber, typedPercent } from '../figures/typed';
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
	const shown = (parameter: ParameterDefinition) => {
		const answer = answers[parameter.name] ?? null;
		if (typeof answer !== 'number') return typeof answer === 'string' ? answer : '';
		return asTyped(parameter.kind === 'percent' ? Math.round(answer * 1e8) / 1e6 : answer);
	};
	function number(parameter: ParameterDefinition, text: string) {
		set(parameter.name, (parameter.kind === 'percent' ? typedPercent(text) : typedNumber(text)) ?? null);
	}
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
				value={shown(parameter)}
				oninput={(event) => set(parameter.name, event.currentTarget.value)}
			/>
		{:else}
			<input
				class="input input-sm block w-full"
				inputmode="decimal"
				aria-label={parameter.label}
				value={shown(parameter)}
				onchange={(event) => number(parameter, event.currentTarget.value)}
			/>
		{/if}
	</div>
{/each}
