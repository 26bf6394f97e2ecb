<script lang="ts">
	import { goto, invalidateAll } from '$app/navigation';
	import { page } from '$app/state';
	import { at, atBranch } from '$lib/ui/at';
	import BranchChanges from '$lib/ui/branch/BranchChanges.svelte';
	import BranchForm from '$lib/ui/branch/BranchForm.svelte';
	import BranchLoads from '$lib/ui/branch/BranchLoads.svelte';
	import BranchRuns from '$lib/ui/branch/BranchRuns.svelte';
	import MergePanel from '$lib/ui/branch/MergePanel.svelte';
	import { formatCount, formatDay, formatMoment } from '$lib/ui/figures/format';
	import { request } from '$lib/ui/request';
	import { useShell } from '$lib/ui/shell/shell.svelte';

	let { data } = $props();
	const shell = useShell();
	const branch = $derived(data.shown);
	const locale = $derived(data.person.locale);
	$effect(() => shell.at({ name: 'What-if', path: '/branches' }, { name: branch.name }));
	let told = $state.raw<{ words: string; isFault: boolean } | null>(null);
	let shows = $state<'' | 'merge' | 'settings' | 'copy'>('');
	let copied = $state('');
	let comment = $state('');
	let chosen = $state.raw<ReadonlySet<string>>(new Set());
	/** Totals shown at first: what was loaded and run stands beneath. */
	const FEW_TOTALS = 6;
	let allTotals = $state(false);
	const isHere = $derived(data.branch?.id === branch.id);

	async function act(verb: string, body: object, words: string): Promise<boolean> {
		const reply = await request(`/api/branches/${verb}`, { id: branch.id, ...body });
		told = reply.ok ? { words, isFault: false } : { words: reply.message, isFault: true };
		await invalidateAll();
		return reply.ok;
	}
	async function copy() {
		const reply = await request<{ id: number }>('/api/branches/copy', { id: branch.id, name: copied });
		if (!reply.ok) return (told = { words: reply.message, isFault: true });
		shows = '';
		await goto(atBranch(reply.answer.id, `/branches/${reply.answer.id}`), { invalidateAll: true });
	}
	async function drop() {
		const reply = await request<{ days: number }>('/api/branches/drop', { id: branch.id });
		if (!reply.ok) return (told = { words: reply.message, isFault: true });
		await goto(atBranch(null, '/branches'), { invalidateAll: true });
	}
	const STATES = { open: 'Open', frozen: 'Frozen', merged: 'Merged into the plan', dropped: 'Dropped' };
	const total = (value: number | null) => (value === null ? '' : formatCount(value, locale));
	const hrefOf = (name: string, value: string | null) => {
		const next = new URLSearchParams(page.url.searchParams);
		next.delete('from');
		if (value === null) next.delete(name);
		else next.set(name, value);
		return `?${next}`;
	};
</script>

