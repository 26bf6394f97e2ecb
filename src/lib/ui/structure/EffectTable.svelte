<!-- Totals before and after a change of definitions: those that would move most. -->
<script lang="ts">
	import type { EffectLine } from '$lib/server/engine';

	import { formatAmount } from '../figures/format';

	let { lines, locale }: { lines: EffectLine[]; locale: string } = $props();
	const figure = (value: number | null) => (value === null ? 'empty' : formatAmount(value, locale));
</script>

<table class="my-1.5 text-[13px]">
	<tbody>
		{#each lines as line, index (index)}
			<tr>
				<th scope="row" class="pr-4 text-left font-semibold">{line.account}{line.member ? `, ${line.member}` : ''}</th>
				<td class="text-soft pr-4">{line.scenario}, {line.period}</td>
				<td class="pr-2 text-right">{figure(line.before)}</td>
				<td class="text-grey pr-2">→</td>
				<td class="text-right font-semibold">{figure(line.after)}</td>
			</tr>
		{/each}
	</tbody>
</table>
