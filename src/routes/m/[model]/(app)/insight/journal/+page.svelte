<script lang="ts">
	import { goto, invalidateAll } from '$app/navigation';
	import { page } from '$app/state';
	import type { JournalLine, JournalPage } from '$lib/server/insight';
	import { at } from '$lib/ui/at';
	import MemberPick from '$lib/ui/data-in/MemberPick.svelte';
	import { formatCount, formatFigure, formatMoment } from '$lib/ui/figures/format';
	import { request } from '$lib/ui/request';
	import { useShell } from '$lib/ui/shell/shell.svelte';

	let { data } = $props();
	const shell = useShell();
	shell.at({ name: 'Insight', path: '/insight' }, { name: 'Journal' });
	const locale = $derived(data.person.locale);
	let more = $state.raw<JournalLine[]>([]);
	let moreNames = $state.raw<Record<number, string>>({});
	let next = $state.raw<Pick<JournalPage, 'next' | 'lookedBackTo'> | null>(null);
	let message = $state('');
	let dimension = $state(0);

	$effect.pre(() => {
		void data.page;
		more = [];
		moreNames = {};
		next = null;
	});
	const lines = $derived([...data.page.lines, ...more]);
	const names = $derived({ ...data.desk.names, ...data.page.names, ...moreNames });
	const end = $derived(next ?? data.page);
	const largest = $derived(Math.max(1, ...data.activity.map(({ cells }) => cells)));
	const asEntries = $derived(data.asked.of === 'entries' || data.person.readsPart);

	const KINDS = [
		['save', 'Entries saved'],
		['load', 'Loads'],
		['run', 'Runs'],
		['take back', 'Taken back'],
		['structure', 'Structure'],
		['access', 'Access'],
		['locks', 'Locks'],
		['planning', 'Planning']
	] as const;
	const kindOf = (kind: string) => KINDS.find(([key]) => key === kind)?.[1] ?? kind;

	function set(changes: Record<string, string>) {
		const url = new URL(page.url);
		for (const [key, value] of Object.entries(changes)) {
			if (value === '') url.searchParams.delete(key);
			else url.searchParams.set(key, value);
		}
		url.searchParams.delete('before');
		void goto(url, { keepFocus: true, noScroll: true });
	}
	async function further() {
		const parameters = new URLSearchParams(page.url.searchParams);
		parameters.set('before', end.next!);
		const reply = await request<JournalPage>(`/api/insight/journal?${parameters}`);
		if (!reply.ok) return (message = reply.message);
		more = [...more, ...reply.answer.lines];
		moreNames = { ...moreNames, ...reply.answer.names };
		next = reply.answer;
	}
	async function takeBack(line: JournalLine) {
		const reply = await request<{ cells: number; stay: number }>(
			`/api/forms/${encodeURIComponent(data.forms[0]?.code ?? 'any')}/take-back`,
			{
				takeBack: { revision: line.revision }
			}
		);
		message = reply.ok
			? `${reply.answer.cells === 1 ? 'One cell was' : `${reply.answer.cells} cells were`} taken back${reply.answer.stay > 0 ? `, ${reply.answer.stay} stay: typed anew or closed since` : ''}.`
			: reply.message;
		if (reply.ok) await invalidateAll();
	}
	const amount = (value: number | null) => (value === null ? 'nothing' : formatFigure(value, { valueType: 'price', decimals: 2 }, locale));
	const inOrder = $derived([
		...data.desk.axes.filter(({ kind }) => kind !== 'period'),
		...data.desk.axes.filter(({ kind }) => kind === 'period')
	]);
	/** A figure in words: its members but for those at the top, the account first. */
	function figureInWords(place: number[]): string {
		const told = place
			.map((member, index) => ({ axis: inOrder[index], name: names[member] ?? '…' }))
			.filter(({ axis }) => axis !== undefined);
		const first = told.filter(({ axis }) => axis!.kind === 'account');
		return [...first, ...told.filter(({ axis }) => axis!.kind !== 'account')].map(({ name }) => name).join(' · ');
	}
