<script lang="ts">
	import type { PresetUse } from '$lib/server/runbook';
	import type { RunbookDesk } from '../runbook-desk.svelte';

	let { desk }: { desk: RunbookDesk } = $props();

	let name = $state('');
	let isNaming = $state(false);
	/** The steps that would change with the preset; null while nobody asked. */
	let uses = $state.raw<PresetUse[] | null>(null);
	const preset = $derived(desk.presets.followed);
	const says = (own: readonly string[]) => (own.length === 0 ? '' : `, but for ${own.join(', ')}`);

	async function keep() {
		if (name.trim() === '' || !(await desk.presets.save(name.trim(), null))) return;
		name = '';
		isNaming = false;
	}
	async function look() {
		uses = preset ? ((await desk.presets.uses(preset.id)) ?? null) : null;
	}
	async function change() {
		if (preset && (await desk.presets.save(preset.name, preset.id))) uses = null;
	}
	async function remove() {
		if (preset && confirm(`Take the preset “${preset.name}” away? Steps that follow it keep what they have.`))
			await desk.presets.delete(preset.id);
	}
</script>

<div class="flex flex-wrap items-end gap-2">
	<label class="text-grey flex flex-col text-xs"
		>Preset<select
			class="select select-sm text-base-content w-52"
			value={preset ? String(preset.id) : ''}
			disabled={!desk.mayWrite}
			onchange={(event) => {
				uses = null;
				desk.presets.follow(event.currentTarget.value === '' ? null : Number(event.currentTarget.value));
			}}
			><option value="">none: settings of its own</option>{#each desk.presets.all as { id, name: own } (id)}<option value={String(id)}
					>{own}</option
				>{/each}</select
		></label
	>
	{#if desk.mayWrite}
		{#if preset}
			<button class="btn btn-ghost btn-sm" onclick={look}>Change it to these…</button>
			<button class="btn btn-ghost btn-sm" onclick={remove}>Delete it</button>
		{:else if isNaming}
			<label class="text-grey flex flex-col text-xs"
				>Name of the preset<input
					class="input input-sm text-base-content w-44"
					maxlength="200"
					bind:value={name}
					onkeydown={(event) => event.key === 'Enter' && keep()}
				/></label
			>
			<button class="btn btn-sm" disabled={name.trim() === ''} onclick={keep}>Keep it</button>
		{:else}<button class="btn btn-ghost btn-sm" onclick={() => (isNaming = true)}>Keep these settings as a preset…</button>{/if}
	{/if}
</div>
{#if uses}
	<div class="border-hairline rounded-md border px-3 py-1.5 text-[13px]" role="status" aria-label="Steps that follow the preset">
		<p>{uses.length === 1 ? 'One step follows' : `${uses.length} steps follow`} it and would change:</p>
		<ul>
			{#each uses as { name: runbook, step, own }, index (index)}<li class="text-soft">{runbook}: {step}{says(own)}</li>{/each}
		</ul>
		<div class="mt-1 flex gap-2">
			<button class="btn btn-primary btn-sm" onclick={change}>Change all of them</button>
			<button class="btn btn-ghost btn-sm" onclick={() => (uses = null)}>Leave it</button>
		</div>
	</div>
{/if}
