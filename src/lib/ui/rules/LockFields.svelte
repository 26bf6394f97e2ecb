<script lang="ts">
	import type { StepDraft } from '$lib/server/runbook';
	import type { RunbookDesk } from './runbook-desk.svelte';

	let { desk, step }: { desk: RunbookDesk; step: StepDraft & { kind: 'lock' } } = $props();
</script>

<fieldset disabled={!desk.mayWrite}>
	<legend class="text-grey text-xs">On the lock board, once the run is stored</legend>
	{#each [['closed', 'close it'], ['open', 'open it']] as const as [state, words] (state)}
		<label class="mr-4 inline-flex items-center gap-1.5"
			><input
				type="radio"
				class="radio radio-xs"
				name="lock-state"
				checked={step.state === state}
				onchange={() => desk.changeStep({ state })}
			/>
			{words}</label
		>
	{/each}
	<p class="text-grey mt-1 text-xs">What it is limited to is set; whoever it runs as must be let to lock. What is set within it goes.</p>
</fieldset>
