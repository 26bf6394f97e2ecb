<script lang="ts">
	import type { BranchTerms } from '$lib/server/branch';
	import { onMount, untrack } from 'svelte';
	import { request } from '../request';

	interface Terms {
		id: number;
		name: string;
		purpose: string;
		due: string | null;
		everybody: 'nothing' | 'read' | 'work';
		people: { id: number; may: 'read' | 'work' }[];
		part: Record<number, number[]> | null;
		rates: { of: number; by: number } | null;
	}
	interface Props {
		/** Whom it can be shared with. */
		people: { id: number; name: string }[];
		/** As it is; left out where one is made. */
		terms?: Terms;
		verb: 'make' | 'change';
		submit: string;
		onmade: (id: number) => void;
		oncancel: () => void;
	}
	let { people, terms, verb, submit, onmade, oncancel }: Props = $props();
	let form = $state(
		untrack(() => ({
			name: terms?.name ?? '',
			purpose: terms?.purpose ?? '',
			due: terms?.due ?? '',
			everybody: terms?.everybody ?? ('nothing' as Terms['everybody']),
			people: (terms?.people ?? []).map(({ id, may }) => ({ id, may })),
			limits: Object.entries(terms?.part ?? {}).flatMap(([dimension, members]) =>
				members.map((member) => ({ dimension: Number(dimension), member }))
			),
			of: terms?.rates?.of ?? 0,
			by: terms?.rates?.by ?? 0
		}))
	);
	let fault = $state('');
	let busy = $state(false);
	let offered = $state.raw<BranchTerms | null>(null);
	onMount(async () => {
		const reply = await request<BranchTerms>('/api/branches/terms', {});
		if (!reply.ok) return (fault = reply.message);
		offered = reply.answer;
		if (form.of === 0) form.of = reply.answer.ratesInUse[0]?.id ?? 0;
	});
	const limitName = ({ dimension, member }: { dimension: number; member: number }) => {
		const of = offered?.parts.find(({ id }) => id === dimension);
		return of ? `${of.name}: ${of.members.find(({ id }) => id === member)?.name ?? 'a member that is gone'}` : '…';
	};
	const left = $derived(people.filter(({ id }) => !form.people.some((each) => each.id === id)));
	const nameOf = (id: number) => people.find((each) => each.id === id)?.name ?? 'Somebody';

	async function send(event: SubmitEvent) {
		event.preventDefault();
		busy = true;
		const reply = await request<{ id: number }>(`/api/branches/${verb}`, {
			...(terms && { id: terms.id }),
			name: form.name,
			purpose: form.purpose,
			everybody: form.everybody,
			people: form.people,
			due: form.due === '' ? null : form.due,
			part: partOf(form.limits),
			rates: form.by === 0 || form.by === form.of ? null : { of: form.of, by: form.by }
		});
		busy = false;
		if (reply.ok) onmade(terms?.id ?? reply.answer.id);
		else fault = reply.message;
	}
	/** Limits by dimension; none limit nothing. */
	function partOf(limits: readonly { dimension: number; member: number }[]): Record<number, number[]> | null {
		const part: Record<number, number[]> = {};
		for (const { dimension, member } of limits) (part[dimension] ??= []).push(member);
		return limits.length > 0 ? part : null;
	}
	function limit(event: Event & { currentTarget: HTMLSelectElement }) {
		const [dimension, member] = event.currentTarget.value.split(' ').map(Number);
		if (member && !form.limits.some((each) => each.dimension === dimension && each.member === member))
			form.limits = [...form.limits, { dimension: dimension!, member }];
		event.currentTarget.value = '';
	}
	function add(event: Event & { currentTarget: HTMLSelectElement }) {
		const id = Number(event.currentTarget.value);
		if (id) form.people = [...form.people, { id, may: 'work' }];
		event.currentTarget.value = '';
	}
</script>

<form class="mt-2 grid max-w-xl gap-3 text-[13.5px]" onsubmit={send}>
	<label class="grid gap-0.5">Name<input class="input input-sm" maxlength="80" required bind:value={form.name} /></label>
	<label class="grid gap-0.5">What it is for<input class="input input-sm" maxlength="500" bind:value={form.purpose} /></label>
	<div class="flex gap-4">
		<label class="grid gap-0.5">To be decided by<input class="input input-sm w-44" type="date" bind:value={form.due} /></label>
		<label class="grid gap-0.5"
			>Everybody else in the model<select class="select select-sm w-56" aria-label="Everybody else in the model" bind:value={form.everybody}
				><option value="nothing">does not see it</option><option value="read">may look at it</option><option value="work"
					>may work in it</option
				></select
			></label
		>
	</div>
	<fieldset class="grid gap-1">
		<legend>Together with</legend>
		{#each form.people as { id }, index (id)}
			<div class="flex items-center gap-2">
				<span class="w-44">{nameOf(id)}</span>
				<select class="select select-sm w-40" aria-label="What {nameOf(id)} may do" bind:value={form.people[index]!.may}
					><option value="work">may work in it</option><option value="read">may look at it</option></select
				>
				<button
					type="button"
					class="text-primary font-semibold"
					onclick={() => (form.people = form.people.filter((each) => each.id !== id))}>Take off</button
				>
			</div>
		{/each}
		{#if left.length > 0}<select class="select select-sm w-56" aria-label="Add somebody" onchange={add}
				><option value="">Add somebody…</option>{#each left as { id, name } (id)}<option value={id}>{name}</option>{/each}</select
			>{/if}
	</fieldset>
	{#if offered}
		<fieldset class="grid gap-1">
			<legend>Limited to</legend>
			{#if form.limits.length === 0}<p class="text-soft">All of the model may be changed in it, as far as people may write.</p>{/if}
			{#each form.limits as each (`${each.dimension} ${each.member}`)}
				<div class="flex items-center gap-2">
					<span class="min-w-44">{limitName(each)}</span>
					<button
						type="button"
						class="text-primary font-semibold"
						onclick={() => (form.limits = form.limits.filter((other) => other !== each))}>Take off</button
					>
				</div>
			{/each}
			<select class="select select-sm w-56" aria-label="Limit it to" onchange={limit}
				><option value="">Limit it to…</option>{#each offered.parts as { id, name, members } (id)}<optgroup label={name}
						>{#each members as member (member.id)}<option value="{id} {member.id}">{'\u00a0'.repeat(2 * member.depth)}{member.name}</option
							>{/each}</optgroup
					>{/each}</select
			>
		</fieldset>
		{#if offered.rates.length > 1}
			<div class="flex flex-wrap items-center gap-2">
				<span>Amounts are translated at</span>
				<select class="select select-sm w-52" aria-label="Rates" bind:value={form.by}
					><option value={0}>the rates of the plan</option>{#each offered.rates as { id, name } (id)}<option value={id}>{name}</option
						>{/each}</select
				>
				{#if form.by !== 0}
					<span>in the place of</span>
					<select class="select select-sm w-52" aria-label="In the place of" bind:value={form.of}
						>{#each offered.ratesInUse as { id, name } (id)}<option value={id}>{name}</option>{/each}</select
					>
				{/if}
			</div>
			{#if form.by !== 0 && form.by === form.of}<p class="text-warning">These are the rates of the plan.</p>{/if}
		{/if}
	{/if}
	{#if fault}<p class="text-error" role="alert">{fault}</p>{/if}
	<div class="flex gap-2">
		<button class="btn btn-primary btn-sm" disabled={busy || form.name.trim() === ''}>{submit}</button>
		<button type="button" class="btn btn-sm" onclick={oncancel}>Leave it</button>
	</div>
</form>
