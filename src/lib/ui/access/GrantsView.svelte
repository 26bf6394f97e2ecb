<script lang="ts">
	import type { AccessNames, GrantLine, GrantMatrix, GrantState, ModelGrants } from '$lib/server/access';
	import type { FoundMember } from '$lib/server/structure';
	import MemberPick from '../data-in/MemberPick.svelte';
	import { request } from '../request';
	import type { AccessDesk } from './access-desk.svelte';

	interface Props {
		desk: AccessDesk;
		grants: ModelGrants;
		names: AccessNames;
		model: number;
		mayWrite: boolean;
	}
	let { desk, grants, names, model, mayWrite }: Props = $props();

	const LEVELS = { read: 'read', write: 'read and write', none: 'keep out' } as const;
	const LETTERS = { read: 'r', write: 'w', none: '—' } as const;
	type Level = GrantState['level'];

	const guarded = $derived(grants.dimensions.filter((dimension) => dimension.guarded));
	const offered = $derived(guarded.length > 0 ? guarded : grants.dimensions);
	let dimension = $state(0);
	const shown = $derived(offered.some(({ id }) => id === dimension) ? dimension : (offered[0]?.id ?? 0));
	let matrix = $state.raw<GrantMatrix | null>(null);
	let at = $state.raw<{ holder: number; member: number } | null>(null);
	const here = $derived(matrix && at ? { holder: matrix.holders[at.holder], member: matrix.members[at.member] } : null);
	const cell = $derived(at && here?.holder?.cells[at.member]);

	// Grants changed, or another dimension is looked at: the matrix is asked for anew.
	$effect(() => {
		void grants;
		const asked = shown;
		if (asked)
			void request<GrantMatrix>('/api/access/matrix', { dimension: asked }).then((reply) => {
				if (reply.ok && asked === shown) matrix = reply.answer;
			});
	});

	/** A grant for one member alone is made, changed, or taken away. */
	async function give(level: Level | null) {
		if (!here?.holder || !here.member || !cell) return;
		const own = grants.grants.find(({ id }) => id === cell.own);
		const after: GrantState | null =
			level === null ? null : { holder: here.holder.holder, name: own?.state.name ?? here.member.name, level, members: [here.member.id] };
		await desk.change<GrantState>(
			'grant',
			own?.id ?? null,
			{ before: own?.state ?? null, after },
			level === null
				? `${here.holder.name} has what is given above ${here.member.name} again.`
				: `${here.holder.name}: ${LEVELS[level]}, at ${here.member.name} and all under it.`
		);
	}
	function move(event: KeyboardEvent) {
		const step = { ArrowRight: [0, 1], ArrowLeft: [0, -1], ArrowDown: [1, 0], ArrowUp: [-1, 0] }[event.key];
		if (!matrix || !at) return;
		if (step) {
			event.preventDefault();
			at = {
				holder: Math.min(Math.max(at.holder + step[0]!, 0), matrix.holders.length - 1),
				member: Math.min(Math.max(at.member + step[1]!, 0), matrix.members.length - 1)
			};
			document.getElementById(`grant-${at.holder}-${at.member}`)?.focus();
		}
		const level = { r: 'read', w: 'write', '-': 'none', n: 'none' }[event.key] as Level | undefined;
		if (mayWrite && level && !event.ctrlKey && !event.metaKey) void give(level);
		if (mayWrite && event.key === 'Delete' && cell?.own) void give(null);
	}

	async function guard(id: number, on: boolean) {
		const before = guarded.map((each) => each.id).sort((one, other) => one - other);
		const after = (on ? [...before, id] : before.filter((each) => each !== id)).sort((one, other) => one - other);
		await desk.change(
			'guarded',
			model,
			{ before: { dimensions: before }, after: { dimensions: after } },
			on ? 'Guarded: who has no grant there reads nothing of it.' : 'Not guarded any more: it is read by whoever opens forms.'
		);
	}

	let making = $state(false);
	const BLANK = { holder: '', name: '', level: 'write' as Level };
	let draft = $state(BLANK);
	let slice = $state.raw<{ dimension: string; member: FoundMember }[]>([]);
	async function make(event: SubmitEvent) {
		event.preventDefault();
		const [kind, id] = draft.holder.split(' ');
		if (!id) return;
		const holder = kind === 'group' ? { group: Number(id) } : { person: Number(id) };
		const members = [...new Set(slice.map(({ member }) => member.id))].sort((one, other) => one - other);
		const after: GrantState = { holder, name: draft.name, level: draft.level, members };
		if ((await desk.change<GrantState>('grant', null, { before: null, after }, `“${draft.name}” is granted.`)) === undefined) return;
		making = false;
		draft = BLANK;
		slice = [];
	}
	const takeAway = (grant: GrantLine) =>
		desk.change<GrantState>(
			'grant',
			grant.id,
			{ before: grant.state, after: null },
			`“${grant.state.name}” is taken away from ${grant.holder}.`
		);
