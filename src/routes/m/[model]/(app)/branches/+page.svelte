<script lang="ts">
	import { goto, invalidateAll } from '$app/navigation';
	import { page } from '$app/state';
	import { at, atBranch } from '$lib/ui/at';
	import BranchForm from '$lib/ui/branch/BranchForm.svelte';
	import SnapshotForm from '$lib/ui/branch/SnapshotForm.svelte';
	import { formatCount, formatDay, formatMoment } from '$lib/ui/figures/format';
	import { request } from '$lib/ui/request';
	import { useShell } from '$lib/ui/shell/shell.svelte';

	let { data } = $props();
	useShell().at({ name: 'What-if' });
	const locale = $derived(data.person.locale);
	const makes = $derived(data.person.permissions.includes('branch.write'));
	const makesNow = $derived(makes && page.url.searchParams.has('make'));
	const live = $derived(data.list.filter(({ state }) => state !== 'dropped'));
	const dropped = $derived(data.list.filter(({ state }) => state === 'dropped'));
	let fault = $state('');
	let told = $state('');
	/** Of where it was opened, what a part can be named by. */
	const chosen = $derived(
		Object.fromEntries(
			Object.entries(data.part?.chosen ?? {}).filter(([dimension, member]) =>
				data.part!.choices.some(({ id, members }) => String(id) === dimension && members.some((each) => each.id === member))
			)
		)
	);
	async function taken(words: string) {
		told = words;
		await goto(at('/branches'), { invalidateAll: true });
	}
	async function deleteSnapshot(id: number) {
		const reply = await request('/api/branches/delete-snapshot', { id });
		fault = reply.ok ? '' : reply.message;
		deleting = null;
		await invalidateAll();
	}
	let deleting = $state<number | null>(null);

	/** Back to the form it was made from, in the branch. */
	async function made(id: number) {
		const form = page.url.searchParams.get('form');
		const rest = new URLSearchParams(page.url.searchParams);
		rest.delete('make');
		rest.delete('form');
		await goto(form ? atBranch(id, `/forms/${form}?${rest}`) : atBranch(id, `/branches/${id}`), { invalidateAll: true });
	}
	async function bringBack(id: number) {
		const reply = await request('/api/branches/bring-back', { id });
		fault = reply.ok ? '' : reply.message;
		await invalidateAll();
	}
	const WORDS = { open: 'open', frozen: 'frozen', merged: 'merged into the plan', dropped: 'dropped' };
</script>

