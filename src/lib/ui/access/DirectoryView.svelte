<script lang="ts">
	import { onMount } from 'svelte';
	import { invalidateAll } from '$app/navigation';
	import type { DirectoryPicks, DirectoryView, Synchronised } from '$lib/server/directory';
	import { request } from '../request';
	import type { AccessDesk } from './access-desk.svelte';

	interface Props {
		desk: AccessDesk;
	}
	let { desk }: Props = $props();
	let find = $state('');
	let directory = $state.raw<DirectoryView | null>(null);
	let picks = $state.raw<DirectoryPicks>({ people: [], groups: [] });
	let outcome = $state.raw<(Synchronised & { done: boolean }) | null>(null);
	const WHAT = { new: 'new', changed: 'changed', left: 'left', group: 'group', gone: 'gone' } as const;

	async function look(first = false) {
		const asked = find;
		const reply = await request<DirectoryView>('/api/access/directory', { find: asked });
		if (!reply.ok) return void (desk.told = { words: reply.message, isFault: true });
		if (asked !== find) return;
		directory = reply.answer;
		if (first) ({ picks } = reply.answer);
	}
	onMount(() => void look(true));

	function pick(kind: keyof DirectoryPicks, id: string, on: boolean) {
		picks = { ...picks, [kind]: on ? [...picks[kind], id] : picks[kind].filter((each) => each !== id) };
		outcome = null;
	}
	async function synchronise(preview: boolean) {
		desk.busy = true;
		const reply = await request<Synchronised>('/api/access/synchronise', { picks, preview });
		desk.busy = false;
		desk.told = reply.ok
			? preview
				? null
				: { words: 'Brought up to date. Roles are given to people and groups as ever.', isFault: false }
			: { words: reply.message, isFault: true };
		desk.last = null;
		outcome = reply.ok ? { ...reply.answer, done: !preview } : null;
		if (reply.ok && !preview) await invalidateAll();
	}
</script>

{#if directory?.name === null}
	<p class="text-soft">
		No directory is set for this installation. docs/operating.md says how to name one, and how a directory can push people here.
	</p>
{:else if directory}
	<div class="grid min-h-0 grow gap-8 overflow-auto lg:grid-cols-[1fr_24rem]">
		<div>
			<p class="text-soft mb-2 text-[13px]">
				{directory.name}: pick groups, and people besides. Whoever is picked is taken over and kept up to date; who leaves there is
				deactivated here.
			</p>
			<h2 class="mb-1 font-semibold">Groups</h2>
			<ul class="border-hairline mb-4 max-w-xl border-t" aria-label="Groups of the directory">
				{#each directory.groups as { id, name, members } (id)}
					<li class="border-hairline border-b py-1">
						<label class="flex items-baseline gap-2"
							><input
								type="checkbox"
								class="checkbox checkbox-xs"
								checked={picks.groups.includes(id)}
								onchange={(event) => pick('groups', id, event.currentTarget.checked)}
							/><span class="grow">{name}</span><span class="text-soft text-[13px]"
								>{members === 1 ? 'one person' : `${members} people`}</span
							></label
						>
					</li>
				{/each}
			</ul>
			<h2 class="mb-1 font-semibold">People</h2>
			<input
				class="input input-sm mb-1 w-64"
				placeholder="Find by name or address"
				aria-label="Find in the directory"
				bind:value={find}
				oninput={() => void look()}
			/>
			<ul class="border-hairline max-w-xl border-t" aria-label="People of the directory">
				{#each directory.people as { id, name, email, title, active, known } (id)}
					<li class="border-hairline border-b py-1">
						<label class={['flex items-baseline gap-2', !active && 'text-grey']}
							><input
								type="checkbox"
								class="checkbox checkbox-xs"
								checked={picks.people.includes(id)}
								onchange={(event) => pick('people', id, event.currentTarget.checked)}
							/><span class="grow">{name}<span class="text-soft block text-xs">{title || email}</span></span><span
								class="text-soft text-[13px]">{active ? (known ? 'is here' : '') : 'has left'}</span
							></label
						>
					</li>
				{:else}<li class="text-soft py-2">Nobody is called that.</li>{/each}
			</ul>
		</div>
		<section aria-label="Bring up to date">
			<div class="flex flex-wrap gap-2">
				<button class="btn btn-sm" disabled={desk.busy} onclick={() => synchronise(true)}>Look at what would change</button>
				<button
					class="btn btn-primary btn-sm"
					disabled={desk.busy || !outcome || outcome.done || outcome.lines.length === 0}
					onclick={() => synchronise(false)}>Bring up to date</button
				>
			</div>
			{#if outcome}
				<p class="mt-3 mb-1 font-semibold">
					{outcome.lines.length === 0
						? 'Everything is as the directory has it.'
						: `${outcome.done ? 'Done: ' : ''}${outcome.counts.new} new, ${outcome.counts.changed} changed, ${outcome.counts.left} left, ${outcome.counts.group === 1 ? 'one group' : `${outcome.counts.group} groups`}`}
				</p>
				<ul class="border-hairline border-t text-[13px]" aria-label="What changes">
					{#each outcome.lines as { what, name, words }, index (index)}
						<li class="border-hairline grid grid-cols-[4.5rem_1fr] gap-2 border-b py-1">
							<span class={what === 'left' || what === 'gone' ? 'text-accent font-semibold' : 'text-grey'}>{WHAT[what]}</span>
							<span><b class="font-semibold">{name}</b><span class="text-soft">, {words}</span></span>
						</li>
					{/each}
				</ul>
			{/if}
		</section>
	</div>
{/if}
