<script lang="ts">
	import { originModeOf, recordOf } from '$lib/core';
	import type { StepDraft } from '$lib/server/runbook';
	import ArrowDown from '@lucide/svelte/icons/arrow-down';
	import ArrowUp from '@lucide/svelte/icons/arrow-up';
	import CopyIcon from '@lucide/svelte/icons/copy';
	import Trash from '@lucide/svelte/icons/trash-2';
	import type { RunbookDesk } from './runbook-desk.svelte';
	import SliceFields from './SliceFields.svelte';
	import { fieldsOf } from './step-fields';

	let { desk, step }: { desk: RunbookDesk; step: StepDraft } = $props();

	const findings = $derived(desk.findings.filter((finding) => finding.step === step.id));
	const Fields = $derived(fieldsOf(step.kind));
	const { unlimited } = $derived(recordOf(step));
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
	<div class="flex flex-wrap items-end gap-2">
		<label class="text-grey text-xs"
			>Group<input
				class="input input-sm text-base-content block w-56"
				list="groups-of-steps"
				placeholder="none"
				value={step.group ?? ''}
				maxlength="80"
				readonly={!desk.mayWrite}
				onchange={(event) => desk.changeStep({ group: event.currentTarget.value.trim() || undefined })}
			/></label
		>
		<datalist id="groups-of-steps"
			>{#each desk.groups as group (group)}<option value={group}></option>{/each}</datalist
		>
		{#if desk.mayWrite && step.group}
			{@const { group, active } = step}
			<button class="btn btn-ghost btn-sm" onclick={() => desk.switchGroup(group, !active)}
				>Switch all of “{group}” {active ? 'off' : 'on'}</button
			>
		{/if}
	</div>

	{#if findings.length > 0}
		<ul class="border-hairline rounded-md border px-3 py-1.5">
			{#each findings as { severity, message, line }, index (index)}
				<li class={severity === 'error' ? 'text-error' : 'text-warning'}>{line ? `Line ${line}: ` : ''}{message}</li>
			{/each}
		</ul>
	{/if}

	<Fields {desk} {step} />

	{#if unlimited !== undefined}<SliceFields
			{desk}
			slice={step.limits}
			title={originModeOf(step) ? 'Writes only in' : 'Only in'}
			whole={unlimited}
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
