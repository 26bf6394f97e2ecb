<script lang="ts">
	import EffectTable from './EffectTable.svelte';
	import type { MemberTableState, Question } from './member-table.svelte';

	interface Props {
		state: MemberTableState;
		question: Question;
		locale: string;
		oninspect: () => void;
	}
	let { state: members, question, locale, oninspect }: Props = $props();

	let child = $state('');
	const close = () => (members.question = null);
</script>

<div class="border-primary bg-raised mb-2 rounded-md border px-3.5 py-2.5" role="alertdialog" aria-label="To decide">
	{#if question.kind === 'hand over'}
		<p>
			<b class="font-semibold">“{question.choice.parent.name}” holds {question.choice.numbers.toLocaleString(locale)} numbers.</b> With members
			under it it holds none of its own. They go, unchanged, to:
		</p>
		<p class="mt-2 flex items-center gap-2">
			<select class="select select-sm w-72" aria-label="The member that takes the numbers" bind:value={child}>
				<option value="">Choose a member…</option>
				{#each question.choice.children as each (each.code)}<option value={each.code}>{each.name} ({each.code})</option>{/each}
			</select>
			<button class="btn btn-sm btn-primary" disabled={child === ''} onclick={() => void question.retry(child)}
				>Move the numbers there</button
			>
			<button class="btn btn-sm" onclick={close}>Leave it as it was</button>
		</p>
	{:else if question.kind === 'effect'}
		<p><b class="font-semibold">This changes figures.</b> The totals that move most:</p>
		<EffectTable lines={question.lines} {locale} />
		<p class="flex gap-2">
			<button class="btn btn-sm btn-primary" onclick={() => void question.goOn()}>Change it</button>
			<button class="btn btn-sm" onclick={close}>Keep it as it is</button>
		</p>
	{:else}
		<p>
			<b class="font-semibold">“{question.used.member.name}” is in use</b>:
			{question.used.uses
				.slice(0, 6)
				.map(({ kind, name, count }) =>
					!count
						? name
						: kind === 'choice'
							? `chosen ${count.toLocaleString(locale)} times in ${name}`
							: `${count.toLocaleString(locale)} numbers in ${name}`
				)
				.join(', ')}{question.used.uses.length > 6 ? ' …' : ''}.
		</p>
		<p class="mt-2 flex gap-2">
			<button class="btn btn-sm btn-primary" onclick={() => void members.remove({ way: 'retire' }, question.used.member.id)}
				>Retire it: no new entries, history stays</button
			>
			<button
				class="btn btn-sm"
				onclick={() => {
					close();
					oninspect();
				}}>Replace it by another…</button
			>
			<button class="btn btn-sm" onclick={close}>Cancel</button>
		</p>
	{/if}
</div>
