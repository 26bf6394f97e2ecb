<script lang="ts">
	import type { EffectOnPerson, GrantMatrix, GrantState, ModelGrants } from '$lib/server/access';
	import { request } from '../request';
	import type { AccessDesk } from './access-desk.svelte';
	import { LETTERS, LEVELS } from './levels';

	interface Props {
		desk: AccessDesk;
		grants: ModelGrants;
		mayWrite: boolean;
	}
	let { desk, grants, mayWrite }: Props = $props();
	type Level = GrantState['level'];

	const guarded = $derived(grants.dimensions.filter((dimension) => dimension.guarded));
	const offered = $derived(guarded.length > 0 ? guarded : grants.dimensions);
	let dimension = $state(0);
	let find = $state('');
	const shown = $derived(offered.some(({ id }) => id === dimension) ? dimension : (offered[0]?.id ?? 0));
	let matrix = $state.raw<GrantMatrix | null>(null);
	let at = $state.raw<{ holder: number; member: number } | null>(null);
	const here = $derived(matrix && at ? { holder: matrix.holders[at.holder], member: matrix.members[at.member] } : null);
	const cell = $derived(at && here?.holder?.cells[at.member]);
	/** What is about to be given, with what it would do. */
	let planned = $state.raw<{ level: Level | null; people: readonly EffectOnPerson[]; others: number; touched: number } | null>(null);

	// Grants changed, or another dimension is looked at: the matrix is asked for anew.
	$effect(() => {
		void grants;
		const asked = shown;
		const part = find;
		if (asked)
			void request<GrantMatrix>('/api/access/matrix', { dimension: asked, find: part }).then((reply) => {
				if (reply.ok && asked === shown && part === find) matrix = reply.answer;
			});
	});

	function goTo(place: { holder: number; member: number } | null) {
		at = place;
		planned = null;
	}

	/** A grant for one member alone: made, changed, or taken away. */
	function changeTo(level: Level | null): { id: number | null; before: GrantState | null; after: GrantState | null } | undefined {
		if (!here?.holder || !here.member || !cell) return undefined;
		const own = grants.grants.find(({ id }) => id === cell.own);
		const after: GrantState | null =
			level === null ? null : { holder: here.holder.holder, name: own?.state.name ?? here.member.name, level, members: [here.member.id] };
		return { id: own?.id ?? null, before: own?.state ?? null, after };
	}
	/** Looks at what it would do; nothing is changed yet. */
	async function plan(level: Level | null) {
		const change = changeTo(level);
		if (!change || (change.before === null && change.after === null)) return;
		const reply = await request<{ people: EffectOnPerson[]; others: number; touched: number }>('/api/access/effect', {
			change: { kind: 'grant', ...change },
			dimension: shown
		});
		if (reply.ok) planned = { level, ...reply.answer };
		else desk.told = { words: reply.message, isFault: true };
	}
	async function give() {
		const change = planned && changeTo(planned.level);
		if (!planned || !change || !here?.holder || !here.member) return;
		const { level } = planned;
		planned = null;
		await desk.change<GrantState>(
			'grant',
			change.id,
			change,
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
			goTo({
				holder: Math.min(Math.max(at.holder + step[0]!, 0), matrix.holders.length - 1),
				member: Math.min(Math.max(at.member + step[1]!, 0), matrix.members.length - 1)
			});
			document.getElementById(`grant-${at.holder}-${at.member}`)?.focus();
		}
		const level = { r: 'read', w: 'write', '-': 'none', n: 'none' }[event.key] as Level | undefined;
		if (mayWrite && level && !event.ctrlKey && !event.metaKey) void plan(level);
		if (mayWrite && event.key === 'Delete' && cell?.own) void plan(null);
		if (event.key === 'Enter' && planned) {
			event.preventDefault();
			void give();
		}
		if (event.key === 'Escape') planned = null;
	}
</script>

