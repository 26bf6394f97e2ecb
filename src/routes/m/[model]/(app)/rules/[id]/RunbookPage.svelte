<script lang="ts">
	import { at } from '$lib/ui/at';
	import { beforeNavigate, goto } from '$app/navigation';
	import type { StepDraft } from '$lib/server/runbook';
	import { request } from '$lib/ui/request';
	import ParameterFields from '$lib/ui/rules/ParameterFields.svelte';
	import { RunbookDesk } from '$lib/ui/rules/runbook-desk.svelte';
	import RunPanel from '$lib/ui/rules/RunPanel.svelte';
	import StepEditor from '$lib/ui/rules/StepEditor.svelte';
	import StepStrip from '$lib/ui/rules/StepStrip.svelte';
	import { STEP_KINDS } from '$lib/core';
	import { useShell } from '$lib/ui/shell/shell.svelte';
	import { onMount, untrack } from 'svelte';
	import type { PageData } from './$types';

	let { data }: { data: PageData } = $props();
	const shell = useShell();
	const desk = untrack(() => new RunbookDesk(data.runbook, data.answers));
	onMount(() => void desk.checkFreshness());
	const mayRun = $derived(data.person.permissions.includes('rule.run'));
	let panel = $state<'run' | 'settings'>('run');

	$effect(() => {
		shell.at({ name: 'Rules', path: '/rules' }, { name: desk.draft.name });
		shell.actions = [
			{ kind: 'Action', name: 'Preview this runbook', run: () => void desk.look() },
			...(desk.mayWrite ? [{ kind: 'Action', name: 'Save this runbook', hint: 'Ctrl S', run: () => void desk.save() }] : [])
		];
	});
	beforeNavigate(({ willUnload, cancel }) => {
		if (desk.isChanged && (willUnload || !confirm('What you changed in this runbook is not saved. Leave it behind?'))) cancel();
	});

	function onkeydown(event: KeyboardEvent) {
		if (!(event.ctrlKey || event.metaKey) || event.altKey || !desk.mayWrite) return;
		const inText = (event.target as Element).closest?.('input, textarea, .cm-editor');
		if (event.key.toLowerCase() === 's') void desk.save();
		else if (event.key.toLowerCase() === 'z' && !inText) desk.undo();
		else return;
		event.preventDefault();
	}
	async function copy() {
		const reply = await request<{ id: number }>(`/api/runbooks/${desk.id}/copy`, {});
		if (reply.ok) await goto(at(`/rules/${reply.answer.id}`));
		else desk.message = { text: reply.message, kind: 'error' };
	}
	async function remove() {
		if (!confirm(`Take “${desk.draft.name}” away? What its runs wrote stays.`)) return;
		const reply = await request(`/api/runbooks/${desk.id}/delete`, {});
		if (reply.ok) {
			desk.undo();
			location.assign(at('/rules'));
		} else desk.message = { text: reply.message, kind: 'error' };
	}
	const KINDS = Object.entries(STEP_KINDS).map(([kind, { title }]) => [kind, title] as [StepDraft['kind'], string]);
</script>

<svelte:window {onkeydown} />

<main class="grid min-h-0 min-w-0 grid-rows-[auto_minmax(0,1fr)] px-4.5 pt-3.5">
	<h1 class="sr-only">{desk.draft.name}</h1>
	<div class="flex items-start gap-2 pb-3">
		<div class="min-w-0 grow">
			<input
				class="w-full bg-transparent text-xl font-semibold tracking-tight outline-offset-2"
				aria-label="Name of the runbook"
				value={desk.draft.name}
				maxlength="200"
				readonly={!desk.mayWrite}
				oninput={(event) => desk.change({ name: event.currentTarget.value }, 'name')}
			/>
			<input
				class="text-soft w-full bg-transparent text-[13px] outline-offset-2"
				aria-label="What the runbook is for"
				placeholder={desk.mayWrite ? 'What it is for, and when it is run' : ''}
				value={desk.draft.description}
				maxlength="4000"
				readonly={!desk.mayWrite}
				oninput={(event) => desk.change({ description: event.currentTarget.value }, 'description')}
			/>
		</div>
		{#if desk.mayWrite}
			<button class="btn btn-ghost btn-sm" disabled={!desk.mayUndo} onclick={desk.undo}>Undo</button>
			<button class="btn btn-ghost btn-sm" onclick={copy}>Copy</button>
			<button class="btn btn-ghost btn-sm" onclick={remove}>Delete</button>
			<button class="btn btn-sm" disabled={desk.busy || !desk.isChanged} onclick={() => desk.save()}>Save</button>
		{/if}
	</div>
	<div
		class="grid min-h-0 grid-cols-[15rem_minmax(0,1fr)_17rem] gap-4 max-[1000px]:grid-cols-[14rem_minmax(26rem,1fr)_17rem] max-[1000px]:overflow-x-auto"
	>
		<div class="min-h-0 overflow-auto pr-1 pb-4">
			<StepStrip {desk} />
			{#if desk.mayWrite}
				<div class="flex flex-wrap gap-1 pl-7.5" role="group" aria-label="Add a step">
					{#each KINDS as [kind, words] (kind)}<button class="btn btn-xs" onclick={() => desk.add(kind)}>+ {words}</button>{/each}
				</div>
			{/if}
		</div>
		<div class="min-h-0 overflow-auto px-0.5 pb-4">
			{#if desk.message}
				<p
					class={['mb-2', desk.message.kind === 'error' ? 'text-error' : 'text-soft']}
					role={desk.message.kind === 'error' ? 'alert' : 'status'}
				>
					{desk.message.text}
					<button class="text-grey ml-1 text-[13px] underline" onclick={() => (desk.message = null)}>Hide</button>
				</p>
			{/if}
			{#if desk.step}<StepEditor {desk} step={desk.step} />
			{:else}<p class="text-soft max-w-md">
					This runbook has no step yet. Add one at the left: a <strong>copy</strong> brings figures from one place to another, a
					<strong>formula</strong> computes them, a <strong>roll-forward</strong> carries balances on, an <strong>allocation</strong> shares
					costs out, a <strong>clear</strong> takes figures away.
				</p>{/if}
		</div>
		<div class="border-hairline min-h-0 overflow-auto border-l pb-4 pl-4">
			<div class="mb-2 flex gap-3 text-[13px]" role="tablist" aria-label="Beside the steps">
				{#each [['run', 'Run'], ['settings', 'Settings']] as const as [which, words] (which)}
					<button
						role="tab"
						aria-selected={panel === which}
						class={['border-b-2 pb-0.5', panel === which ? 'border-primary font-semibold' : 'text-soft border-transparent']}
						onclick={() => (panel = which)}>{words}</button
					>
				{/each}
			</div>
			{#if panel === 'run'}<RunPanel {desk} jobs={shell.jobs} locale={data.person.locale} {mayRun} />{:else}<ParameterFields
					{desk}
					locale={data.person.locale}
				/>{/if}
		</div>
	</div>
</main>
