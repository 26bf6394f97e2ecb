<script lang="ts">
	import type { StructureChange } from '$lib/server/structure';
	import { formatMoment } from '../figures/format';

	let { changes, locale }: { changes: StructureChange[]; locale: string } = $props();
</script>

<section class="border-hairline mt-5 max-w-3xl border-t pt-3 text-[13px]" aria-label="History">
	<h2 class="mb-1 font-semibold">History</h2>
	<ul>
		{#each changes as { id, at, person, words } (id)}
			<li class="flex gap-3 py-0.5">
				<span class="text-grey w-32 shrink-0">{formatMoment(at, locale)}</span><span class="text-grey w-36 shrink-0 truncate"
					>{person ?? ''}</span
				>{words}
			</li>
		{:else}
			<li class="text-grey">Not changed since it was made.</li>
		{/each}
	</ul>
</section>
