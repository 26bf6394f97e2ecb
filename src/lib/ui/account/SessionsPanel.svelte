<script lang="ts">
	import type { OwnSession } from '$lib/server/session';
	import { formatMoment } from '../figures/format';
	import type { SetOwn } from './set';

	interface Props {
		sessions: readonly OwnSession[];
		locale: string;
		set: SetOwn;
	}
	let { sessions, locale, set }: Props = $props();
	const others = $derived(sessions.filter(({ here }) => !here).length);
</script>

<section aria-labelledby="sessions">
	<h2 id="sessions" class="font-semibold">Where you are signed in</h2>
	<ul class="border-hairline mt-1 border-t">
		{#each sessions as { id, since, seen, address, browser, here } (id)}
			<li class="border-hairline flex items-baseline gap-3 border-b py-1">
				<span class="min-w-0 grow"
					>{browser || 'A browser without a name'}{#if address}<span class="text-soft">, {address}</span>{/if}
					<span class="text-grey block text-xs">since {formatMoment(since, locale)}, used {formatMoment(seen, locale)}</span></span
				>
				{#if here}<span class="text-grey">here</span>
				{:else}<button class="text-primary text-[13px] font-semibold" onclick={() => set('end-session', { id }, 'Signed out there.')}
						>Sign out</button
					>{/if}
			</li>
		{/each}
	</ul>
	{#if others > 1}<button class="btn btn-sm mt-2" onclick={() => set('sign-out-elsewhere', {}, 'You are signed out everywhere else.')}
			>Sign out of the other {others}</button
		>{/if}
</section>
