<script lang="ts">
	import { untrack } from 'svelte';
	import { request } from '../request';

	interface Props {
		/** What a part of the model is named by. */
		dimensions: readonly { id: number; name: string; members: { id: number; name: string; depth: number }[] }[];
		/** Members chosen at first, by dimension. */
		part: Readonly<Record<number, number>>;
		/** What it is taken of. */
		branch: { id: number; name: string } | null;
		ontaken: (words: string) => void;
		oncancel: () => void;
	}
	let { dimensions, part, branch, ontaken, oncancel }: Props = $props();
	let form = $state({ name: '', purpose: '' });
	let chosen = $state<Record<number, number | ''>>(untrack(() => ({ ...part })));
	let fault = $state('');
	let busy = $state(false);

	async function take(event: SubmitEvent) {
		event.preventDefault();
		busy = true;
		const named = Object.entries(chosen).filter(([, member]) => member !== '' && member !== undefined);
		const reply = await request<{ id: number; cells: number }>('/api/branches/take-snapshot', {
			...form,
			part: Object.fromEntries(named.map(([dimension, member]) => [dimension, [member]])),
			branch: branch?.id ?? null
		});
		busy = false;
		if (reply.ok) ontaken(`“${form.name}” is taken. Nothing that is changed from here on reaches it.`);
		else fault = reply.message;
	}
</script>

<form class="mt-2 grid max-w-2xl gap-3 text-[13.5px]" onsubmit={take}>
	<p class="text-soft">
		It keeps the figures of {branch ? `“${branch.name}”` : 'the plan'} as they are saved now, computed ones too, with the members, formulas and
		rates of today.
	</p>
	<div class="grid gap-3 sm:grid-cols-2">
		<label class="grid gap-0.5">Name<input class="input input-sm w-full" maxlength="80" required bind:value={form.name} /></label>
		<label class="grid gap-0.5">What it is for<input class="input input-sm w-full" maxlength="500" bind:value={form.purpose} /></label>
	</div>
	<fieldset>
		<legend>Which part of the model</legend>
		<div class="mt-1 grid gap-2 sm:grid-cols-3">
			{#each dimensions as { id, name, members } (id)}
				<label class="text-grey grid gap-0.5 text-xs"
					>{name}
					<select class="select select-sm text-base-content w-full" aria-label={name} bind:value={chosen[id]}>
						<option value="">all</option>
						{#each members as member (member.id)}<option value={member.id}>{'\u00a0'.repeat(2 * member.depth)}{member.name}</option>{/each}
					</select>
				</label>
			{/each}
		</div>
	</fieldset>
	{#if fault}<p class="text-error" role="alert">{fault}</p>{/if}
	<div class="flex gap-2">
		<button class="btn btn-primary btn-sm" disabled={busy || form.name.trim() === ''}>Take it</button>
		<button type="button" class="btn btn-sm" onclick={oncancel}>Leave it</button>
	</div>
</form>
