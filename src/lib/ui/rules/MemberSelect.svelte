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
		onchange: (value: number | { variable: string } | null) => void;
	}
	let { label, dimension, value, leaves = false, parameters = [], parameter, none = 'Choose…', onchange }: Props = $props();
	const offered = $derived((dimension?.members ?? []).filter(({ leaf }) => leaf || !leaves));
</script>

<select
	class="select select-sm w-full"
	aria-label={label}
	value={parameter !== undefined ? `$${parameter}` : value === null ? '' : String(value)}
	onchange={(event) => {
		const chosen = event.currentTarget.value;
		onchange(chosen === '' ? null : chosen.startsWith('$') ? { variable: chosen.slice(1) } : Number(chosen));
	}}
>
	<option value="">{none}</option>
	{#each parameters as name (name)}<option value="${name}">${name}</option>{/each}
	{#each offered as member (member.id)}<option value={String(member.id)}>{member.name}</option>{/each}
</select>
