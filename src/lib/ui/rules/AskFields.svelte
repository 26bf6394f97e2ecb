<script lang="ts">
	import type { Answers } from '$lib/core';
	import type { RunAsk } from '$lib/server/runbook/asks';
	import NumberField from '../figures/NumberField.svelte';

	/** What a runbook asks for before it runs, side by side. */
	let { asks, answers = $bindable() }: { asks: readonly RunAsk[]; answers: Answers } = $props();
	const set = (name: string, value: number | string | number[] | null) => (answers = { ...answers, [name]: value });
	const chosen = (name: string): string => {
		const answer = answers[name];
		return String((Array.isArray(answer) ? answer[0] : answer) ?? '');
	};
</script>

{#each asks as ask (ask.name)}
	<label class="text-grey flex flex-col text-xs"
		>{ask.label}{ask.kind === 'percent' ? ', in %' : ''}
		{#if ask.kind === 'member' || ask.kind === 'members'}
			<select
				class="select select-sm text-base-content w-52"
				aria-label={ask.label}
				value={chosen(ask.name)}
				onchange={(event) => {
					const member = Number(event.currentTarget.value);
					set(ask.name, event.currentTarget.value === '' ? null : ask.kind === 'members' ? [member] : member);
				}}
				><option value="">Choose…</option>{#each ask.options as { id, name } (id)}<option value={String(id)}>{name}</option>{/each}</select
			>
		{:else if ask.kind === 'text'}
			<input
				class="input input-sm text-base-content w-52"
				value={typeof answers[ask.name] === 'string' ? (answers[ask.name] as string) : ''}
				oninput={(event) => set(ask.name, event.currentTarget.value)}
			/>
		{:else}
			<NumberField
				class="input-sm w-28"
				label={ask.label}
				percent={ask.kind === 'percent'}
				value={typeof answers[ask.name] === 'number' ? (answers[ask.name] as number) : null}
				onchange={(value) => set(ask.name, value)}
			/>
		{/if}
	</label>
{/each}
