<script lang="ts">
	import { asTyped, typedNumber, typedPercent } from '../figures/typed';
	import type { RunOfForm } from '$lib/server/form';
	import type { FormRuns } from './form-runs.svelte';

	let { runs }: { runs: FormRuns } = $props();
	const asking = $derived(runs.asking!);
	type Ask = RunOfForm['asks'][number];

	const set = (name: string, value: number | string | number[] | null) => (runs.answers = { ...runs.answers, [name]: value });
	const shown = ({ name, kind }: Ask): string => {
		const answer = runs.answers[name] ?? null;
		if (typeof answer === 'number') return asTyped(kind === 'percent' ? Math.round(answer * 1e8) / 1e6 : answer);
		return typeof answer === 'string' ? answer : '';
	};
	function setNumber({ name, kind }: Ask, text: string) {
		set(name, (kind === 'percent' ? typedPercent(text) : typedNumber(text)) ?? null);
	}
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
					value={shown(ask)}
					oninput={(event) => set(ask.name, event.currentTarget.value)}
				/>
			{:else}
				<input
					class="input input-sm text-base-content w-28"
					inputmode="decimal"
					value={shown(ask)}
					onchange={(event) => setNumber(ask, event.currentTarget.value)}
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
