<script lang="ts">
	import type { StepDraft } from '$lib/server/runbook';
	import type { RunbookDesk } from './runbook-desk.svelte';

	let { desk, step }: { desk: RunbookDesk; step: StepDraft & { kind: 'import' } } = $props();
</script>

<label class="text-grey flex flex-col text-xs"
	>Fetches and loads<select
		class="select select-sm text-base-content w-72"
		value={String(step.import ?? '')}
		disabled={!desk.mayWrite}
		onchange={(event) => desk.changeStep({ import: event.currentTarget.value === '' ? null : Number(event.currentTarget.value) })}
		><option value="">Choose an import…</option>{#each desk.imports as { id, name } (id)}<option value={String(id)}>{name}</option
			>{/each}</select
	></label
>
<p class="text-soft text-[13px]">
	Its rows are fetched and loaded before the run computes anything, as a batch of its own. From another model, too: its import says what is
	read there and how members are matched.
</p>
