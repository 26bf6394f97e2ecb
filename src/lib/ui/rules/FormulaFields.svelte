<script lang="ts">
	import type { StepDraft } from '$lib/server/runbook';
	import type { RunbookDesk } from './runbook-desk.svelte';
	import ScriptText from './ScriptText.svelte';

	let { desk, step }: { desk: RunbookDesk; step: StepDraft & { kind: 'formula' } } = $props();
</script>

<div class="flex text-[13px]" role="radiogroup" aria-label="Shown as">
	{#each [['text', 'Text'], ['cards', 'Cards']] as const as [form, words] (form)}
		<button
			role="radio"
			aria-checked={desk.scriptsAs === form}
			class={['border-b-2 px-2 pb-0.5', desk.scriptsAs === form ? 'border-primary font-semibold' : 'text-soft border-transparent']}
			onclick={() => (desk.scriptsAs = form)}>{words}</button
		>
	{/each}
</div>
{#key desk.keys[desk.picked]}
	<ScriptText
		shownAs={desk.scriptsAs}
		text={step.text}
		label="Script of {step.name}"
		parameters={desk.draft.parameters}
		limits={step.limits}
		vocabulary={desk.vocabulary}
		readonly={!desk.mayWrite}
		onchange={(text) => desk.changeStep({ text }, desk.scriptsAs === 'text' ? 'text' : '')}
	/>
{/key}
