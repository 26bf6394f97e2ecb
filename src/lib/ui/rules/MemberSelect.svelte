<script lang="ts">
	import type { Vocabulary } from '$lib/server/engine';
	import MemberPick from '../data-in/MemberPick.svelte';

	interface Props {
		label: string;
		/** The dimension whose members may be chosen; only those without others beneath them when `leaves`. */
		dimension: Vocabulary['dimensions'][number] | undefined;
		value: number | null;
		leaves?: boolean;
		/** Parameters that may stand for a member, by name. */
		parameters?: readonly string[];
		parameter?: string | undefined;
		/** What it means that none is chosen. */
		none?: string;
		/** One more choice beside members. */
		also?: { words: string; isChosen: boolean };
		onalso?: () => void;
		/** Whether members are found by typing, with what they stand under, beside the list. */
		search?: boolean;
		onchange: (value: number | { variable: string } | null) => void;
	}
	let {
		label,
		dimension,
		value,
		leaves = false,
		parameters = [],
		parameter,
		none = 'Choose…',
		also,
		onalso,
		search = false,
		onchange
	}: Props = $props();
	let searching = $state(false);
	const offered = $derived((dimension?.members ?? []).filter(({ leaf }) => leaf || !leaves));
</script>

<select
	class="select select-sm w-full"
	aria-label={label}
	value={searching ? 'search' : also?.isChosen ? 'also' : parameter !== undefined ? `$${parameter}` : value === null ? '' : String(value)}
	onchange={(event) => {
		const chosen = event.currentTarget.value;
		searching = chosen === 'search';
		if (searching) return;
		if (chosen === 'also') onalso?.();
		else onchange(chosen === '' ? null : chosen.startsWith('$') ? { variable: chosen.slice(1) } : Number(chosen));
	}}
>
	<option value="">{none}</option>
	{#if also}<option value="also">{also.words}</option>{/if}
	{#each parameters as name (name)}<option value="${name}">${name}</option>{/each}
	{#if search && dimension}<option value="search">find one in the tree…</option>{/if}
	{#each offered as member (member.id)}<option value={String(member.id)}>{member.name}</option>{/each}
</select>
{#if searching && dimension}
	<MemberPick
		dimension={dimension.id}
		{label}
		of={leaves ? 'leaves' : 'all'}
		onpick={(member) => {
			searching = false;
			onchange(member.id);
		}}
	/>
{/if}
