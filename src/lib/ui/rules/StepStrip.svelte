<script lang="ts">
	import { dndzone, type DndEvent } from 'svelte-dnd-action';
	import type { RunbookDesk } from './runbook-desk.svelte';
	import { recordOf, stepInWords } from '$lib/core';

	let { desk }: { desk: RunbookDesk } = $props();

	/** The order while something is dragged; put into the runbook when it is dropped. */
	let dragged = $state.raw<{ id: number }[] | null>(null);
	const items = $derived(dragged ?? desk.keys.map((id) => ({ id })));
	const flipDurationMs = 120;

	function consider(event: CustomEvent<DndEvent<{ id: number }>>) {
		dragged = event.detail.items;
	}
	function finalize(event: CustomEvent<DndEvent<{ id: number }>>) {
		const keys = event.detail.items.map(({ id }) => id);
		dragged = null;
		if (keys.join() !== desk.keys.join()) desk.arrange(keys);
	}
</script>

<ol
	class="flex flex-col"
	aria-label="Steps"
	use:dndzone={{ items, flipDurationMs, dragDisabled: !desk.mayWrite, dropTargetStyle: {}, type: 'steps' }}
	onconsider={consider}
	onfinalize={finalize}
>
	{#each items as { id } (id)}
		{@const place = desk.keys.indexOf(id)}
		{@const step = desk.draft.steps[place]}
		{#if step}
			{@const findings = desk.findings.filter((finding) => finding.step === step.id)}
			{@const solvedWith = desk.solvedWith(place)}
			{@const group = step.group && step.group !== desk.draft.steps[place - 1]?.group ? step.group : ''}
			{@const errors = findings.filter(({ severity }) => severity === 'error').length}
			<!-- Drag and drop makes it reachable and moves it by keyboard; a button inside would not be dragged. -->
			<!-- svelte-ignore a11y_click_events_have_key_events, a11y_no_noninteractive_element_interactions -->
			<li
				class="step cursor-pointer outline-none"
				aria-current={place === desk.picked ? 'step' : undefined}
				aria-label="{place + 1}. {step.name}, {recordOf(step).title}{step.group ? `, of ${step.group}` : ''}{step.active
					? ''
					: ', switched off'}"
				onfocus={() => (desk.picked = place)}
				onclick={() => (desk.picked = place)}
			>
				{#if group}<p class="group text-soft text-[13px] font-semibold">{group}</p>{/if}
				<span class={['number', solvedWith.length > 0 && 'together']}>{place + 1}</span>
				<div class={['card', place === desk.picked && 'picked', !step.active && 'off']}>
					<p class="flex items-baseline gap-2">
						<strong class="min-w-0 grow font-semibold [overflow-wrap:anywhere]">{step.name}</strong>
						<span class="text-grey shrink-0 text-xs">{recordOf(step).title}</span>
					</p>
					<p class="text-soft line-clamp-2 text-[13px]">{stepInWords(step, desk.names)}</p>
					{#if solvedWith.length > 0}<p class="text-grey text-xs">
							Solved together with {solvedWith
								.filter((each) => each !== place)
								.map((each) => each + 1)
								.join(', ')}
						</p>{/if}
					{#if !step.active}<p class="text-grey text-xs">Switched off</p>
					{:else if errors > 0}<p class="text-error text-xs">{errors === 1 ? 'One thing to mend' : `${errors} things to mend`}</p>
					{:else if findings.length > 0}<p class="text-warning text-xs">Worth a look</p>{/if}
				</div>
			</li>
		{/if}
	{/each}
</ol>

<style>
	.step {
		display: grid;
		grid-template-columns: 22px minmax(0, 1fr);
		gap: 8px;
		padding-bottom: 10px;
		position: relative;
	}
	/* The line on which the steps stand. */
	.step:not(:last-child)::before {
		content: '';
		position: absolute;
		left: 10.5px;
		top: 24px;
		bottom: -2px;
		width: 1px;
		background: var(--rule);
	}
	.number {
		/* Over the line. */
		position: relative;
		display: grid;
		place-items: center;
		width: 22px;
		height: 22px;
		margin-top: 8px;
		border: 1px solid var(--rule);
		border-radius: 3px;
		background: var(--color-base-100);
		font-size: 13px;
		color: var(--soft);
	}
	/* Steps that are solved together stand on a double line. */
	.number.together {
		border-style: double;
		border-width: 3px;
	}
	.group {
		grid-column: 1 / -1;
	}
	.card {
		border: 1px solid var(--hairline);
		border-radius: 6px;
		padding: 6px 10px;
		background: var(--raised);
	}
	.card.picked {
		border-color: var(--color-primary);
		box-shadow: inset 3px 0 var(--color-primary);
	}
	.card.off {
		background: transparent;
		border-style: dashed;
	}
	.step:focus-visible .card {
		outline: 2px solid var(--color-primary);
		outline-offset: 1px;
	}
</style>