<main class="min-h-0 overflow-auto px-4.5 pt-3.5 pb-6">
	<div class="flex flex-wrap items-start gap-x-4 gap-y-2">
		<div class="min-w-80 grow basis-0">
			<h1 class="text-xl font-semibold tracking-tight">{branch.name}</h1>
			{#if branch.purpose}<p class="text-soft">{branch.purpose}</p>{/if}
			<p class="text-soft text-[13px]">
				{STATES[branch.state]}. Made by {branch.madeBy?.name ?? 'somebody who is gone'}, {formatMoment(
					branch.madeAt,
					locale
				)}{branch.copiedFrom ? `, as a copy of “${branch.copiedFrom}”` : ''}.{branch.due
					? ` To be decided by ${formatDay(branch.due, locale)}.`
					: ''}
				{branch.everybody === 'work' ? 'Everybody may work in it.' : branch.everybody === 'read' ? 'Everybody may look at it.' : ''}
				{branch.people.map(({ name, may }) => `${name} may ${may === 'work' ? 'work in it' : 'look at it'}`).join(', ')}{branch.people
					.length > 0
					? '.'
					: ''}
				{branch.partWords ? `Limited to ${branch.partWords}.` : ''}
				{branch.rates ? `Amounts at ${branch.rates.byName} in the place of ${branch.rates.ofName}.` : ''}
			</p>
		</div>
		<div class="flex flex-wrap gap-2">
			{#if branch.state !== 'dropped'}
				{#if isHere}<a class="btn btn-sm btn-primary" href={at('/forms')}>Open a form in it</a>
				{:else}<a class="btn btn-sm btn-primary" href={atBranch(branch.id, `/branches/${branch.id}`)}>Go into it</a>{/if}
				<a class="btn btn-sm" href={at(`/branches/compare?side=plan&side=b${branch.id}`)}>Compare</a>
			{/if}
			{#if branch.mayMerge}<button
					class="btn btn-sm"
					aria-expanded={shows === 'merge'}
					onclick={() => (shows = shows === 'merge' ? '' : 'merge')}>Merge</button
				>{/if}
			{#if branch.mayDecide}
				{#if branch.state === 'open'}<button class="btn btn-sm" onclick={() => act('state', { state: 'frozen' }, 'It is frozen.')}
						>Freeze</button
					>{/if}
				{#if branch.state === 'frozen'}<button class="btn btn-sm" onclick={() => act('state', { state: 'open' }, 'It is open again.')}
						>Open again</button
					>{/if}
				{#if branch.state === 'merged'}<button
						class="btn btn-sm"
						onclick={() => act('take-back', {}, 'The merge is taken back: the plan is as before, and the branch open again.')}
						>Take the merge back</button
					>{/if}
				<button class="btn btn-sm" aria-expanded={shows === 'settings'} onclick={() => (shows = shows === 'settings' ? '' : 'settings')}
					>Name, people and terms</button
				>
			{/if}
			{#if data.person.permissions.includes('branch.write')}<button
					class="btn btn-sm"
					aria-expanded={shows === 'copy'}
					onclick={() => {
						shows = shows === 'copy' ? '' : 'copy';
						copied = `${branch.name}, copy`;
					}}>Copy</button
				>{/if}
			{#if branch.mayDecide && branch.state !== 'dropped'}<button class="btn btn-sm" onclick={drop}>Drop</button>{/if}
			{#if branch.mayDecide && branch.state === 'dropped'}<button class="btn btn-sm" onclick={() => act('bring-back', {}, 'It is back.')}
					>Bring it back</button
				>{/if}
		</div>
	</div>
	{#if branch.drafts.length > 0}<p class="text-warning my-1 text-[13px]">
			Not saved yet: {branch.drafts
				.map(({ name, cells }) => `${name}, ${cells === 1 ? 'one cell' : `${formatCount(cells, locale)} cells`}`)
				.join('; ')}.
		</p>{/if}
	{#if told}<p class={['my-2', told.isFault ? 'text-error' : 'text-success']} role={told.isFault ? 'alert' : 'status'}>{told.words}</p>{/if}
	{#if shows === 'settings'}
		<section class="border-rule mt-2 border-t pt-2" aria-label="Name, people and terms">
			<BranchForm
				people={data.people}
				terms={branch}
				verb="change"
				submit="Keep it"
				onmade={() => {
					shows = '';
					void invalidateAll();
				}}
				oncancel={() => (shows = '')}
			/>
		</section>
	{:else if shows === 'copy'}
		<form
			class="border-rule mt-2 flex items-end gap-3 border-t pt-2"
			onsubmit={(event) => {
				event.preventDefault();
				void copy();
			}}
		>
			<label class="grid gap-0.5 text-[13.5px]"
				>Name of the copy<input class="input input-sm w-72" maxlength="80" required bind:value={copied} /></label
			>
			<button class="btn btn-primary btn-sm">Copy it</button>
			<p class="text-soft text-[13px]">It holds all changes of this one, and stands by itself from then on.</p>
		</form>
	{:else if shows === 'merge'}
		<MergePanel
			{branch}
			runs={data.runs}
			loads={data.loads}
			atPlanRates={data.changes.atPlanRates}
			currency={data.changes.currency}
			isFiltered={page.url.search !== ''}
			filter={data.filter}
			{chosen}
			lines={data.changes.lines}
			count={data.changes.count}
			{locale}
			ondone={(words) => {
				shows = '';
				chosen = new Set();
				told = { words, isFault: false };
				void invalidateAll();
			}}
			oncancel={() => (shows = '')}
		/>
	{/if}

	<div class="mt-4 grid gap-x-8 gap-y-4 lg:grid-cols-[minmax(0,1fr)_20rem]">
		<section aria-labelledby="changes" class="min-w-0">
			<h2 id="changes" class="border-rule border-b pb-1 font-semibold">
				{data.changes.all === 0 ? 'No changes' : data.changes.all === 1 ? 'One change' : `${formatCount(data.changes.all, locale)} changes`}
			</h2>
			<BranchChanges
				page={data.changes}
				filter={data.filter}
				from={data.from}
				mayPutBack={branch.mayWork}
				{locale}
				bind:chosen
				onputback={(places, words) => act('put-back', { ...data.filter, places }, words)}
			/>
		</section>
		<div class="grid content-start gap-4">
			<section aria-labelledby="effect">
				<h2 id="effect" class="border-rule border-b pb-1 font-semibold">What it does to the totals</h2>
				<table class="w-full text-[13px]">
					<thead class="sr-only"><tr><th>Account</th><th>Plan</th><th>Branch</th><th>Difference</th></tr></thead>
					<tbody>
						{#each allTotals ? data.changes.totals : data.changes.totals.slice(0, FEW_TOTALS) as { account, scenario, period, before, after } (`${account} ${scenario} ${period}`)}
							<tr class="border-hairline border-b align-baseline">
								<th scope="row" class="py-1 text-left font-normal"
									>{account}<span class="text-soft block text-xs">{scenario}, {period}</span></th
								>
								<td class="text-soft px-1 text-right tabular-nums">{total(before)}</td>
								<td class="px-1 text-right tabular-nums">{total(after)}</td>
								<td class="pl-2 text-right font-semibold tabular-nums"
									>{(after ?? 0) > (before ?? 0) ? '+' : ''}{total((after ?? 0) - (before ?? 0))}</td
								>
							</tr>
						{:else}<tr><td class="text-soft py-2">No total differs from the plan.</td></tr>{/each}
					</tbody>
				</table>
				{#if data.changes.totals.length > 0}<p class="text-soft text-xs">
						In {data.changes.currency}.
						{#if data.changes.totals.length > FEW_TOTALS}<button class="text-primary font-semibold" onclick={() => (allTotals = !allTotals)}
								>{allTotals ? 'Show the largest' : `Show all ${data.changes.totals.length}`}</button
							>{/if}
					</p>{/if}
			</section>
			<BranchLoads {branch} loads={data.loads} imports={data.imports} {locale} />
			<BranchRuns {branch} runs={data.runs} runbooks={data.runbooks} mayRun={data.person.permissions.includes('rule.run')} {locale} />
			{#if data.changes.accounts.length > 0}
				<section aria-labelledby="accounts">
					<h2 id="accounts" class="border-rule border-b pb-1 font-semibold">By account</h2>
					<ul class="text-[13px]">
						{#each data.changes.accounts as { id, name, cells } (id)}
							<li class="border-hairline flex border-b py-1">
								<a class="grow hover:underline" href={hrefOf('account', data.filter.account === id ? null : String(id))}
									>{name}{data.filter.account === id ? ' (shown alone)' : ''}</a
								><span class="text-soft tabular-nums">{formatCount(cells, locale)}</span>
							</li>
						{/each}
					</ul>
				</section>
			{/if}
			<section aria-labelledby="talk">
				<h2 id="talk" class="border-rule border-b pb-1 font-semibold">What people say of it</h2>
				{#each data.comments as { id, person, at: when, text } (id)}
					<p class="border-hairline border-b py-1.5 text-[13px]">
						<b>{person ?? 'Somebody'}</b> <span class="text-soft">{formatMoment(when, locale)}</span><br />{text}
					</p>
				{/each}
				{#if branch.state !== 'dropped' && data.person.acting?.way !== 'look'}
					<form
						class="mt-2 grid gap-1"
						onsubmit={async (event) => {
							event.preventDefault();
							if (await act('comment', { text: comment }, 'It is written down.')) comment = '';
						}}
					>
						<textarea
							class="textarea textarea-sm w-full"
							rows="2"
							maxlength="4000"
							aria-label="Write something"
							required
							bind:value={comment}></textarea>
						<button class="btn btn-sm justify-self-start" disabled={comment.trim() === ''}>Write it</button>
					</form>
				{/if}
			</section>
		</div>
	</div>
</main>
