<script lang="ts">
	import { at, atBranch } from '$lib/ui/at';
	import { invalidateAll } from '$app/navigation';
	import type { FormChecks } from '$lib/server/desk';
	import { formatCount, formatDay, formatFigure, formatMoment } from '$lib/ui/figures/format';
	import { request } from '$lib/ui/request';
	import { useShell } from '$lib/ui/shell/shell.svelte';

	let { data } = $props();
	/** How the checks of forms stand: forms are opened for it, so it comes once the page stands. */
	let checks = $state.raw<{ forms: FormChecks[]; more: number } | null>(null);
	const holding = $derived((checks?.forms ?? []).reduce((sum, form) => sum + form.holding, 0));
	$effect(() => {
		if (!data.desk.standing) return;
		let current = true;
		void request<{ forms: FormChecks[]; more: number }>('/api/desk/checks').then((reply) => {
			if (current && reply.ok) checks = reply.answer;
		});
		return () => (current = false);
	});
	useShell().at({ name: 'Desk' });
	const locale = $derived(data.person.locale);
	const CHANGED = { load: 'loaded', 'take back': 'done', structure: 'moved', run: 'computed', save: 'saved' } as const;
	const amount = (value: number | null) => formatFigure(value, { valueType: 'money', decimals: 2, exactly: true }, locale) || 'empty';
	async function seen() {
		if ((await request('/api/desk/moved', {}, 'DELETE')).ok) await invalidateAll();
	}
	async function leaveSteps() {
		if ((await request('/api/desk/steps', {}, 'DELETE')).ok) await invalidateAll();
	}
	const doneSteps = $derived(data.steps.filter(({ done }) => done).length);
	const cells = (count: number) => (count === 1 ? 'one cell' : `${formatCount(count, locale)} cells`);
</script>

