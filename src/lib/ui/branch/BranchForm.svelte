<script lang="ts">
	import { untrack } from 'svelte';
	import { request } from '../request';

	interface Terms {
		id: number;
		name: string;
		purpose: string;
		due: string | null;
		everybody: 'nothing' | 'read' | 'work';
		people: { id: number; may: 'read' | 'work' }[];
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
			people: (terms?.people ?? []).map(({ id, may }) => ({ id, may }))
		}))
	);
	let fault = $state('');
	let busy = $state(false);
	const left = $derived(people.filter(({ id }) => !form.people.some((each) => each.id === id)));
	const nameOf = (id: number) => people.find((each) => each.id === id)?.name ?? 'Somebody';

	async function send(event: SubmitEvent) {
		event.preventDefault();
		busy = true;
		const reply = await request<{ id: number }>(`/api/branches/${verb}`, {
			...(terms && { id: terms.id }),
			...form,
			due: form.due === '' ? null : form.due
		});
		busy = false;
		if (reply.ok) onmade(terms?.id ?? reply.answer.id);
		else fault = reply.message;
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
	{#if fault}<p class="text-error" role="alert">{fault}</p>{/if}
	<div class="flex gap-2">
		<button class="btn btn-primary btn-sm" disabled={busy || form.name.trim() === ''}>{submit}</button>
		<button type="button" class="btn btn-sm" onclick={oncancel}>Leave it</button>
	</div>
</form>
