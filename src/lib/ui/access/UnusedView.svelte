<script lang="ts">
	import { group } from 'd3-array';
	import type { UnusedRight } from '$lib/server/access';
	import type { AccessDesk } from './access-desk.svelte';
	import { formatMoment } from '../figures/format';

	interface Props {
		desk: AccessDesk;
		rights: readonly UnusedRight[];
		locale: string;
	}
	let { desk, rights, locale }: Props = $props();
	const people = $derived([...group(rights, ({ person }) => person)]);
</script>

<section class="max-w-4xl" aria-label="Rights that are not used">
	<div class="mb-2 flex items-baseline gap-2">
		<p class="text-soft grow text-[13px]">
			What people may do in this model and have not done for 90 days, or not since their use is kept. To take it away, change the role or
			who has it.
		</p>
		<a class="btn btn-sm" href="{desk.report}?of=unused&as=xlsx" download>XLSX</a>
		<a class="btn btn-sm" href="{desk.report}?of=unused&as=csv" download>CSV</a>
	</div>
	<table class="w-full text-[13.5px]" aria-label="Rights not used in 90 days">
		<thead
			><tr class="text-grey border-rule border-b text-left text-xs"
				><th class="py-1 font-normal">Person</th><th class="font-normal">May</th><th class="font-normal">By</th><th class="font-normal"
					>Used last</th
				></tr
			></thead
		>
		<tbody>
			{#each people as [name, lines] (name)}
				{#each lines as { right, roles, used }, index (right)}
					<tr class={index === 0 ? 'border-rule border-t' : ''}>
						<td class="py-0.5 pr-3"
							>{#if index === 0}<b class="font-semibold">{name}</b>{/if}</td
						>
						<td class="pr-3">{right}</td>
						<td class="text-soft pr-3">{roles.join(', ')}</td>
						<td class="text-soft">{used ? formatMoment(used, locale) : 'never'}</td>
					</tr>
				{/each}
			{:else}<tr><td class="text-soft py-2" colspan="4">Everything that is given is used.</td></tr>{/each}
		</tbody>
	</table>
</section>
