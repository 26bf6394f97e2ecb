<script lang="ts">
	import type { AccessNames, PersonLine, PersonState } from '$lib/server/access';
	import { formatMoment } from '../figures/format';
	import type { AccessDesk } from './access-desk.svelte';
	import RolesGivenFields from './RolesGivenFields.svelte';
	import TextField from './TextField.svelte';

	interface Props {
		desk: AccessDesk;
		people: readonly PersonLine[];
		names: AccessNames;
		mayWrite: boolean;
		/** Whether one may see what others see. */
		mayLook: boolean;
		locale: string;
	}
	let { desk, people, names, mayWrite, mayLook, locale }: Props = $props();

	const BLANK: PersonState = { email: '', name: '', title: '', active: true, roles: [] };
	let find = $state('');
	/** Who gets the draft of somebody who left. */
	let heir = $state('');
	let chosen = $state<number | 'new' | null>(null);
	let edited = $state.raw<PersonState>(BLANK);
	const line = $derived(people.find(({ id }) => id === chosen));
	const shown = $derived(
		people.filter(({ state }) => `${state.name} ${state.email} ${state.title}`.toLowerCase().includes(find.trim().toLowerCase()))
	);
	const roleName = (role: number) => names.roles.find(({ id }) => id === role)?.name ?? '?';
	const rolesInWords = ({ state }: PersonLine) =>
		state.roles
			.map(
				({ role, model }) =>
					roleName(role) + (model === null ? '' : ` in ${names.models.find(({ id }) => id === model)?.name ?? 'another model'}`)
			)
			.join(', ');

	function open(which: number | 'new') {
		chosen = which;
		edited = which === 'new' ? BLANK : people.find(({ id }) => id === which)!.state;
	}
	async function save(event: SubmitEvent) {
		event.preventDefault();
		const isNew = chosen === 'new';
		const id = await desk.change<PersonState>(
			'person',
			isNew ? null : (chosen as number),
			{ before: line?.state ?? null, after: edited },
			isNew ? `${edited.name} is on the list.` : `${edited.name} is changed.`
		);
		if (id === undefined) return;
		if (isNew) await desk.invite(id);
		open(id);
	}
	async function setActive(active: boolean) {
		const id = await desk.change<PersonState>(
			'person',
			line!.id,
			{ before: line!.state, after: { ...line!.state, active } },
			active
				? `${line!.state.name} may sign in again.`
				: `${line!.state.name} cannot sign in any more; what they did and their drafts stay.`
		);
		if (id !== undefined) open(id);
	}
</script>

<div class="flex min-h-0 grow gap-6">
	<section class="min-w-0 grow overflow-auto" aria-label="People">
		<div class="mb-2 flex gap-2">
			<input class="input input-sm w-64" placeholder="Find a person" aria-label="Find a person" bind:value={find} />
			{#if mayWrite}<button class="btn btn-primary btn-sm ml-auto" onclick={() => open('new')}>Invite somebody</button>{/if}
		</div>
		<table class="w-full text-[13.5px]">
			<thead>
				<tr class="text-grey border-rule border-b text-left text-xs"
					><th class="py-1 font-normal">Name</th><th class="font-normal">Roles</th><th class="font-normal">Groups</th><th
						class="font-normal">Signed in</th
					></tr
				>
			</thead>
			<tbody>
				{#each shown as person (person.id)}
					<tr class={['border-hairline border-b', chosen === person.id && 'bg-base-200', !person.state.active && 'text-grey']}>
						<td class="py-1 pr-3"
							><button class="text-left hover:underline" onclick={() => open(person.id)} aria-pressed={chosen === person.id}
								><b class="font-semibold">{person.state.name}</b></button
							>
							<span class="text-grey block text-xs">{person.state.title || person.state.email}</span></td
						>
						<td class="pr-3">{rolesInWords(person)}</td>
						<td class="pr-3">{person.groups.join(', ')}</td>
						<td class="text-soft whitespace-nowrap"
							>{!person.state.active
								? 'not active'
								: person.invited
									? 'invited'
									: person.seen
										? formatMoment(person.seen, locale)
										: 'not lately'}</td
						>
					</tr>
				{:else}<tr><td class="text-soft py-2" colspan="4">Nobody is called that.</td></tr>{/each}
			</tbody>
		</table>
	</section>
	{#if chosen !== null}
		<form class="border-hairline w-80 shrink-0 overflow-auto border-l pl-5" onsubmit={save} aria-label="Person">
			<h2 class="mb-2 font-semibold">{chosen === 'new' ? 'Invite somebody' : line?.state.name}</h2>
			<fieldset class="grid gap-2" disabled={!mayWrite}>
				<TextField label="Name" value={edited.name} required onchange={(name) => (edited = { ...edited, name })} />
				<TextField
					label="E-mail address"
					type="email"
					value={edited.email}
					required
					onchange={(email) => (edited = { ...edited, email })}
				/>
				<TextField label="What they do" value={edited.title} onchange={(title) => (edited = { ...edited, title })} />
				<div>
					<h3 class="text-grey mb-1 text-xs">Roles of their own</h3>
					<RolesGivenFields roles={edited.roles} {names} disabled={!mayWrite} onchange={(roles) => (edited = { ...edited, roles })} />
				</div>
				{#if line && line.groups.length > 0}<p class="text-soft text-[13px]">And those of {line.groups.join(', ')}.</p>{/if}
			</fieldset>
			{#if mayWrite}
				<div class="mt-3 flex flex-wrap gap-2">
					<button class="btn btn-primary btn-sm" disabled={desk.busy}>{chosen === 'new' ? 'Invite' : 'Save'}</button>
					{#if line}
						<button type="button" class="btn btn-sm" onclick={() => desk.invite(line.id)} disabled={!line.state.active}
							>{line.invited ? 'Invite again' : 'Send a link for a new password'}</button
						>
						<button type="button" class="btn btn-sm" onclick={() => setActive(!line.state.active)}
							>{line.state.active ? 'Deactivate' : 'Activate'}</button
						>
						{#if line.factor}<button type="button" class="btn btn-sm" onclick={() => desk.dropFactor(line.id, line.state.name)}
								>Take off their second factor</button
							>{/if}
					{/if}
				</div>
			{/if}
			{#if line && mayWrite}
				{#each line.drafts as { model, name, cells } (model)}
					<div class="border-hairline mt-3 border-t pt-2">
						<p class="text-[13px]">Typed in {name} and never saved: {cells === 1 ? 'one cell' : `${cells} cells`}.</p>
						<div class="mt-1 flex gap-2">
							<select class="select select-sm grow" aria-label="Hand their draft in {name} on to" bind:value={heir}
								><option value="">to whom…</option>{#each names.people.filter(({ active }) => active) as { id, name: other } (id)}<option
										value={String(id)}>{other}</option
									>{/each}</select
							>
							<button type="button" class="btn btn-sm" disabled={heir === ''} onclick={() => desk.handOn(line.id, Number(heir), model)}
								>Hand it on</button
							>
						</div>
					</div>
				{/each}
			{/if}
			{#if line && mayLook && line.state.active}
				<button type="button" class="btn btn-sm mt-2" onclick={() => desk.look(line.id)}>See what they see</button>
			{/if}
		</form>
	{/if}
</div>
