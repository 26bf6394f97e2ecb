<script lang="ts">
	import { at } from '$lib/ui/at';
	import { goto } from '$app/navigation';
	import type { Finding } from '$lib/core';
	import { formatMoment } from '$lib/ui/figures/format';
	import { request } from '$lib/ui/request';
	import { useShell } from '$lib/ui/shell/shell.svelte';

	let { data } = $props();
	useShell().at({ name: 'Rules' });
	const locale = $derived(data.person.locale);
	const mayWrite = $derived(data.person.permissions.includes('rule.write'));
	let making = $state(false);
	let name = $state('');
	let fault = $state<string | null>(null);
	let found = $state.raw<{ runbook: number; name: string; step: string; finding: Finding }[] | null>(null);

	async function make(event: SubmitEvent) {
		event.preventDefault();
		const reply = await request<{ id: number }>('/api/rules/create', { name });
		if (reply.ok) await goto(at(`/rules/${reply.answer.id}`));
		else fault = reply.message;
	}
	async function check() {
		const reply = await request<{ findings: NonNullable<typeof found> }>('/api/rules/check', {});
		fault = reply.ok ? null : reply.message;
		if (reply.ok) found = reply.answer.findings;
	}
</script>

<main class="flex min-h-0 flex-col overflow-auto px-4.5 py-4">
	<div class="flex max-w-5xl items-start gap-2">
		<div class="grow">
			<h1 class="text-xl font-semibold tracking-tight">Rules</h1>
			<p class="text-soft">Runbooks: steps that copy, compute, carry forward and clear, run together and taken back together.</p>
		</div>
		<button class="btn btn-sm" onclick={check}>Check them all</button>
		{#if mayWrite}<button class="btn btn-primary btn-sm" aria-expanded={making} onclick={() => (making = !making)}>New runbook</button>{/if}
	</div>
	{#if fault}<p class="text-error mt-2" role="alert">{fault}</p>{/if}
	{#if making}
		<form class="bg-base-200 border-hairline mt-3 flex max-w-5xl items-end gap-3 rounded-md border px-3 py-2.5" onsubmit={make}>
			<label class="text-grey text-xs"
				>Name<input
					class="input input-sm text-base-content block w-80"
					bind:value={name}
					required
					maxlength="200"
					placeholder="Open the next outlook month"
				/></label
			>
			<button class="btn btn-primary btn-sm">Make it</button>
		</form>
	{/if}
	{#if found}
		<section class="border-hairline mt-3 max-w-5xl rounded-md border px-3 py-2" aria-label="What was found" role="status">
			{#if found.length === 0}<p class="text-success">Nothing stands in the way of any runbook.</p>{/if}
			<ul>
				{#each found as { runbook, name, step, finding }, index (index)}
					<li class="py-0.5">
						<a class="underline" href={at(`/rules/${runbook}`)}>{name}{step ? `, ${step}` : ''}</a>{finding.line
							? `, line ${finding.line}`
							: ''}:
						<span class={finding.severity === 'error' ? 'text-error' : 'text-warning'}>{finding.message}</span>
					</li>
				{/each}
			</ul>
		</section>
	{/if}
	<ul class="border-rule mt-4 max-w-5xl border-t">
		{#each data.runbooks as runbook (runbook.id)}
			<li class="border-hairline border-b">
				<a href={at(`/rules/${runbook.id}`)} class="hover:bg-base-200 grid grid-cols-[18rem_1fr_auto] items-baseline gap-4 px-2 py-2.5">
					<span class="font-semibold"
						>{runbook.name}<span class="text-grey block text-xs font-normal"
							>{runbook.steps === 1 ? 'one step' : `${runbook.steps} steps`}</span
						></span
					>
					<span class="text-soft">{runbook.description}</span>
					<span class={['text-right text-[13px]', runbook.last?.state === 'failed' ? 'text-error' : 'text-grey']}>
						{#if runbook.last}{runbook.last.words || runbook.last.state}<span class="block text-xs"
								>{formatMoment(runbook.last.at, locale)}</span
							>{:else}not run yet{/if}
					</span>
				</a>
			</li>
		{:else}
			<li class="text-soft px-2 py-3">
				There are no runbooks in this model yet. {mayWrite
					? 'Make the first one: a copy of last year’s figures is a good beginning.'
					: 'An administrator makes them.'}
			</li>
		{/each}
	</ul>
	{#if data.runs.length > 0}
		<h2 class="text-grey mt-5 mb-1 text-[13px] font-semibold">Latest runs</h2>
		<ul class="max-w-5xl text-[13px]">
			{#each data.runs.slice(0, 12) as run (run.id)}
				<li class="border-hairline flex gap-4 border-t px-2 py-1">
					<span class="w-64 shrink-0 truncate font-semibold">{run.name}</span>
					<span class={['grow', run.state === 'failed' && 'text-error']}>{run.words || run.state}</span>
					<span class="text-grey shrink-0">{run.person ?? ''} · {formatMoment(run.at, locale)}</span>
				</li>
			{/each}
		</ul>
	{/if}
</main>
