<script lang="ts">
	import type { StepDraft } from '$lib/server/runbook';
	import type { RunbookDesk } from './runbook-desk.svelte';

	let { desk, step }: { desk: RunbookDesk; step: StepDraft & { kind: 'snapshot' } } = $props();
</script>

<fieldset disabled={!desk.mayWrite}>
	<label class="text-grey grid w-80 gap-0.5 text-xs"
		>Called<input
			class="input input-sm text-base-content"
			maxlength="60"
			value={step.called}
			oninput={(event) => desk.changeStep({ called: event.currentTarget.value })}
		/></label
	>
	<p class="text-grey mt-1 text-xs">
		What it is limited to is taken once the run is stored, of the branch where it runs in one. A name that is had gets a number.
	</p>
</fieldset>
