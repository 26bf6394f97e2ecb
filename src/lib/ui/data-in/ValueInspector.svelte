<script lang="ts">
	import type { RuleDetails } from '$lib/server/import';
	import { formatAmount, formatCount } from '../figures/format';
	import type { ImportDesk } from './import-desk.svelte';
	import MemberPick from './MemberPick.svelte';

	interface Props {
		desk: ImportDesk;
		rule: RuleDetails;
		value: string;
		/** What a batch says of it, where it is not in the rows at hand. */
		from?: { rows: number; amount: number; label: string; reverseSign?: boolean };
		mayWrite: boolean;
		mayCreate: boolean;
		locale: string;
	}
	let { desk, rule, value, from, mayWrite, mayCreate, locale }: Props = $props();

	const looked = $derived(desk.unmapped(rule.dimension, value));
	const facts = $derived(looked ?? from);
	let parent = $state.raw<{ id: number; name: string } | null>(null);
	// svelte-ignore state_referenced_locally
	let name = $state(looked?.label || from?.label || value);
	let busy = $state(false);

	async function doing(work: Promise<boolean>) {
		busy = true;
		if (await work) desk.selection = { kind: 'rule', dimension: rule.dimension };
		busy = false;
	}
</script>

<p class="text-grey text-xs">Value</p>
<h2 class="font-mono text-2xl font-semibold break-words">{value === '' ? '(empty)' : value}</h2>
<p class="text-grey text-[13px]">
	{rule.name}, {rule.words}{facts
		? ` · ${formatCount(facts.rows, locale)} ${facts.rows === 1 ? 'row' : 'rows'} · ${formatAmount(facts.amount, locale)} in all`
		: ''}
</p>
{#if facts?.reverseSign}<p class="text-soft text-[13px]">The values around it turn the sign of their rows; so will this one.</p>{/if}
{#if facts?.label}<p class="text-soft text-[13px]">The source calls it “{facts.label}”.</p>{/if}

{#if mayWrite}
	{#if looked && looked.suggestions.length > 0}
		<h3 class="text-grey mt-5 mb-1 text-xs font-semibold">Looks like</h3>
		<ul>
			{#each looked.suggestions as suggestion (suggestion.member)}
				<li class="border-hairline flex items-baseline justify-between gap-2 border-b border-dotted py-1">
					<span>{suggestion.name} <span class="text-grey text-xs">{suggestion.reason}</span></span>
					<button
						class="font-semibold hover:underline"
						disabled={busy}
						onclick={() => doing(desk.mapValue(rule.dimension, value, suggestion.member, suggestion.name))}
						>Use<span class="sr-only"> {suggestion.name}</span></button
					>
				</li>
			{/each}
		</ul>
	{/if}
	<h3 class="text-grey mt-5 mb-1 text-xs font-semibold">Or another member</h3>
	<MemberPick
		dimension={rule.dimension}
		label="Member for {value || 'the empty value'}"
		onpick={(member) => doing(desk.mapValue(rule.dimension, value, member.id, member.name))}
	/>
	{#if mayCreate && value !== '' && rule.kind !== 'period'}
		<h3 class="text-grey mt-5 mb-1 text-xs font-semibold">Or make it</h3>
		<form
			class="grid gap-1.5"
			onsubmit={(event) => {
				event.preventDefault();
				void doing(desk.createMember(rule.dimension, value, name, parent?.id ?? null));
			}}
		>
			<input class="input input-sm w-full" aria-label="Name of the new member" bind:value={name} required maxlength="200" />
			<MemberPick
				dimension={rule.dimension}
				of="all"
				label="Under which member"
				placeholder="Under which member"
				chosen={parent?.name}
				onpick={(member) => (parent = member)}
			/>
			<button class="btn btn-sm" disabled={busy || parent === null}>{parent ? `Create “${name}” under ${parent.name}` : 'Create'}</button>
		</form>
	{/if}
	<h3 class="text-grey mt-5 mb-1 text-xs font-semibold">Or</h3>
	<p class="border-hairline flex justify-between border-b border-dotted py-1">
		Leave these rows out <button
			class="font-semibold hover:underline"
			disabled={busy}
			onclick={() => doing(desk.skipValue(rule.dimension, value))}>Skip</button
		>
	</p>
{/if}
