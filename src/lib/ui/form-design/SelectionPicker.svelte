<script lang="ts">
	import { selectionInWords, type MemberReference, type Selection } from '$lib/core';
	import type { SelectedMembers, TreeMember } from '$lib/server/engine';
	import { untrack } from 'svelte';
	import { SvelteMap, SvelteSet } from 'svelte/reactivity';
	import MemberPick from '../data-in/MemberPick.svelte';
	import { formatCount } from '../figures/format';
	import { request } from '../request';
	import { fromTerms, toTerms, type Terms } from './terms';

	/** What the picker knows of the place it picks for. */
	interface Desk {
		names: ReadonlyMap<number, string>;
		know: (members: { id: number; name: string }[]) => void;
		/** Selectors whose choice may be meant. */
		layout: { selectors: readonly { dimension: number; initial?: number | undefined }[] };
		desk: {
			variables: readonly { name: string; dimension: number | null }[];
			attributes: readonly { name: string; dimension: number }[];
		};
	}
	interface Props {
		desk: Desk;
		dimension: number;
		selection: Selection;
		onchange: (selection: Selection) => void;
		/** Where members are asked for. */
		road?: '/api/form-design' | '/api/views';
	}
	let { desk, dimension, selection, onchange, road = '/api/form-design' }: Props = $props();

	const TAKE = [
		['this', 'the member itself'],
		['under', 'it and all under it'],
		['leaves', 'its leaves'],
		['children', 'its children'],
		['siblings', 'those beside it'],
		['range', 'from it to another']
	] as const;
	let take = $state<(typeof TAKE)[number][0]>('under');
	let leaveOut = $state(false);
	/** The first end of a range that is being picked. */
	let from = $state<number | null>(null);
	let level = $state('1');
	let nth = $state('2');
	let deep = $state('1');
	const branches = new SvelteMap<number, TreeMember[]>();
	const open = new SvelteSet<number>();
	let roots = $state.raw<TreeMember[]>([]);
	let given = $state.raw<SelectedMembers | null>(null);

	const terms = $derived(toTerms(selection));
	const selector = $derived(desk.layout.selectors.find((each) => each.dimension === dimension));
	const variables = $derived(desk.desk.variables.filter((each) => each.dimension === dimension));
	const attributes = $derived(desk.desk.attributes.filter((each) => each.dimension === dimension));
	const locale = 'en';

	$effect(() => {
		void dimension;
		untrack(() => {
			branches.clear();
			open.clear();
			void branch(null).then((members) => {
				roots = members;
				if (members.length === 1) void toggle(members[0]!);
			});
		});
	});
	$effect(() => {
		const asked = { dimension, selection, ...(selector && { chosen: selector.initial }) };
		// A slow answer to an earlier selection must not stand over that to the present one.
		let current = true;
		void request<SelectedMembers>(`${road}/select`, asked).then((reply) => {
			if (!reply.ok || !current) return;
			given = reply.answer;
			desk.know(reply.answer.members);
		});
		return () => {
			current = false;
		};
	});

	async function branch(of: number | null): Promise<TreeMember[]> {
		const reply = await request<{ members: TreeMember[] }>(`${road}/branch`, { dimension, of });
		return reply.ok ? reply.answer.members : [];
	}
	async function toggle(member: TreeMember) {
		if (open.delete(member.id)) return;
		if (!branches.has(member.id)) branches.set(member.id, await branch(member.id));
		open.add(member.id);
	}
	const change = (next: Partial<Terms>) => onchange(fromTerms({ ...terms, ...next }));

	function pick(reference: MemberReference, member?: { id: number; name: string }) {
		if (member) desk.know([member]);
		if (take === 'range' && typeof reference === 'number') {
			if (from === null) {
				from = reference;
				return;
			}
			add({ kind: 'range', from, to: reference });
			from = null;
			return;
		}
		add(take === 'this' || take === 'range' ? { kind: 'these', members: [reference] } : { kind: take, of: reference });
	}
	/** By its place beside or under the one chosen. */
	function relative(place: { by: number } | { nth: { depth: number; at: number } }) {
		const taken = take === 'under' || take === 'leaves' || take === 'children' ? take : 'this';
		add({ kind: 'relative', of: 'chosen', ...place, take: taken });
	}
	const whole = (text: string) => Math.max(1, Math.round(Number(text)) || 1);
	function add(term: Selection) {
		// A first choice replaces "all": who picks means what is picked.
		if (leaveOut) change({ without: [...terms.without, term] });
		else change({ take: [...terms.take.filter(({ kind }) => kind !== 'all'), term] });
	}
	const shown = $derived(flat(roots));
	function flat(members: readonly TreeMember[]): TreeMember[] {
		return members.flatMap((member) => [member, ...(open.has(member.id) ? flat(branches.get(member.id) ?? []) : [])]);
	}
	const least = $derived(roots[0]?.depth ?? 0);
	function ontreekey(event: KeyboardEvent, member: TreeMember) {
		if (event.key === 'ArrowRight' && member.parent && !open.has(member.id)) void toggle(member);
		else if (event.key === 'ArrowLeft' && open.has(member.id)) void toggle(member);
		else if (event.key === 'ArrowDown' || event.key === 'ArrowUp') {
			const all = [...(event.currentTarget as HTMLElement).closest('[role=tree]')!.querySelectorAll<HTMLElement>('[role=treeitem]')];
			all[all.indexOf(event.currentTarget as HTMLElement) + (event.key === 'ArrowDown' ? 1 : -1)]?.focus();
		} else if (event.key === 'Enter' || event.key === ' ') pick(member.id, member);
		else return;
		event.preventDefault();
	}
