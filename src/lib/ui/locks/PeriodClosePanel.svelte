<script lang="ts">
	import { invalidateAll } from '$app/navigation';
	import type { FormChecks, Standing } from '$lib/server/desk';
	import type { PeriodClose } from '$lib/server/locks';
	import { at } from '../at';
	import { formatMoment } from '../figures/format';
	import { request } from '../request';

	interface Props {
		close: PeriodClose;
		/** What should be looked at before a month is closed; null for who may not look at structure and data. */
		standing: Pick<Standing, 'loads' | 'outOfDate'> | null;
		mayWrite: boolean;
		/** Whether the checks of forms can be asked about. */
		mayCheck: boolean;
		locale: string;
	}
	let { close, standing, mayWrite, mayCheck, locale }: Props = $props();
	let chosen = $state<number | null>(null);
	// The one that is closed already is the one whose months come to an end.
	const scenario = $derived(
		close.scenarios.find(({ id }) => id === chosen) ?? close.scenarios.find(({ closedTo }) => closedTo) ?? close.scenarios[0]
	);
	const last = $derived(scenario?.periods.findIndex(({ id }) => id === scenario.closedTo?.id) ?? -1);
	const next = $derived(scenario?.periods[last + 1]);
	let told = $state.raw<{ words: string; isFault: boolean } | null>(null);
	let reason = $state('');
	let reopenFrom = $state(0);
	let busy = $state(false);
	let checks = $state.raw<{ forms: FormChecks[]; more: number } | null>(null);
	const failing = $derived(checks?.forms.flatMap(({ code, name, open }) => open.map((check) => ({ code, form: name, ...check }))) ?? []);
	const rejected = $derived(standing?.loads.filter((load) => load.rejected > 0) ?? []);
	const missing = $derived(standing?.loads.filter((load) => load.at === null || load.state !== 'loaded') ?? []);

	$effect(() => {
		if (!mayCheck) return;
		void request<{ forms: FormChecks[]; more: number }>('/api/desk/checks').then((reply) => {
			if (reply.ok) checks = reply.answer;
		});
	});
	async function put(to: number | null, words: string) {
		busy = true;
		const reply = await request('/api/locks/close', { scenario: scenario!.id, to, reason });
		if (reply.ok) {
			reason = '';
			reopenFrom = 0;
			// What may be pressed next is named by what is closed now.
			await invalidateAll();
		}
		busy = false;
		told = reply.ok ? { words, isFault: false } : { words: reply.message, isFault: true };
	}
</script>

{#snippet point(words: string, isGood: boolean | null, lines: { words: string; href: string }[])}
	<div class="border-hairline border-b py-2">
		<p class="flex gap-2"><b class="w-14 shrink-0 font-semibold">{isGood === null ? '…' : isGood ? 'yes' : 'look'}</b>{words}</p>
		{#each lines as { words: line, href } (line)}<p class="pl-16 text-[13px]">
				<a class="text-primary hover:underline" {href}>{line}</a>
			</p>{/each}
	</div>
{/snippet}

{#if scenario}
	<div class="max-w-3xl overflow-auto">
		<label class="text-soft mb-2 flex items-center gap-2"
			>Scenario<select class="select select-sm w-48" value={scenario.id} onchange={(event) => (chosen = Number(event.currentTarget.value))}
				>{#each close.scenarios as { id, name } (id)}<option value={id}>{name}</option>{/each}</select
			></label
		>
		{#if told}<p class={['mb-2', told.isFault ? 'text-error' : 'text-success']} role={told.isFault ? 'alert' : 'status'}>
				{told.words}
			</p>{/if}
		<p class="mb-1">
			{scenario.closedTo ? `${scenario.name} is closed up to ${scenario.closedTo.name}.` : `No period of ${scenario.name} is closed.`}
		</p>
		{#if next}
			<h2 class="border-rule mt-3 border-b pb-1 font-semibold">Before {next.name} is closed</h2>
			{#if standing}
				{@render point(
					missing.length === 0 ? 'Every import has loaded.' : 'Imports that never loaded, or whose last load was stopped.',
					missing.length === 0,
					missing.map(({ name, code, at: when }) => ({
						words: `${name}: ${when ? `last ${formatMoment(when, locale)}` : 'never'}`,
						href: at(`/data-in/${code}`)
					}))
				)}
				{@render point(
					rejected.length === 0 ? 'No rows are left out.' : 'Rows that were left out by the last load.',
					rejected.length === 0,
					rejected.map(({ name, code, rejected: rows }) => ({
						words: `${name}: ${rows.toLocaleString(locale)} rows`,
						href: at(`/data-in/${code}`)
					}))
				)}
				{@render point(
					standing.outOfDate.length === 0 ? 'Every run stands on the figures as they are.' : 'Runs that read what has changed since.',
					standing.outOfDate.length === 0,
					standing.outOfDate.map(({ name, runbook }) => ({ words: name, href: at(`/rules/${runbook}`) }))
				)}
			{:else}<p class="text-soft py-2 text-[13px]">What is loaded and what has run is seen by who looks at structure and data.</p>{/if}
			{#if mayCheck}
				{@render point(
					checks === null
						? 'The checks of the forms are asked.'
						: failing.length === 0
							? 'Every check of the forms holds.'
							: 'Checks that do not hold, or cannot tell.',
					checks === null ? null : failing.length === 0,
					failing.map(({ code, form, label, state, columns }) => ({
						words: `${form}: ${label} ${state === 'fails' ? 'does not hold' : 'cannot tell'} (${columns.join(', ')})`,
						href: at(`/forms/${code}`)
					}))
				)}
			{/if}
			{#if mayWrite}<button
					class="btn btn-primary mt-3"
					disabled={busy}
					onclick={() => put(next.id, `${scenario.name} is closed up to ${next.name}.`)}>Close {next.name}</button
				>{/if}
		{/if}
		{#if mayWrite && last >= 0}
			<h2 class="border-rule mt-6 border-b pb-1 font-semibold">Open again</h2>
			<form
				class="mt-2 flex flex-wrap items-end gap-3"
				onsubmit={(event) => {
					event.preventDefault();
					const to = scenario.periods[last - 1 - reopenFrom];
					void put(to?.id ?? null, 'It is open again.');
				}}
			>
				<label class="text-soft grid text-xs"
					>From<select class="select select-sm w-40" bind:value={reopenFrom}
						>{#each scenario.periods
							.slice(0, last + 1)
							.reverse()
							.slice(0, 24) as { id, name }, back (id)}<option value={back}>{name}</option>{/each}</select
					></label
				>
				<label class="text-soft grid text-xs"
					>Reason<input class="input input-sm w-72" maxlength="500" required bind:value={reason} /></label
				>
				<button class="btn btn-sm" disabled={busy || reason.trim() === ''}>Open it again</button>
			</form>
		{/if}
	</div>
{/if}
