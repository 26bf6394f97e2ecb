<script lang="ts">
	import { page } from '$app/state';
	import { at } from '$lib/ui/at';
	import { AccessDesk } from '$lib/ui/access/access-desk.svelte';
	import ChangesView from '$lib/ui/access/ChangesView.svelte';
	import DirectoryView from '$lib/ui/access/DirectoryView.svelte';
	import GrantsView from '$lib/ui/access/GrantsView.svelte';
	import GroupsView from '$lib/ui/access/GroupsView.svelte';
	import PeopleView from '$lib/ui/access/PeopleView.svelte';
	import ProgramsView from '$lib/ui/access/ProgramsView.svelte';
	import ReachView from '$lib/ui/access/ReachView.svelte';
	import RolesView from '$lib/ui/access/RolesView.svelte';
	import UnusedView from '$lib/ui/access/UnusedView.svelte';
	import WhyView from '$lib/ui/access/WhyView.svelte';
	import { formatMoment } from '$lib/ui/figures/format';
	import { useShell } from '$lib/ui/shell/shell.svelte';

	let { data } = $props();
	const shell = useShell();
	$effect(() => shell.at({ name: 'Access' }));
	const desk = new AccessDesk();
	const mayWrite = $derived(data.person.permissions.includes('access.write'));
	const tabs = $derived([
		['people', 'People'],
		['groups', 'Groups'],
		['roles', 'Roles'],
		['locks', 'Locks'],
		['grants', `Grants in ${data.model.name}`],
		['why', 'Why'],
		['reach', 'Reach'],
		['unused', 'Unused'],
		['changes', 'Changes'],
		...(data.mayWriteEverywhere ? [['directory', 'Directory']] : []),
		...(data.mayMakeTokens ? [['programs', 'Programs']] : []),
		...(data.mayWriteEverywhere ? [['letters', 'Letters']] : [])
	] as const);
	const of = $derived(Number(page.url.searchParams.get('person')) || data.person.id);
</script>

<main class="flex min-h-0 flex-col px-4.5 pt-3.5 pb-4">
	<h1 class="text-xl font-semibold tracking-tight">Access</h1>
	<nav class="border-hairline mt-1 mb-3 flex flex-wrap gap-x-5 border-b" aria-label="Parts of access">
		{#each tabs as [view, name] (view)}
			<a
				href={at(view === 'locks' ? '/access/locks' : `/access?view=${view}`)}
				aria-current={data.view === view ? 'page' : undefined}
				class={[
					'-mb-px border-b-2 py-1.5',
					data.view === view ? 'border-primary text-primary font-semibold' : 'text-soft border-transparent'
				]}>{name}</a
			>
		{/each}
	</nav>
	{#if desk.told}
		<p class={['mb-2', desk.told.isFault ? 'text-error' : 'text-success']} role={desk.told.isFault ? 'alert' : 'status'}>
			{desk.told.words}
			{#if desk.last !== null && !desk.told.isFault && data.view !== 'changes'}<button
					class="text-primary ml-2 font-semibold"
					onclick={() => desk.takeBack(desk.last!)}>Take it back</button
				>{/if}
		</p>
	{/if}
	{#if data.view === 'people'}
		<PeopleView
			{desk}
			people={data.people}
			names={data.names}
			mayWrite={data.mayWriteEverywhere}
			mayLook={data.mayLook}
			locale={data.person.locale}
		/>
	{:else if data.view === 'groups'}
		<GroupsView {desk} groups={data.groups} names={data.names} mayWrite={data.mayWriteEverywhere} />
	{:else if data.view === 'roles'}
		<RolesView {desk} roles={data.roles} catalogue={data.catalogue} mayWrite={data.mayWriteEverywhere} />
	{:else if data.view === 'grants' && data.grants}
		<GrantsView {desk} grants={data.grants} names={data.names} model={data.model.id} {mayWrite} />
	{:else if data.view === 'why'}
		<WhyView dimensions={data.dimensions} names={data.names} person={of} catalogue={data.catalogue} forms={data.forms} />
	{:else if data.view === 'reach'}
		<div class="min-h-0 overflow-auto">
			<ReachView {desk} dimensions={data.dimensions.filter(({ isPeriod }) => !isPeriod)} names={data.names} person={of} />
		</div>
	{:else if data.view === 'unused'}
		<div class="min-h-0 overflow-auto"><UnusedView {desk} rights={data.unused} locale={data.person.locale} /></div>
	{:else if data.view === 'directory' && data.mayWriteEverywhere}
		<DirectoryView {desk} />
	{:else if data.view === 'programs'}
		<ProgramsView
			{desk}
			tokens={data.tokens}
			scopes={data.scopes}
			operations={data.operations}
			model={data.model.name}
			locale={data.person.locale}
		/>
	{:else if data.view === 'changes'}
		<ChangesView {desk} changes={data.changes} names={data.names} {mayWrite} locale={data.person.locale} />
	{:else if data.view === 'letters'}
		<p class="text-soft mb-2 text-[13px]">What would be sent by mail. Links to set a password stand in it: whoever has one can use it.</p>
		<ul class="border-rule min-h-0 max-w-3xl overflow-auto border-t" aria-label="Letters">
			{#each data.letters as { id, at: when, address, subject, body } (id)}
				<li class="border-hairline border-b py-1.5">
					<details>
						<summary class="cursor-pointer"
							><span class="text-soft mr-3">{formatMoment(when, data.person.locale)}</span><b class="font-semibold">{address}</b>, {subject}</summary
						>
						<p class="mt-1 text-[13px] break-words whitespace-pre-line">{body}</p>
					</details>
				</li>
			{:else}<li class="text-soft py-2">No letters yet.</li>{/each}
		</ul>
	{/if}
</main>
