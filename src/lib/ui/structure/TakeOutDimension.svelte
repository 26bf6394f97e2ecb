<script lang="ts">
	import { invalidateAll } from '$app/navigation';
	import type { Returnable, TakenOut } from '$lib/server/structure';
	import { request } from '../request';
	import EffectTable from './EffectTable.svelte';

	interface Props {
		dimensions: { code: string; name: string }[];
		returnable: Returnable | null;
		locale: string;
	}
	let { dimensions, returnable, locale }: Props = $props();

	let code = $state('');
	let preview = $state<TakenOut | null>(null);
	let message = $state<{ text: string; kind: 'info' | 'error' } | null>(null);
	let busy = $state(false);
	const count = (number: number, one: string, many: string) => `${number.toLocaleString(locale)} ${number === 1 ? one : many}`;

	async function ask<Answer>(verb: 'look-without' | 'take-out' | 'put-back', body: object): Promise<Answer | undefined> {
		busy = true;
		const reply = await request<Answer>(`/api/structure/dimensions/${verb}`, body);
		busy = false;
		message = reply.ok ? null : { text: reply.message, kind: 'error' };
		return reply.ok ? reply.answer : undefined;
	}
	async function look(event: SubmitEvent) {
		event.preventDefault();
		preview = (await ask<TakenOut>('look-without', { dimension: code })) ?? null;
	}
	async function take() {
		const done = await ask<TakenOut>('take-out', { dimension: code });
		if (!done) return;
		preview = null;
		code = '';
		await invalidateAll();
		message = { text: `“${done.name}” is taken out.`, kind: 'info' };
	}
	async function putBack() {
		const done = await ask<{ name: string }>('put-back', {});
		if (!done) return;
		await invalidateAll();
		message = { text: `“${done.name}” is back, with every figure as it was.`, kind: 'info' };
	}
</script>

<section aria-labelledby="take-out">
	<h2 id="take-out" class="text-[15px] font-semibold">Take one out</h2>
	<p class="text-soft mb-2.5 max-w-2xl">
		Each cell then holds what its members came to together, by their weights. The dimension itself stays, for other models and for later.
	</p>
	{#if returnable}
		<p class="border-rule bg-base-200 mb-2.5 flex max-w-3xl items-center gap-3 rounded-md border px-3.5 py-2">
			<span class="grow"
				>“{returnable.name}” was taken out on {new Date(returnable.at).toLocaleDateString(locale)}{returnable.person
					? ` by ${returnable.person}`
					: ''}. It can be put back until something is saved, loaded or run.</span
			>
			<button class="btn btn-sm" disabled={busy} onclick={() => void putBack()}>Put it back</button>
		</p>
	{/if}
	<form class="flex items-center gap-2" onsubmit={look}>
		<select
			class="select select-sm bg-raised w-56"
			aria-label="Dimension to take out"
			bind:value={code}
			onchange={() => {
				preview = null;
				message = null;
			}}
		>
			<option value="" disabled>choose</option>
			{#each dimensions as { code: each, name } (each)}<option value={each}>{name}</option>{/each}
		</select>
		<button class="btn btn-sm" disabled={code === '' || busy}>Look at what would become of it</button>
	</form>
	{#if message}
		<p
			class={['mt-2 max-w-2xl', message.kind === 'error' ? 'text-error' : 'text-soft']}
			role={message.kind === 'error' ? 'alert' : 'status'}
		>
			{message.text}
		</p>
	{/if}
	{#if preview}
		<section class="border-rule bg-base-200 mt-3 grid max-w-3xl gap-2 rounded-md border px-3.5 py-3" aria-label="What would become of it">
			<p>
				{count(preview.cells, 'cell', 'cells')} would be left.
				{#if preview.becameEntries > 0}
					In {count(preview.becameEntries, 'cell', 'cells')} one member’s load stands beside another’s result or entry: there an entry would say
					what they came to.
				{/if}
				{#if preview.weighed > 0}{count(preview.weighed, 'price or percent', 'prices and percents')} would be weighed or averaged, as in a total.{/if}
				{#if preview.emptied > 0}
					<b class="font-semibold">{count(preview.emptied, 'cell', 'cells')} would be empty</b>: choices, dates, facts or prices that differ
					and have no common figure.
				{/if}
			</p>
			{#if preview.moved.length > 0}
				<p>Totals that would move, because a formula would work on what is one then:</p>
				<EffectTable lines={preview.moved} {locale} />
			{:else}
				<p>No total would move.</p>
			{/if}
			<p>
				{preview.forms.length === 0 ? 'No form shows it.' : `It would go from ${preview.forms.join(', ')}.`}
				{#if preview.imports.length > 0}What {preview.imports.join(', ')}
					{preview.imports.length === 1 ? 'says' : 'say'} of it would go too.{/if}
			</p>
			<p class="text-grey">
				Saves, loads and runs of before cannot be taken back any more then. What people typed and undid is forgotten; unsaved entries must
				be saved or discarded first.
			</p>
			<div><button class="btn btn-sm btn-primary" disabled={busy} onclick={() => void take()}>Take “{preview.name}” out</button></div>
		</section>
	{/if}
</section>
