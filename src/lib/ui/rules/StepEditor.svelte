<script lang="ts">
	import type { StepDraft } from '$lib/server/runbook';
	import ArrowDown from '@lucide/svelte/icons/arrow-down';
	import ArrowUp from '@lucide/svelte/icons/arrow-up';
	import CopyIcon from '@lucide/svelte/icons/copy';
	import Trash from '@lucide/svelte/icons/trash-2';
	import CopyFields from './CopyFields.svelte';
	import ScriptCards from './cards/ScriptCards.svelte';
	import RollForwardFields from './RollForwardFields.svelte';
	import type { RunbookDesk } from './runbook-desk.svelte';
	import ScriptEditor from './ScriptEditor.svelte';
	import SliceFields from './SliceFields.svelte';

	let { desk, step }: { desk: RunbookDesk; step: StepDraft } = $props();

	const findings = $derived(desk.findings.filter((finding) => finding.step === step.id));
	const CLEARS = { entries: 'what was typed', loads: 'what was loaded', results: 'what runbooks computed' } as const;
</script>

<section class="flex min-w-0 flex-col gap-3" aria-label="Step">
	<div class="flex items-start gap-2">
		<label class="text-grey min-w-0 grow text-xs"
			>Name of the step<input
				class="input input-sm text-base-content block w-full font-semibold"
				value={step.name}
				maxlength="200"
				readonly={!desk.mayWrite}
				oninput={(event) => desk.changeStep({ name: event.currentTarget.value }, 'name')}
			/></label
		>
		{#if desk.mayWrite}
			<div class="mt-4 flex shrink-0">
				<button
					class="btn btn-ghost btn-sm btn-square"
					aria-label="Move earlier"
					title="Move earlier"
					disabled={desk.picked === 0}
					onclick={() => desk.move(-1)}><ArrowUp size={15} aria-hidden="true" /></button
				>
				<button
					class="btn btn-ghost btn-sm btn-square"
					aria-label="Move later"
					title="Move later"
					disabled={desk.picked === desk.draft.steps.length - 1}
					onclick={() => desk.move(1)}><ArrowDown size={15} aria-hidden="true" /></button
				>
				<button class="btn btn-ghost btn-sm btn-square" aria-label="Duplicate the step" title="Duplicate" onclick={() => desk.duplicate()}
					><CopyIcon size={15} aria-hidden="true" /></button
				>
				<button
					class="btn btn-ghost btn-sm btn-square"
					aria-label="Take the step away"
					title="Delete (undo brings it back)"
					onclick={() => desk.remove()}><Trash size={15} aria-hidden="true" /></button
				>
			</div>
		{/if}
	</div>
	<label class="flex items-center gap-2"
		><input
			type="checkbox"
			class="checkbox checkbox-xs"
			checked={step.active}
			disabled={!desk.mayWrite}
			onchange={(event) => desk.changeStep({ active: event.currentTarget.checked })}
		/> runs with the others</label
	>

	{#if findings.length > 0}
		<ul class="border-hairline rounded-md border px-3 py-1.5">
			{#each findings as { severity, message, line }, index (index)}
				<li class={severity === 'error' ? 'text-error' : 'text-warning'}>{line ? `Line ${line}: ` : ''}{message}</li>
			{/each}
		</ul>
	{/if}

	{#if step.kind === 'formula'}
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
		{@const Script = desk.scriptsAs === 'cards' ? ScriptCards : ScriptEditor}
		{#key desk.keys[desk.picked]}
			<Script
				text={step.text}
				label="Script of {step.name}"
				parameters={desk.draft.parameters}
				limits={step.limits}
				vocabulary={desk.vocabulary}
				readonly={!desk.mayWrite}
				onchange={(text) => desk.changeStep({ text }, desk.scriptsAs === 'text' ? 'text' : '')}
			/>
		{/key}
	{:else if step.kind === 'copy'}
		<CopyFields {desk} {step} />
	{:else if step.kind === 'roll-forward'}
		<RollForwardFields {desk} {step} />
	{:else if step.kind === 'import'}
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
			Its rows are fetched and loaded before the run computes anything, as a batch of its own. From another model, too: its import says what
			is read there and how members are matched.
		</p>
	{:else}
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
	{/if}

	{#if step.kind !== 'import'}<SliceFields
			{desk}
			slice={step.limits}
			title="Writes only in"
			whole={step.kind === 'clear' ? 'Nothing yet: a clear needs a slice' : 'Wherever it leads'}
			onchange={(limits) => desk.changeStep({ limits })}
		/>{/if}
	<label class="text-grey text-xs"
		>What it is for<textarea
			class="textarea textarea-sm text-base-content block w-full"
			rows="2"
			maxlength="4000"
			readonly={!desk.mayWrite}
			value={step.description}
			oninput={(event) => desk.changeStep({ description: event.currentTarget.value }, 'description')}></textarea></label
	>
</section>