<main class="min-h-0 overflow-auto px-4.5 pt-3.5 pb-6">
	<div class="flex max-w-5xl items-start justify-between">
		<h1 class="text-xl font-semibold tracking-tight">What-if</h1>
		<div class="flex gap-2">
			<a class="btn btn-sm" href={at('/branches/compare?side=plan')}>Compare</a>
			{#if makes && !data.part}<a class="btn btn-sm" href={at('/branches?snapshot')}>Take a snapshot</a>{/if}
			{#if makes && !makesNow}<a class="btn btn-primary btn-sm" href={at('/branches?make')}>Make a branch</a>{/if}
		</div>
	</div>
	<p class="text-soft max-w-2xl text-[13.5px]">
		In a branch you change figures without touching the plan: it holds what was changed in it, and shows the plan everywhere else.
	</p>
	{#if fault}<p class="text-error my-2" role="alert">{fault}</p>{/if}
	{#if told}<p class="text-success my-2" role="status">{told}</p>{/if}
	{#if data.part}
		<section class="border-rule mt-3 max-w-3xl border-t pt-3" aria-labelledby="take">
			<h2 id="take" class="font-semibold">Take a snapshot</h2>
			<SnapshotForm
				dimensions={data.part.choices}
				part={chosen}
				branch={data.branch}
				ontaken={taken}
				oncancel={() => goto(at('/branches'))}
			/>
		</section>
	{/if}
	{#if makesNow}
		<section class="border-rule mt-3 max-w-3xl border-t pt-3" aria-labelledby="make">
			<h2 id="make" class="font-semibold">Make a branch of the plan</h2>
			<BranchForm people={data.people} submit="Make it" verb="make" onmade={made} oncancel={() => goto(at('/branches'))} />
		</section>
	{/if}
	<table class="mt-4 w-full max-w-5xl text-[13.5px]" aria-label="Branches">
		<thead class="text-grey border-rule border-b text-left text-xs">
			<tr>
				<th scope="col" class="py-1 font-normal">Branch</th>
				<th scope="col" class="font-normal">Made by</th>
				<th scope="col" class="text-right font-normal">Changes</th>
				<th scope="col" class="pl-6 font-normal">Last changed</th>
				<th scope="col" class="font-normal">To be decided</th>
				<th scope="col" class="font-normal">State</th>
			</tr>
		</thead>
		<tbody>
			{#each live as { id, name, purpose, state, due, madeBy, cells, changed } (id)}
				<tr class="border-hairline border-b align-baseline">
					<th scope="row" class="py-2 pr-4 text-left font-normal"
						><a class="font-semibold hover:underline" href={atBranch(id, `/branches/${id}`)}>{name}</a>{#if purpose}<span
								class="text-soft block text-[13px]">{purpose}</span
							>{/if}</th
					>
					<td>{madeBy?.name ?? ''}</td>
					<td class="text-right tabular-nums">{cells === null ? '' : formatCount(cells, locale)}</td>
					<td class="pl-6">{changed ? `${formatMoment(changed.at, locale)}${changed.person ? `, ${changed.person}` : ''}` : 'not yet'}</td>
					<td>{due ? formatDay(due, locale) : ''}</td>
					<td>{WORDS[state]}</td>
				</tr>
			{:else}
				<tr
					><td colspan="6" class="text-soft py-3"
						>There is no branch yet{makes ? ': make one, and try in it whatever you like.' : ' that you may look at.'}</td
					></tr
				>
			{/each}
		</tbody>
	</table>
	<h2 class="mt-6 font-semibold">Snapshots</h2>
	<p class="text-soft max-w-2xl text-[13.5px]">
		Figures as they stood at a moment, with the members, formulas and rates of then. Nothing that is changed later reaches them.
	</p>
	{#if data.snapshots.length > 0}
		<table class="mt-2 w-full max-w-5xl text-[13.5px]" aria-label="Snapshots">
			<thead class="text-grey border-rule border-b text-left text-xs">
				<tr>
					<th scope="col" class="py-1 font-normal">Snapshot</th>
					<th scope="col" class="font-normal">Part of the model</th>
					<th scope="col" class="font-normal">Taken</th>
					<th scope="col" class="text-right font-normal">Figures</th>
					<th scope="col" class="font-normal"><span class="sr-only">What can be done with it</span></th>
				</tr>
			</thead>
			<tbody>
				{#each data.snapshots as { id, name, purpose, part, branch, takenBy, takenAt, through, cells, mayDelete } (id)}
					<tr class="border-hairline border-b align-baseline">
						<th scope="row" class="py-2 pr-4 text-left font-normal"
							><a class="font-semibold hover:underline" href={at(`/branches/compare?side=s${id}`)}>{name}</a>{#if purpose}<span
									class="text-soft block text-[13px]">{purpose}</span
								>{/if}</th
						>
						<td class="pr-4">{part || 'all of it'}{branch ? `, of the branch “${branch.name}”` : ''}</td>
						<td class="pr-4"
							>{formatMoment(takenAt, locale)}{takenBy ? `, ${takenBy.name}` : ''}{#if through}<span class="text-soft block text-[13px]"
									>{through}</span
								>{/if}</td
						>
						<td class="text-right tabular-nums">{cells === null ? '' : formatCount(cells, locale)}</td>
						<td class="pl-6 text-right whitespace-nowrap">
							{#if deleting === id}
								<button class="text-error font-semibold" onclick={() => deleteSnapshot(id)}>Delete it for good</button>
								<button class="ml-3" onclick={() => (deleting = null)}>Keep it</button>
							{:else}
								<a class="text-primary font-semibold" href={at(`/branches/compare?side=s${id}&side=plan`)}
									>Compare with the plan<span class="sr-only">: {name}</span></a
								>
								{#if mayDelete}<button class="text-grey ml-3" onclick={() => (deleting = id)}
										>Delete<span class="sr-only"> {name}</span></button
									>{/if}
							{/if}
						</td>
					</tr>
				{/each}
			</tbody>
		</table>
	{:else}<p class="text-soft mt-1 text-[13.5px]">None has been taken yet.</p>{/if}
	{#if dropped.length > 0}
		<h2 class="mt-6 font-semibold">Dropped</h2>
		<ul class="border-rule mt-1 max-w-3xl border-t" aria-label="Dropped branches">
			{#each dropped as { id, name, droppedAt, mayDecide } (id)}
				<li class="border-hairline flex gap-4 border-b py-1.5 text-[13.5px]">
					<span class="grow">{name}</span><span class="text-soft">{droppedAt ? formatMoment(droppedAt, locale) : ''}</span>
					{#if mayDecide}<button class="text-primary font-semibold" onclick={() => bringBack(id)}>Bring it back</button>{/if}
				</li>
			{/each}
		</ul>
	{/if}
</main>