<main class="overflow-auto px-4.5 py-4">
	<h1 class="text-xl font-semibold tracking-tight">Good to see you, {data.person.name.split(' ')[0]}</h1>
	<div class="mt-4 grid max-w-5xl gap-x-10 gap-y-6 lg:grid-cols-2">
		<section class="min-w-0" aria-labelledby="waiting">
			<h2 id="waiting" class="text-grey mb-1 text-[13px] font-semibold">Waiting for you</h2>
			<ul class="border-rule border-t">
				{#each [...data.work.returned, ...data.work.fill] as { round, unit, name, roundName, state, due, days, note } (unit)}
					<li class="row">
						<a href={at(`/cycle/${round}?unit=${unit}`)} class="min-w-0 grow"
							><b>{name}</b>{state === 'returned' ? ' came back to you' : ' is yours to fill'}, {roundName}
							{#if note && state === 'returned'}<span class="text-grey block truncate text-[13px]">“{note}”</span>{/if}</a
						>
						<span class={days !== null && days < 0 ? 'text-accent font-semibold' : 'text-grey'}
							>{due === null ? '' : days! < 0 ? `${-days!} ${days === -1 ? 'day' : 'days'} late` : `due ${formatDay(due, locale)}`}</span
						>
					</li>
				{/each}
				{#each data.work.review as { round, unit, name, roundName, note } (unit)}
					<li class="row">
						<a href={at(`/cycle/${round}?unit=${unit}`)} class="min-w-0 grow"
							><b>{name}</b> waits for your review, {roundName}
							{#if note}<span class="text-grey block truncate text-[13px]">“{note}”</span>{/if}</a
						>
						<span class="text-grey">to review</span>
					</li>
				{/each}
				{#if data.desk.draft}
					<li class="row">
						<a href={at('/forms')} class="grow"
							><b>{cells(data.desk.draft.cells)[0]?.toUpperCase()}{cells(data.desk.draft.cells).slice(1)} not saved yet</b></a
						>
						<span class="text-grey">typed {formatMoment(data.desk.draft.changedAt, locale)}</span>
					</li>
				{/if}
				{#each data.desk.mentions as mention (mention.note)}
					<li class="row">
						<a
							href={atBranch(mention.branch, mention.form ? `/forms/${mention.form}?note=${mention.place.join('.')}` : '/forms')}
							class="min-w-0 grow"
						>
							<b>{mention.person} wrote to you</b>{mention.formName ? ` on ${mention.formName}` : ''}: {mention.text}
							<span class="text-grey block truncate text-[13px]">{mention.words}</span>
						</a>
						<span class="text-grey">{formatMoment(mention.at, locale)}</span>
					</li>
				{/each}
				{#each data.desk.rejects as reject (reject.batch)}
					<li class="row">
						<a href={at(`/data-in/${reject.code}?view=batches&batch=${reject.batch}`)} class="grow">
							{#if reject.state === 'failed'}<b>{reject.name} failed</b>: {reject.message}
							{:else}<b>{reject.rows === 1 ? 'One row' : `${formatCount(reject.rows, locale)} rows`} rejected</b> by {reject.name}{reject.state ===
								'stopped'
									? ', so nothing was loaded'
									: ''}{/if}
						</a>
						<span class="text-grey">{formatMoment(reject.at, locale)}</span>
					</li>
				{/each}
				{#each data.desk.failed as run (run.runbook)}
					<li class="row">
						<a href={at(`/rules/${run.runbook}`)} class="grow"><b>{run.name} did not run</b>: {run.words}</a>
						<span class="text-grey">{formatMoment(run.at, locale)}</span>
					</li>
				{/each}
				{#if data.desk.moved.count > 0}
					<li class="row">
						<details class="min-w-0 grow">
							<summary class="cursor-pointer"
								><b>{cells(data.desk.moved.count)[0]?.toUpperCase()}{cells(data.desk.moved.count).slice(1)} show something else now</b>:
								results stand in place of what was loaded, and no longer add to it</summary
							>
							<ul class="mt-1 text-[13px]">
								{#each data.desk.moved.figures as { words, before, after }, place (place)}
									<li class="border-hairline flex gap-3 border-t py-0.5">
										<span class="text-soft min-w-0 grow truncate" title={words}>{words}</span><span class="shrink-0"
											>{amount(before)} → <b>{amount(after)}</b></span
										>
									</li>
								{/each}
							</ul>
							{#if data.desk.moved.count > data.desk.moved.figures.length}<p class="text-grey text-xs">
									The {data.desk.moved.figures.length} largest of {formatCount(data.desk.moved.count, locale)}.
								</p>{/if}
							<button class="btn btn-xs mt-1.5" onclick={seen}>I have seen them</button>
						</details>
					</li>
				{/if}
				{#if data.work.fill.length + data.work.review.length + data.work.returned.length === 0 && !data.desk.draft && data.desk.moved.count === 0 && data.desk.rejects.length === 0 && data.desk.mentions.length === 0 && data.desk.failed.length === 0}<li
						class="row text-soft"
					>
						Nothing waits. Open a form to look at or enter figures.
					</li>{/if}
			</ul>
			{#if data.desk.standing}
				{@const standing = data.desk.standing}
				<section aria-labelledby="standing">
					<h2 id="standing" class="text-grey mt-6 mb-1 text-[13px] font-semibold">How the model stands</h2>
					<ul class="border-rule border-t">
						{#each standing.outOfDate as run (run.runbook)}
							<li class="row">
								<a href={at(`/rules/${run.runbook}`)} class="grow"
									><b>{run.name}</b> <span class="text-warning">is out of date: what it read has changed</span></a
								>
								<span class="text-grey">ran {formatMoment(run.at, locale)}</span>
							</li>
						{/each}
						{#each checks?.forms ?? [] as form (form.code)}
							{#each form.open as { label, state, columns } (label)}
								<li class="row">
									<a href={at(`/forms/${form.code}`)} class="grow"
										><b>{form.name}</b>
										<span class="text-warning"
											>“{label}” {state === 'fails' ? 'does not hold' : 'cannot tell'}{columns.some(Boolean)
												? ` in ${columns.filter(Boolean).join(', ')}`
												: ''}</span
										></a
									>
								</li>
							{/each}
						{/each}
						{#if checks && holding > 0}
							<li class="row">
								<span class="grow"
									><b>{holding === 1 ? 'One check' : `${formatCount(holding, locale)} checks`}</b> of forms
									<span class="text-soft">{holding === 1 ? 'holds' : 'hold'}</span></span
								>
							</li>
						{/if}
						{#each standing.unfinished as part (`${part.name} ${part.trouble}`)}
							<li class="row">
								<a href={at(part.path)} class="grow"><b>{part.name}</b> <span class="text-warning">{part.trouble}</span></a>
							</li>
						{/each}
						{#each standing.rates as { set, lines } (set)}
							<li class="row">
								<a href={at('/structure/currencies')} class="grow"
									><b>{set}</b> <span class="text-warning">lacks rates of {lines.join(', ')}</span></a
								>
							</li>
						{/each}
						{#each standing.oldDrafts as draft (draft.person)}
							<li class="row">
								<span class="grow"><b>{draft.person}</b> has {cells(draft.cells)} not saved</span>
								<span class="text-grey">since {formatMoment(draft.at, locale)}</span>
							</li>
						{/each}
						{#each standing.loads as load (load.code)}
							<li class="row">
								<a href={at(`/data-in/${load.code}`)} class="grow"
									><b>{load.name}</b>
									{#if load.at === null}<span class="text-warning">nothing loaded yet</span>
									{:else}<span class={load.state === 'loaded' && load.rejected === 0 ? 'text-soft' : 'text-warning'}
											>{load.state}{load.rejected > 0 ? `, ${formatCount(load.rejected, locale)} rejected` : ''}</span
										>{/if}</a
								>
								{#if load.at}<span class="text-grey">{formatMoment(load.at, locale)}</span>{/if}
							</li>
						{/each}
						{#if standing.outOfDate.length === 0 && standing.unfinished.length === 0 && standing.rates.length === 0 && standing.loads.length === 0}
							<li class="row text-soft">Nothing is unfinished.</li>
						{/if}
					</ul>
				</section>
			{/if}
			{#if data.desk.scheduled.length > 0}
				<h2 class="text-grey mt-6 mb-1 text-[13px] font-semibold">Fetched by schedule</h2>
				<ul class="border-rule border-t">
					{#each data.desk.scheduled as run (run.at)}
						<li class="row">
							<a href={at(`/data-in/${run.code}?view=batches`)} class="grow"><b>{run.title.split(':')[0]}</b> {run.words || run.state}</a>
							<span class={run.state === 'failed' ? 'text-error' : 'text-grey'}>{formatMoment(run.at, locale)}</span>
						</li>
					{/each}
				</ul>
			{/if}
			<h2 class="text-grey mt-6 mb-1 text-[13px] font-semibold">Forms</h2>
			<ul class="border-rule border-t">
				{#each data.forms as form (form.code)}
					<li class="row">
						<a href={at(`/forms/${form.code}`)} class="w-52 shrink-0"><b>{form.name}</b></a><span class="text-grey truncate"
							>{form.description}</span
						>
					</li>
				{/each}
			</ul>
		</section>
		<div class="min-w-0">
			{#if data.steps.length > 0}
				<section class="mb-6" aria-labelledby="steps">
					<div class="mb-1 flex items-baseline gap-3">
						<h2 id="steps" class="text-grey grow text-[13px] font-semibold">
							First steps, {doneSteps} of {data.steps.length} done
						</h2>
						<button class="text-grey hover:text-base-content text-[13px]" onclick={leaveSteps}>I know my way</button>
					</div>
					<ol class="border-rule border-t">
						{#each data.steps as { words, path, chapter, done } (words)}
							<li class="row">
								<span class={['w-4 shrink-0 text-center', done ? 'text-success' : 'text-grey']} aria-hidden="true">{done ? '✓' : '·'}</span>
								<a href={at(path)} class={['grow', done && 'text-soft']}
									><b class={[done && 'font-normal!']}>{words}</b>{#if done}<span class="sr-only">, done</span>{/if}</a
								>
								<a class="text-grey whitespace-nowrap hover:underline" href={at(`/handbook/${chapter}`)}
									>how<span class="sr-only">: {words}</span></a
								>
							</li>
						{/each}
					</ol>
				</section>
			{/if}
			<section aria-labelledby="latest">
				<h2 id="latest" class="text-grey mb-1 text-[13px] font-semibold">Latest changes to the figures</h2>
				<ol class="border-rule border-t">
					{#each data.desk.changes as change (change.revision)}
						<li class="row">
							<span class="text-grey w-8 shrink-0 text-right">{change.revision}</span>
							<span class="grow">
								<b>{change.through}</b>
								<span class="text-soft">{CHANGED[change.kind]} by {change.person ?? 'the system'}, {cells(change.cells)}</span>
							</span>
							<span class="text-grey whitespace-nowrap">{formatMoment(change.at, locale)}</span>
						</li>
					{:else}<li class="text-grey row">
							{data.person.readsPart ? 'Of this model you read a part: only your own changes are listed.' : 'Nothing has been changed yet.'}
						</li>{/each}
				</ol>
			</section>
		</div>
	</div>
</main>

<style>
	.row {
		display: flex;
		align-items: baseline;
		gap: 12px;
		padding: 7px 4px;
		border-bottom: 1px solid var(--hairline);
	}
	.row a:hover b {
		text-decoration: underline;
	}
	b {
		font-weight: 600;
	}
</style>
