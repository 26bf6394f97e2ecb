<script lang="ts">
	import type { Vocabulary } from '$lib/server/engine';

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
		onchange: (value: number | { variable: string } | null) => void;
	}
	let { label, dimension, value, leaves = false, parameters = [], parameter, none = 'Choose…', also, onalso, onchange }: Props = $props();
	const offered = $derived((dimension?.members ?? []).filter(({ leaf }) => leaf || !leaves));
</script>

<select
	class="select select-sm w-full"
	aria-label={label}
	value={also?.isChosen ? 'also' : parameter !== undefined ? `$${parameter}` : value === null ? '' : String(value)}
	onchange={(event) => {
		const chosen = event.currentTarget.value;
		if (chosen === 'also') onalso?.();
		else onchange(chosen === '' ? null : chosen.startsWith('$') ? { variable: chosen.slice(1) } : Number(chosen));
	}}
>
	<option value="">{none}</option>
	{#if also}<option value="also">{also.words}</option>{/if}
	{#each parameters as name (name)}<option value="${name}">${name}</option>{/each}
	{#each offered as member (member.id)}<option value={String(member.id)}>{member.name}</option>{/each}
</select>
