<script lang="ts">
	import AskFields from '../rules/AskFields.svelte';
	import type { FormRuns } from './form-runs.svelte';

	let { runs }: { runs: FormRuns } = $props();
	const asking = $derived(runs.asking!);
</script>

<form
	class="bg-base-200 border-hairline mb-2 flex flex-wrap items-end gap-3 rounded-md border px-3 py-2"
	aria-label={asking.label}
	onsubmit={(event) => {
		event.preventDefault();
		void runs.go();
	}}
>
	<AskFields asks={asking.asks} bind:answers={runs.answers} />
	<button class="btn btn-primary btn-sm">Run it</button>
	<button
		type="button"
		class="btn btn-sm"
		title="Shows what it would leave, with what you have typed; nothing is written"
		onclick={() => void runs.go(true)}>Try it</button
	>
	<button type="button" class="btn btn-ghost btn-sm" onclick={() => (runs.asking = null)}>Leave it</button>
</form>
