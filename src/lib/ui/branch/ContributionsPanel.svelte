<script lang="ts">
	import { untrack } from 'svelte';
	import type { Contributions } from '$lib/server/engine';
	import { request } from '../request';

	interface Props {
		/** The figure that is taken apart: a cell of a form for what is chosen there, and what is held against what. */
		asked: { form: string; choices: object; from: string; to: string; row: number; column: number };
		/** The figure and the side, by name. */
		title: string;
		/** How an amount is written. */
		amount: (value: number) => string;
		onclose: () => void;
	}
	let { asked, title, amount, onclose }: Props = $props();
	/** Where one has looked closer: members by dimension, in that order. */
	let path = $state.raw<readonly { dimension: number; member: number; name: string }[]>([]);
	let dimension = $state<number | null>(null);
	let found = $state.raw<Contributions | null>(null);
	let fault = $state('');
	let asking = 0;

	$effect(() => {
		void asked;
		untrack(() => {
			path = [];
			dimension = null;
			void look();
		});
	});

	async function look() {
		const mine = ++asking;
		const at = Object.fromEntries(path.map(({ dimension, member }) => [dimension, member]));
		const reply = await request<Contributions>('/api/branches/contributions', { ...asked, dimension, at });
		if (mine !== asking) return;
		fault = reply.ok ? '' : reply.message;
		if (reply.ok) found = reply.answer;
	}
	function by(id: number) {
		dimension = id;
		void look();
	}
	function closer(member: number, name: string) {
		path = [...path, { dimension: found!.dimension!, member, name }];
		dimension = null;
		void look();
	}
	function back(to: number) {
		path = path.slice(0, to);
		dimension = null;
		void look();
	}
	const whole = $derived(found ? (found.after ?? 0) - (found.before ?? 0) : 0);
	const largest = $derived(Math.max(0, ...(found?.lines ?? []).map(({ part }) => Math.abs(part))));
	const signed = (value: number): string => `${value > 0 ? '+' : ''}${amount(value)}`;
	const said = (value: number | null): string => (value === null ? '' : amount(value));
</script>

<section class="border-rule mb-2 max-w-3xl border-t pt-1 text-[13px]" aria-labelledby="made-of">
	<div class="flex items-baseline gap-3">
		<h2 id="made-of" class="font-semibold">What makes the difference: {title}</h2>
		<button class="text-primary font-semibold" onclick={onclose}>Close it</button>
	</div>
	{#if fault}<p class="text-error" role="alert">{fault}</p>{/if}
	{#if found}
		<p class="text-soft">
			{#if path.length > 0}<button class="text-primary font-semibold" onclick={() => back(0)}>All of it</button
				>{#each path as { name }, place (place)}
					&nbsp;›
					{#if place < path.length - 1}<button class="text-primary font-semibold" onclick={() => back(place + 1)}>{name}</button
						>{:else}{name}{/if}{/each}:
			{/if}
			{said(found.before) || 'nothing'} to {said(found.after) || 'nothing'}, <b>{signed(whole)}</b>
		</p>
		{#if found.dimensions.length > 0}
			<div class="join my-1" role="group" aria-label="Taken apart by">
				{#each found.dimensions as { id, name } (id)}<button
						class={['btn btn-xs join-item', found.dimension === id && 'btn-primary']}
						aria-pressed={found.dimension === id}
						onclick={() => by(id)}>{name}</button
					>{/each}
			</div>
		{/if}
		{#if found.lines.length > 0}
			<table class="w-full" aria-label="What makes the difference">
				<thead class="sr-only"><tr><th>Member</th><th>Before</th><th>After</th><th>Adds</th><th>How much of all</th></tr></thead>
				<tbody>
					{#each found.lines as { member, name, before, after, part, isParent } (member)}
						<tr class="border-hairline border-b">
							<th scope="row" class="py-0.5 pr-3 text-left font-normal"
								><button
									class="text-left hover:underline"
									title={isParent ? 'Look closer' : 'Take this one apart'}
									onclick={() => closer(member, name)}>{name}</button
								></th
							>
							<td class="text-soft px-2 text-right tabular-nums">{said(before)}</td>
							<td class="px-2 text-right tabular-nums">{said(after)}</td>
							<td class="text-accent px-2 text-right font-semibold tabular-nums">{signed(part)}</td>
							<td class="w-36 pl-2"
								><span class="bg-accent block h-1.5 rounded-sm" style="width: {(100 * Math.abs(part)) / largest}%"></span><span
									class="sr-only">{whole === 0 ? '' : `${Math.round((100 * part) / whole)} %`}</span
								></td
							>
						</tr>
					{/each}
				</tbody>
			</table>
			{#if found.more.count > 0}<p class="text-soft">{found.more.count} others add {signed(found.more.part)}.</p>{/if}
			{#if !found.addsUp}<p class="text-soft">These do not add up to the figure: it is no sum of them.</p>{/if}
		{:else if found.dimension === null}<p class="text-soft">This is a single cell: it was changed itself, or follows from others.</p>
		{:else}<p class="text-soft">Nothing beneath it differs.</p>{/if}
	{/if}
</section>
