<script lang="ts">
	import Play from '@lucide/svelte/icons/play';
	import type { FormRuns } from './form-runs.svelte';
	import type { FormSession } from './form-session.svelte';
	import RunQuestions from './RunQuestions.svelte';

	/** The runbooks of a form: their buttons, what they ask, and what is tried. */
	let { runs, session }: { runs: FormRuns; session: FormSession } = $props();
</script>

{#if runs.buttons.length > 0}
	<div class="flex flex-wrap gap-1.5" role="group" aria-label="Runbooks of this form">
		{#each runs.buttons as run (run.runbook)}
			<button class="btn btn-sm" disabled={runs.running} title={run.description} onclick={() => runs.press(run)}
				><Play size={13} aria-hidden="true" />
				{run.label}</button
			>
			{#if run.asks.length === 0}
				<button
					class="btn btn-ghost btn-sm -ml-1"
					disabled={runs.running}
					aria-label="Try {run.label}"
					title="Shows what it would leave, with what you have typed; nothing is written"
					onclick={() => runs.press(run, true)}>Try</button
				>
			{/if}
		{/each}
	</div>
{/if}
{#if session.form.trial !== null}
	<p class="bg-base-200 border-hairline flex w-full flex-wrap items-center gap-2 rounded-md border px-3 py-1.5" role="status">
		<span
			>Figures in <em class="text-secondary">italics</em> are as “{session.form.trial.name}” would leave them. Nothing is written.
			{#if session.form.trial.isBehind}Something was typed or saved since: try it again to see that too.{/if}</span
		>
		{#if runs.mayRunTried}<button class="btn btn-xs" disabled={runs.running} onclick={() => void runs.runTried()}
				>{session.form.draftHere > 0 ? 'Save and run it' : 'Run it'}</button
			>{/if}
		<button class="btn btn-xs" disabled={runs.running} onclick={() => void runs.endTrial()}>Stop trying it</button>
	</p>
{/if}
{#if runs.asking}
	<div class="w-full"><RunQuestions {runs} /></div>
{/if}