</script>

<main class="min-w-0 overflow-y-auto px-4.5 pt-3 pb-6">
	<div class="flex flex-wrap items-center gap-2">
		<h1 class="grow text-xl font-semibold tracking-tight">Journal</h1>
		<a class="btn btn-sm" href={at(`/api/insight/journal?${page.url.searchParams}&as=csv`)} data-sveltekit-reload>Download as CSV</a>
	</div>
	<p class="text-grey text-[13px]">
		Everything that changed, the latest first: figures, structure, access, locks and planning, as far as it is yours to know.
	</p>
	<div class="mt-3 flex flex-wrap items-end gap-2.5 text-[13px]" role="search" aria-label="The journal">
		{#if !data.person.readsPart}
			<div class="join" role="group" aria-label="What is listed">
				<button
					class={['btn btn-sm join-item', !asEntries && 'btn-primary']}
					aria-pressed={!asEntries}
					onclick={() => set({ of: '', members: '', least: '' })}>Changes</button
				>
				<button class={['btn btn-sm join-item', asEntries && 'btn-primary']} aria-pressed={asEntries} onclick={() => set({ of: 'entries' })}
					>Single entries</button
				>
			</div>
		{/if}
		{#if !asEntries}
			<label class="grid gap-0.5"
				>Kind<select
					class="select select-sm w-36"
					aria-label="Kind"
					value={data.asked.kind ?? ''}
					onchange={(event) => set({ kind: event.currentTarget.value })}
					><option value="">all</option>{#each KINDS as [kind, name] (kind)}<option value={kind}>{name}</option>{/each}</select
				></label
			>
		{/if}
		{#if data.desk.people.length > 0}<label class="grid gap-0.5"
				>Who<select
					class="select select-sm w-40"
					aria-label="Who"
					value={String(data.asked.person ?? '')}
					onchange={(event) => set({ person: event.currentTarget.value })}
					><option value="">anybody</option>{#each data.desk.people as { id, name } (id)}<option value={String(id)}>{name}</option
						>{/each}</select
				></label
			>{/if}
		<label class="grid gap-0.5"
			>From<input
				class="input input-sm w-36"
				type="date"
				value={data.asked.from ?? ''}
				onchange={(event) => set({ from: event.currentTarget.value })}
			/></label
		>
		<label class="grid gap-0.5"
			>To<input
				class="input input-sm w-36"
				type="date"
				value={data.asked.to ?? ''}
				onchange={(event) => set({ to: event.currentTarget.value })}
			/></label
		>
		<label class="grid gap-0.5"
			>Through or about<input
				class="input input-sm w-44"
				maxlength="200"
				value={data.asked.text}
				onchange={(event) => set({ text: event.currentTarget.value.trim() })}
			/></label
		>
		{#if asEntries}
			<label class="grid gap-0.5"
				>Changed by at least<input
					class="input input-sm w-28"
					type="number"
					min="0"
					step="any"
					value={data.asked.least ?? ''}
					onchange={(event) => set({ least: event.currentTarget.value })}
				/></label
			>
			<div class="flex items-end gap-1.5">
				<label class="grid gap-0.5"
					>At<select class="select select-sm w-36" aria-label="Dimension" bind:value={dimension}
						><option value={0}>any figure</option>{#each data.desk.axes as { id, name } (id)}<option value={id}>{name}</option
							>{/each}</select
					></label
				>
				{#if dimension}<div class="w-48">
						<MemberPick
							{dimension}
							label="Find a member"
							of="all"
							onpick={(member) => set({ of: 'entries', members: [...data.asked.members, member.id].join('.') })}
						/>
					</div>{/if}
			</div>
		{/if}
	</div>
	{#if data.asked.members.length > 0}
		<p class="mt-2 flex flex-wrap gap-1.5 text-[13px]">
			{#each data.asked.members as member (member)}
				<button class="btn btn-xs" onclick={() => set({ members: data.asked.members.filter((each) => each !== member).join('.') })}
					>{names[member] ?? 'A member'} and under it ×</button
				>
			{/each}
		</p>
	{/if}
	{#if data.activity.length > 1 && !asEntries}
		<div
			class="mt-3 flex h-12 max-w-4xl items-end gap-px"
			role="img"
			aria-label="Cells changed a day, over the last {data.activity.length} days on which something was"
		>
			{#each data.activity as { day, cells, changes } (day)}
				<span
					class="bg-secondary min-w-1 grow rounded-t-[1px]"
					style="height: {Math.max(4, (Math.log10(cells + 1) / Math.log10(largest + 1)) * 100)}%"
					title="{day}: {formatCount(changes, locale)} changes, {formatCount(cells, locale)} cells"
				></span>
			{/each}
		</div>
		<p class="text-grey text-xs">
			Cells changed a day, drawn by their order of size: {data.activity[0]!.day} to {data.activity.at(-1)!.day}
		</p>
	{/if}
	{#if message}<p class="text-soft mt-2 text-[13px]" role="status">{message}</p>{/if}
	<table class="mt-3 w-full max-w-6xl text-[13px]" aria-label="Changes">
		<thead
			><tr class="text-grey text-xs"
				><th scope="col" class="py-1 text-left font-normal">When</th><th scope="col" class="text-left font-normal">Who</th><th
					scope="col"
					class="text-left font-normal">{asEntries ? 'Figure' : 'What'}</th
				>{#if asEntries}<th scope="col" class="text-right font-normal">From</th>{:else}<td></td>{/if}<th
					scope="col"
					class="text-right font-normal">{asEntries ? 'To' : 'Cells'}</th
				><th scope="col" class="text-left font-normal"><span class="sr-only">Further</span></th></tr
			></thead
		>
		<tbody>
			{#each lines as line (line.key)}
				<tr class="border-hairline border-t align-baseline">
					<td class="py-1 pr-3 whitespace-nowrap">{formatMoment(line.at, locale)}</td>
					<td class="pr-3 whitespace-nowrap">{line.person ?? 'by itself'}</td>
					<td class="pr-3"
						>{#if line.place}<a class="hover:underline" href={at(`/insight/explore?place=${line.place.join('.')}`)}
								>{figureInWords(line.place)}</a
							>&#32;<span class="text-grey">· {line.words}</span>
						{:else}<span class="text-grey">{kindOf(line.kind)}:</span>
							{#if line.path}<a class="hover:underline" href={at(line.path)}>{line.words}</a>{:else}{line.words}{/if}{/if}</td
					>
					<td class="pl-3 text-right whitespace-nowrap tabular-nums">{line.place ? amount(line.before) : ''}</td>
					<td class="text-right whitespace-nowrap tabular-nums"
						>{line.place ? amount(line.after) : line.cells === null ? '' : formatCount(line.cells, locale)}</td
					>
					<td class="pl-3 whitespace-nowrap"
						>{#if line.mayTakeBack && !line.place}<button class="text-primary font-semibold" onclick={() => takeBack(line)}
								>Take back<span class="sr-only"> {line.words} of {formatMoment(line.at, locale)}</span></button
							>{/if}</td
					>
				</tr>
			{:else}<tr><td class="text-grey py-2" colspan="6">Nothing is there that fits.</td></tr>{/each}
		</tbody>
	</table>
	{#if end.next}
		<p class="mt-2 flex items-center gap-3 text-[13px]">
			<button class="btn btn-sm" onclick={further}>{end.lookedBackTo ? 'Look further back' : 'Earlier ones'}</button>
			{#if end.lookedBackTo}<span class="text-grey">Looked through back to {formatMoment(end.lookedBackTo, locale)}.</span>{/if}
		</p>
	{/if}
</main>