</script>

{#snippet termList(list: Selection[], which: 'take' | 'without')}
	{#each list as term, index (index)}
		<li class="bg-base-200 mb-1 flex items-center gap-1.5 rounded px-2 py-0.5">
			{#if which === 'without'}<span class="text-error text-xs">without</span>{/if}
			<span class="grow truncate" title={selectionInWords(term, desk.names)}>{selectionInWords(term, desk.names)}</span>
			<button
				class="text-grey hover:text-base-content"
				aria-label="Take {selectionInWords(term, desk.names)} out of the selection"
				onclick={() => change({ [which]: list.filter((_, at) => at !== index) })}>×</button
			>
		</li>
	{/each}
{/snippet}

<ul class="mt-1">
	{@render termList(terms.take, 'take')}
	{@render termList(terms.without, 'without')}
</ul>
{#if terms.test}
	{@const test = terms.test}
	<p class="bg-base-200 mb-1 flex items-center gap-1 rounded px-2 py-0.5">
		<span class="text-xs">where</span>
		<select
			class="select select-xs w-24"
			aria-label="Attribute"
			value={test.attribute}
			onchange={(event) => change({ test: { ...test, attribute: event.currentTarget.value } })}
			>{#each attributes as { name } (name)}<option>{name}</option>{/each}</select
		>
		<select
			class="select select-xs w-14"
			aria-label="Comparison"
			value={test.operator}
			onchange={(event) => change({ test: { ...test, operator: event.currentTarget.value as typeof test.operator } })}
			>{#each ['=', '<>', '<', '<=', '>', '>='] as operator (operator)}<option>{operator}</option>{/each}</select
		>
		<input
			class="input input-xs w-20"
			aria-label="Value"
			value={String(test.value)}
			onchange={(event) => {
				const text = event.currentTarget.value;
				change({ test: { ...test, value: text !== '' && !Number.isNaN(Number(text)) ? Number(text) : text } });
			}}
		/>
		<button class="text-grey ml-auto" aria-label="Take the condition away" onclick={() => change({ test: null })}>×</button>
	</p>
{/if}
<p class="text-grey text-xs" role="status">
	{#if given}Gives {given.count === 1 ? 'one member' : `${formatCount(given.count, locale)} members`} today{given.count > 0
			? `: ${given.members
					.slice(0, 6)
					.map(({ name }) => name)
					.join(', ')}${given.count > 6 ? '…' : ''}`
			: '. Pick some below.'}{/if}
</p>

<div class="mt-2 flex items-center gap-1.5">
	<label class="grow"
		><span class="sr-only">What a click takes</span>
		<select class="select select-xs w-full" bind:value={take} onchange={() => (from = null)}
			>{#each TAKE as [value, words] (value)}<option {value}>Take {words}</option>{/each}</select
		></label
	>
	<label class="flex items-center gap-1 text-xs"
		><input type="checkbox" class="checkbox checkbox-xs" bind:checked={leaveOut} /> leave out</label
	>
</div>
{#if from !== null}<p class="text-warning mt-1 text-xs">From {desk.names.get(from)}: pick the other end.</p>{/if}
<div class="mt-1.5 flex flex-wrap gap-1">
	<button class="btn btn-xs" onclick={() => change({ take: [{ kind: 'all' }] })}>All</button>
	{#if selector}
		<button class="btn btn-xs" onclick={() => pick('chosen')}>The one chosen</button>
		<button class="btn btn-xs" onclick={() => relative({ by: -1 })}>The one before it</button>
		<button class="btn btn-xs" onclick={() => relative({ by: 1 })}>The one after it</button>
		<span class="join">
			<button
				class="btn btn-xs join-item"
				title="Of what lies so many levels under the one chosen, the one in this place"
				onclick={() => relative({ nth: { depth: whole(deep), at: whole(nth) } })}>Its no.</button
			>
			<input class="input input-xs join-item w-8" aria-label="Which one under the one chosen" bind:value={nth} />
			<input class="input input-xs join-item w-8" aria-label="How many levels under the one chosen" bind:value={deep} />
		</span>
	{/if}
	{#each variables as { name } (name)}<button class="btn btn-xs" onclick={() => pick({ variable: name })}>${name}</button>{/each}
	<span class="join">
		<button class="btn btn-xs join-item" onclick={() => add({ kind: 'level', depth: Math.max(0, Math.round(Number(level)) || 0) })}
			>Level</button
		>
		<input class="input input-xs join-item w-9" aria-label="Which level, the top is 0" bind:value={level} />
	</span>
	{#if terms.take.length > 0}
		<button
			class="btn btn-xs"
			title="Of everything taken so far the first leaf under it: of years their first months"
			onclick={() => change({ take: [{ kind: 'leaf of each', in: fromTerms({ take: terms.take, without: [], test: null }), at: 1 }] })}
			>First of each</button
		>
	{/if}
	{#if attributes.length > 0 && !terms.test}<button
			class="btn btn-xs"
			onclick={() => change({ test: { attribute: attributes[0]!.name, operator: '=', value: '' } })}>Where…</button
		>{/if}
</div>
<div class="mt-1.5"><MemberPick {dimension} label="Find a member to take" of="all" onpick={(member) => pick(member.id, member)} /></div>
<ul class="border-hairline mt-1.5 max-h-64 overflow-auto rounded border p-1" role="tree" aria-label="Members to take">
	{#each shown as member (member.id)}
		<li
			role="treeitem"
			aria-level={member.depth - least + 1}
			aria-selected="false"
			aria-expanded={member.parent ? open.has(member.id) : undefined}
			tabindex="0"
			class="hover:bg-base-200 focus:bg-base-200 flex cursor-pointer items-center rounded py-px outline-none"
			style="padding-left: {(member.depth - least) * 14}px"
			onkeydown={(event) => ontreekey(event, member)}
			onclick={() => pick(member.id, member)}
		>
			{#if member.parent}
				<button
					class="text-grey grid size-4 place-items-center"
					tabindex="-1"
					aria-label={open.has(member.id) ? `Close ${member.name}` : `Open ${member.name}`}
					onclick={(event) => {
						event.stopPropagation();
						void toggle(member);
					}}
					><svg viewBox="0 0 10 10" width="9" height="9" class={[open.has(member.id) && 'rotate-90']} aria-hidden="true"
						><path d="M3 1.5 7 5 3 8.5z" fill="currentColor" /></svg
					></button
				>
			{:else}<span class="size-4"></span>{/if}
			<span class={[member.parent && 'font-semibold']}>{member.name}</span>
			<span class="text-grey ml-1.5 font-mono text-[11px]">{member.code}</span>
		</li>
	{/each}
</ul>
