<script lang="ts">
	import NumberField from '../figures/NumberField.svelte';
	import type { FormRuns } from './form-runs.svelte';

	let { runs }: { runs: FormRuns } = $props();
	const asking = $derived(runs.asking!);

	const set = (name: string, value: number | string | number[] | null) => (runs.answers = { ...runs.answers, [name]: value });
</script>

<form
	class="bg-base-200 border-hairline mb-2 flex flex-wrap items-end gap-3 rounded-md border px-3 py-2"
	aria-label={asking.label}
	onsubmit={(event) => {
		event.preventDefault();
		void runs.go();
	}}
>
	{#each asking.asks as ask (ask.name)}
		<label class="text-grey flex flex-col text-xs"
			>{ask.label}{ask.kind === 'percent' ? ', in %' : ''}
			{#if ask.kind === 'member' || ask.kind === 'members'}
				<select
					class="select select-sm text-base-content w-52"
					value={String((Array.isArray(runs.answers[ask.name]) ? (runs.answers[ask.name] as number[])[0] : runs.answers[ask.name]) ?? '')}
					onchange={(event) => {
						const member = Number(event.currentTarget.value);
						set(ask.name, event.currentTarget.value === '' ? null : ask.kind === 'members' ? [member] : member);
					}}
					><option value="">Choose…</option>{#each ask.options as { id, name } (id)}<option value={String(id)}>{name}</option
						>{/each}</select
				>
			{:else if ask.kind === 'text'}
				<input
					class="input input-sm text-base-content w-52"
					value={typeof runs.answers[ask.name] === 'string' ? (runs.answers[ask.name] as string) : ''}
					oninput={(event) => set(ask.name, event.currentTarget.value)}
				/>
			{:else}
				<NumberField
					class="input-sm w-28"
					label={ask.label}
					percent={ask.kind === 'percent'}
					value={typeof runs.answers[ask.name] === 'number' ? (runs.answers[ask.name] as number) : null}
					onchange={(value) => set(ask.name, value)}
				/>
			{/if}
		</label>
	{/each}
	<button class="btn btn-primary btn-sm">Run it</button>
	<button
		type="button"
		class="btn btn-sm"
		title="Shows what it would leave, with what you have typed; nothing is written"
		onclick={() => void runs.go(true)}>Try it</button
	>
	<button type="button" class="btn btn-ghost btn-sm" onclick={() => (runs.asking = null)}>Leave it</button>
</form>
