<script lang="ts">
	import type { StepDraft } from '$lib/server/runbook';
	import type { RunbookDesk } from './runbook-desk.svelte';

	let { desk, step }: { desk: RunbookDesk; step: StepDraft & { kind: 'clear' } } = $props();

	const CLEARS = { entries: 'what was typed', loads: 'what was loaded', results: 'what runbooks computed' } as const;
</script>

<fieldset disabled={!desk.mayWrite}>
	<legend class="text-grey text-xs">Clears</legend>
	{#each Object.entries(CLEARS) as [what, words] (what)}
		<label class="mr-4 inline-flex items-center gap-1.5"
			><input
				type="checkbox"
				class="checkbox checkbox-xs"
				checked={step.what.includes(what as keyof typeof CLEARS)}
				onchange={(event) =>
					desk.changeStep({ what: event.currentTarget.checked ? [...step.what, what] : step.what.filter((each) => each !== what) })}
			/>
			{words}</label
		>
	{/each}
</fieldset>
