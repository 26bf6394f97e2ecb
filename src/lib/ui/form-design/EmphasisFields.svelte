<script lang="ts">
	import NumberField from '../figures/NumberField.svelte';
	import type { Emphasis } from '$lib/core';

	let { rules, onchange }: { rules: readonly Emphasis[]; onchange: (rules: Emphasis[]) => void } = $props();
	const set = (index: number, change: Partial<Emphasis>) =>
		onchange(rules.map((rule, at) => (at === index ? { ...rule, ...change } : rule)));
</script>

{#each rules as rule, index (index)}
	<div class="mb-1 flex items-center gap-1">
		<select
			class="select select-xs w-21"
			aria-label="How figures stand out"
			value={rule.look}
			onchange={(event) => set(index, { look: event.currentTarget.value as Emphasis['look'] })}
		>
			<option value="strong">strong</option>
			<option value="good">as good</option>
			<option value="bad">as bad</option>
			<option value="quiet">quiet</option>
		</select>
		<select
			class="select select-xs w-20"
			aria-label="Above or below"
			value={rule.when}
			onchange={(event) => set(index, { when: event.currentTarget.value as Emphasis['when'] })}
		>
			<option value="above">above</option>
			<option value="below">below</option>
		</select>
		<NumberField
			class="input-xs w-20 text-right"
			label="Threshold"
			value={rule.value}
			onchange={(value) => value !== null && set(index, { value })}
		/>
		<button class="text-grey" aria-label="Take the rule away" onclick={() => onchange(rules.filter((_, at) => at !== index))}>×</button>
	</div>
{/each}
<button class="btn btn-xs" onclick={() => onchange([...rules, { when: 'below', value: 0, look: 'bad' }])}>Make figures stand out</button>