</script>

<div class="flex min-h-0 grow gap-6">
	<div class="min-w-0 grow overflow-auto">
		<fieldset class="mb-3 flex flex-wrap items-baseline gap-x-4 gap-y-1" disabled={!mayWrite || desk.busy}>
			<legend class="text-grey float-left mr-3 text-xs">Reading is guarded on</legend>
			{#each grants.dimensions as { id, name, guarded: on } (id)}
				<label class="flex items-center gap-1.5 text-[13.5px]"
					><input
						type="checkbox"
						class="checkbox checkbox-xs"
						checked={on}
						onchange={(event) => guard(id, event.currentTarget.checked)}
					/>{name}</label
				>
			{/each}
		</fieldset>
		<p class="text-soft mb-3 max-w-2xl text-[13px]">
			{guarded.length === 0
				? 'Nothing is guarded: whoever opens forms reads all of this model, and grants say where people write.'
				: `Whoever has no grant for a part of ${guarded.map(({ name }) => name).join(' and ')} reads nothing of it.`}
		</p>
		{#if offered.length > 1}
			<select
				class="select select-sm mb-2 w-44"
				aria-label="Dimension of the matrix"
				value={shown}
				onchange={(event) => (dimension = Number(event.currentTarget.value))}
				>{#each offered as { id, name } (id)}<option value={id}>{name}</option>{/each}</select
			>
		{/if}
		{#if matrix}
			<!-- svelte-ignore a11y_no_noninteractive_element_interactions -->
			<table class="text-[13px]" aria-label="Grants by member" onkeydown={move}>
				<thead>
					<tr class="border-rule border-b">
						<th class="text-grey py-1 pr-4 text-left align-bottom text-xs font-normal" scope="col">People and groups</th>
						{#each matrix.members as { id, name, depth, parent } (id)}
							<th class="px-1 align-bottom font-normal" scope="col"
								><span
									class={['block max-h-36 [writing-mode:vertical-rl] rotate-180', parent && 'font-semibold']}
									style:padding-bottom="{depth * 8}px">{name}</span
								></th
							>
						{/each}
					</tr>
				</thead>
				<tbody>
					{#each matrix.holders as { name, isGroup, cells }, row (row)}
						<tr class="border-hairline border-b">
							<th class="py-0.5 pr-4 text-left font-normal whitespace-nowrap" scope="row"
								>{name}{#if isGroup}<span class="text-grey ml-1 text-xs">group</span>{/if}</th
							>
							{#each cells as { level, from }, column (column)}
								{@const isAt = at?.holder === row && at.member === column}
								<td class="p-0 text-center"
									><button
										id="grant-{row}-{column}"
										class={[
											'block h-6 w-7 font-semibold',
											from ? 'text-grey' : 'text-base-content',
											isAt && 'outline-primary outline-2 -outline-offset-1'
										]}
										tabindex={isAt || (!at && row === 0 && column === 0) ? 0 : -1}
										aria-label="{name} at {matrix.members[column]!.name}: {level ? LEVELS[level] : 'nothing'}{from ? `, by ${from}` : ''}"
										aria-pressed={isAt}
										onclick={() => (at = { holder: row, member: column })}>{level ? LETTERS[level] : ''}</button
									></td
								>
							{/each}
						</tr>
					{/each}
				</tbody>
			</table>
			<p class="text-grey mt-1 text-xs">
				r reads, w reads and writes, — kept out; in ink what is given right there, in soft ink what comes from above or from a group.
			</p>
		{/if}

		<h2 class="mt-5 mb-1 font-semibold">All grants</h2>
		<table class="w-full text-[13.5px]" aria-label="All grants">
			<thead
				><tr class="text-grey border-rule border-b text-left text-xs"
					><th class="py-1 font-normal">Who</th><th class="font-normal">May</th><th class="font-normal">Grant</th><th class="font-normal"
						>Where</th
					><th><span class="sr-only">Take away</span></th></tr
				></thead
			>
			<tbody>
				{#each grants.grants as grant (grant.id)}
					<tr class="border-hairline border-b">
						<td class="py-1 pr-3"
							>{grant.holder}{#if grant.isGroup}<span class="text-grey ml-1 text-xs">group</span>{/if}</td
						>
						<td class="pr-3">{LEVELS[grant.state.level]}</td>
						<td class="pr-3">{grant.state.name}</td>
						<td class="pr-3"
							>{grant.slice.length === 0
								? 'everywhere'
								: grant.slice.map(({ dimension: on, members }) => `${on}: ${members.join(', ')}`).join(' · ')}</td
						>
						<td class="text-right"
							>{#if mayWrite}<button class="text-primary text-[13px] font-semibold" onclick={() => takeAway(grant)}>Take away</button
								>{/if}</td
						>
					</tr>
				{:else}<tr><td class="text-soft py-2" colspan="5">Nothing is granted: nobody writes in this model.</td></tr>{/each}
			</tbody>
		</table>
		{#if mayWrite && !making}<button class="btn btn-sm mt-2" onclick={() => (making = true)}>New grant</button>{/if}
		{#if making}
			<form
				class="bg-base-200 border-hairline mt-2 grid max-w-2xl gap-2 rounded-md border px-3 py-2.5"
				onsubmit={make}
				aria-label="New grant"
			>
				<div class="flex flex-wrap gap-2">
					<label class="text-grey flex flex-col text-xs"
						>Who<select class="select select-sm text-base-content w-48" bind:value={draft.holder} required>
							<option value="">choose…</option>
							{#each names.groups as { id, name } (id)}<option value="group {id}">{name}, group</option>{/each}
							{#each names.people.filter(({ active }) => active) as { id, name } (id)}<option value="person {id}">{name}</option>{/each}
						</select></label
					>
					<label class="text-grey flex flex-col text-xs"
						>may<select class="select select-sm text-base-content w-36" bind:value={draft.level}
							>{#each Object.entries(LEVELS) as [level, words] (level)}<option value={level}>{words}</option>{/each}</select
						></label
					>
					<label class="text-grey text-xs"
						>It is called<input
							class="input input-sm text-base-content block w-52"
							bind:value={draft.name}
							required
							maxlength="200"
							placeholder="Skerry, deck crew"
						/></label
					>
				</div>
				<p class="text-grey text-xs">
					Where: of each dimension that is named, one of these members and what is under it; everywhere if none is.
				</p>
				{#each grants.dimensions as { id, name } (id)}
					<div class="grid grid-cols-[8rem_1fr] items-baseline gap-2">
						<span class="text-[13px]">{name}</span>
						<span>
							<MemberPick
								dimension={id}
								of="all"
								label="Limit {name}"
								placeholder="all"
								onpick={(member) => (slice = [...slice.filter((each) => each.member.id !== member.id), { dimension: name, member }])}
							/>
							{#each slice.filter((each) => each.dimension === name) as { member } (member.id)}
								<button
									type="button"
									class="mr-2 text-[13px]"
									title="Take it out"
									onclick={() => (slice = slice.filter((each) => each.member.id !== member.id))}>{member.name} ×</button
								>
							{/each}
						</span>
					</div>
				{/each}
				<div class="flex gap-2">
					<button class="btn btn-primary btn-sm" disabled={desk.busy}>Grant it</button>
					<button type="button" class="btn btn-ghost btn-sm" onclick={() => (making = false)}>Leave it</button>
				</div>
			</form>
		{/if}
	</div>
	{#if here?.holder && here.member && cell}
		<aside class="border-hairline w-64 shrink-0 border-l pl-5" aria-label="Grant">
			<h2 class="font-semibold">{here.holder.name}</h2>
			<p class="text-soft mb-2">{here.member.name}{here.member.parent ? ' and all under it' : ''}</p>
			<p class="mb-3">
				{cell.level === null ? 'Nothing is granted here.' : cell.level === 'none' ? 'Kept out.' : `May ${LEVELS[cell.level]}.`}{cell.from
					? ` By ${cell.from}.`
					: ''}
			</p>
			{#if mayWrite}
				<div class="grid justify-items-start gap-1.5">
					{#each ['read', 'write', 'none'] as const as level (level)}
						<button
							class="btn btn-sm w-full justify-start"
							disabled={desk.busy || (cell.own !== null && !cell.from && cell.level === level)}
							onclick={() => give(level)}>{level === 'none' ? 'Keep out' : level === 'read' ? 'Let read' : 'Let read and write'}</button
						>
					{/each}
					{#if cell.own !== null}<button class="btn btn-ghost btn-sm" disabled={desk.busy} onclick={() => give(null)}>As it is above</button
						>{/if}
				</div>
				<p class="text-grey mt-2 text-xs">Keys: r, w, n; Delete takes away what is given here.</p>
			{/if}
		</aside>
	{/if}
</div>
