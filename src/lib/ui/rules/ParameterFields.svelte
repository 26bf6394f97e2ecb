<script lang="ts">
	import type { ParameterDefinition } from '$lib/core';
	import ScheduleFields from '../schedule/ScheduleFields.svelte';
	import type { RunbookDesk } from './runbook-desk.svelte';

	let { desk, locale }: { desk: RunbookDesk; locale: string } = $props();

	const KINDS = { member: 'one member', members: 'several members', number: 'number', percent: 'percent', text: 'text' } as const;
	function set(at: number, next: Partial<ParameterDefinition>, field = '') {
		desk.change(
			{ parameters: desk.draft.parameters.map((each, index) => (index === at ? { ...each, ...next } : each)) },
			field && `parameter ${at} ${field}`
		);
	}
	function add() {
		const taken = new Set(desk.draft.parameters.map(({ name }) => name));
		let name = 'choice';
		for (let number = 2; taken.has(name); number++) name = `choice${number}`;
		desk.change({
			parameters: [...desk.draft.parameters, { name, label: 'Choice', kind: 'number', dimension: null, choices: null, initial: null }]
		});
	}
</script>

<section aria-label="What a run asks for">
	<h2 class="text-grey mb-1 text-[13px] font-semibold">What a run asks for</h2>
	{#each desk.draft.parameters as parameter, at (at)}
		<div class="border-hairline mb-2 grid grid-cols-2 gap-1.5 border-b pb-2">
			<label class="text-grey text-xs"
				>Called<input
					class="input input-xs text-base-content block w-full"
					value={parameter.label}
					readonly={!desk.mayWrite}
					oninput={(event) => set(at, { label: event.currentTarget.value }, 'label')}
				/></label
			>
			<label class="text-grey text-xs"
				>In scripts $<input
					class="input input-xs text-base-content block w-full font-mono"
					value={parameter.name}
					readonly={!desk.mayWrite}
					onchange={(event) => {
						const name = event.currentTarget.value.replaceAll(/[^\p{L}\p{N}_]/gu, '').replace(/^\d+/, '');
						if (name !== '' && !desk.draft.parameters.some((each, index) => index !== at && each.name === name)) set(at, { name });
						event.currentTarget.value = desk.draft.parameters[at]!.name;
					}}
				/></label
			>
			<select
				class="select select-xs"
				aria-label="Kind of {parameter.label}"
				value={parameter.kind}
				disabled={!desk.mayWrite}
				onchange={(event) => {
					const kind = event.currentTarget.value as ParameterDefinition['kind'];
					const isMember = kind === 'member' || kind === 'members';
					set(at, { kind, initial: null, dimension: isMember ? (parameter.dimension ?? desk.vocabulary.dimensions[0]!.id) : null });
				}}
				>{#each Object.entries(KINDS) as [kind, words] (kind)}<option value={kind}>{words}</option>{/each}</select
			>
			{#if parameter.kind === 'member' || parameter.kind === 'members'}
				<select
					class="select select-xs"
					aria-label="Dimension of {parameter.label}"
					value={parameter.dimension}
					disabled={!desk.mayWrite}
					onchange={(event) => set(at, { dimension: Number(event.currentTarget.value), initial: null })}
					>{#each desk.vocabulary.dimensions as { id, name } (id)}<option value={id}>{name}</option>{/each}</select
				>
			{/if}
			{#if desk.mayWrite}<button
					class="text-grey hover:text-base-content justify-self-start text-xs underline"
					onclick={() => desk.change({ parameters: desk.draft.parameters.toSpliced(at, 1) })}>Delete</button
				>{/if}
		</div>
	{:else}
		<p class="text-soft mb-1 text-[13px]">Nothing. A script may name what is asked here with a $.</p>
	{/each}
	{#if desk.mayWrite}<button class="btn btn-xs" onclick={add}>Ask for something</button>{/if}

	<h2 class="text-grey mt-4 mb-1 text-[13px] font-semibold">How it writes</h2>
	<label class="text-grey flex flex-col text-xs"
		>Cells that may not be written<select
			class="select select-xs text-base-content w-full"
			value={desk.draft.onRefused}
			disabled={!desk.mayWrite}
			onchange={(event) => desk.change({ onRefused: event.currentTarget.value as 'skip' | 'stop' })}
			><option value="skip">are left out and listed</option><option value="stop">stop the run</option></select
		></label
	>
	<label class="text-grey mt-1.5 flex flex-col text-xs"
		>While another run is under way<select
			class="select select-xs text-base-content w-full"
			value={desk.draft.whenBusy}
			disabled={!desk.mayWrite}
			onchange={(event) => desk.change({ whenBusy: event.currentTarget.value as 'wait' | 'refuse' })}
			><option value="wait">it waits</option><option value="refuse">it is refused</option></select
		></label
	>
	<label class="text-grey mt-1.5 flex flex-col text-xs"
		>With the rights of<select
			class="select select-xs text-base-content w-full"
			value={desk.draft.runsAs === null ? '' : String(desk.draft.runsAs)}
			disabled={!desk.mayWrite}
			onchange={(event) => desk.change({ runsAs: event.currentTarget.value === '' ? null : Number(event.currentTarget.value) })}
			><option value="">whoever runs it</option>{#each desk.people as { id, name } (id)}<option value={String(id)}>{name}</option
				>{/each}</select
		></label
	>

	<h2 class="text-grey mt-4 mb-1 text-[13px] font-semibold">By itself</h2>
	{#if desk.mayWrite}
		{#if desk.draft.parameters.length > 0}<p class="text-soft mb-1 text-[13px]">With the answers that stand under Run now.</p>{/if}
		<ScheduleFields schedule={desk.schedule} {locale} onset={(schedule) => desk.setSchedule(schedule)} />
	{:else}<p class="text-soft text-[13px]">
			{desk.schedule?.active ? `Next: ${desk.schedule.next[0]}` : 'It runs when somebody starts it.'}
		</p>{/if}
</section>