<div class="flex gap-6">
	<div class="min-w-0 grow overflow-x-auto">
		<div class="mb-2 flex flex-wrap gap-2">
			{#if offered.length > 1}
				<select
					class="select select-sm w-44"
					aria-label="Dimension of the matrix"
					value={shown}
					onchange={(event) => {
						dimension = Number(event.currentTarget.value);
						goTo(null);
					}}
					>{#each offered as { id, name } (id)}<option value={id}>{name}</option>{/each}</select
				>
			{/if}
			<input
				class="input input-sm w-52"
				placeholder="Find a person or group"
				aria-label="Find a person or group"
				value={find}
				oninput={(event) => {
					find = event.currentTarget.value;
					goTo(null);
				}}
			/>
			<a class="btn btn-sm ml-auto" href="{desk.report}?of=reach&dimension={shown}&as=xlsx" download>Who reaches what, XLSX</a>
		</div>
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
										onclick={() => goTo({ holder: row, member: column })}>{level ? LETTERS[level] : ''}</button
									></td
								>
							{/each}
						</tr>
					{:else}<tr><td class="text-soft py-2">Nobody is called that.</td></tr>{/each}
				</tbody>
			</table>
			<p class="text-grey mt-1 text-xs">
				r reads, w reads and writes, — kept out; in ink what is given right there, in soft ink what comes from above, from a group or from
				an attribute.{matrix.others > 0 ? ` ${matrix.others} more people are found by their name.` : ''}
			</p>
		{/if}
	</div>
	{#if here?.holder && here.member && cell}
		<aside class="border-hairline w-68 shrink-0 border-l pl-5" aria-label="Grant">
			<h2 class="font-semibold">{here.holder.name}</h2>
			<p class="text-soft mb-2">{here.member.name}{here.member.parent ? ' and all under it' : ''}</p>
			<p class="mb-3">
				{cell.level === null ? 'Nothing is granted here.' : cell.level === 'none' ? 'Kept out.' : `May ${LEVELS[cell.level]}.`}{cell.from
					? ` By ${cell.from}.`
					: ''}
			</p>
			{#if planned}
				<section class="bg-base-200 border-hairline rounded-md border px-3 py-2.5" aria-label="What this would change">
					<h3 class="mb-1 text-[13px] font-semibold">
						{planned.level === null ? 'As it is above' : planned.level === 'none' ? 'Keep out' : `Let ${LEVELS[planned.level]}`}
					</h3>
					{#each planned.people as { name, lines } (name)}
						<p class="text-[13px]">
							<b class="font-semibold">{name}</b>
							{lines
								.map(
									({ words, members, count }) =>
										`${words} at ${members.join(', ')}${count > members.length ? ` and ${count - members.length} more` : ''}`
								)
								.join('; ')}
						</p>
					{:else}<p class="text-soft text-[13px]">
							{planned.touched === 0 ? 'Nobody is in this group.' : 'Nobody could do more or less than now.'}
						</p>{/each}
					{#if planned.others > 0}<p class="text-soft text-[13px]">and {planned.others} more people of the group.</p>{/if}
					<div class="mt-2 flex gap-2">
						<button class="btn btn-primary btn-sm" disabled={desk.busy} onclick={give}>Do it</button>
						<button class="btn btn-ghost btn-sm" onclick={() => (planned = null)}>Leave it</button>
					</div>
				</section>
			{:else if mayWrite}
				<div class="grid justify-items-start gap-1.5">
					{#each ['read', 'write', 'none'] as const as level (level)}
						<button
							class="btn btn-sm w-full justify-start"
							disabled={desk.busy || (cell.own !== null && !cell.from && cell.level === level)}
							onclick={() => plan(level)}>{level === 'none' ? 'Keep out' : level === 'read' ? 'Let read' : 'Let read and write'}</button
						>
					{/each}
					{#if cell.own !== null}<button class="btn btn-ghost btn-sm" disabled={desk.busy} onclick={() => plan(null)}>As it is above</button
						>{/if}
				</div>
				<p class="text-grey mt-2 text-xs">Keys: r, w, n, Delete for what is given here; Enter does what is shown, Escape leaves it.</p>
			{/if}
		</aside>
	{/if}
</div>
