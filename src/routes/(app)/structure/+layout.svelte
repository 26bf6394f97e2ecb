<script lang="ts">
	import { page } from '$app/state';

	let { data, children } = $props();
	const links = $derived([
		...data.dimensions.map(({ code, name, members, kind }) => ({
			path: `/structure/dimension/${code}`,
			name,
			note: String(members),
			title: `${kind} dimension, ${members} members`
		})),
		{ path: '/structure/calendar', name: 'Calendar', note: '', title: 'How the periods are made' },
		{ path: '/structure/currencies', name: 'Currencies and rates', note: '', title: 'Rate sets by currency and date' }
	]);
</script>

<div class="grid min-h-0 min-w-0 grid-cols-[13rem_minmax(0,1fr)]">
	<nav aria-label="Parts of the structure" class="border-hairline overflow-auto border-r px-2.5 py-3.5">
		{#each links as { path, name, note, title }, index (path)}
			{@const current = page.url.pathname === path}
			{#if index === data.dimensions.length}<hr class="border-hairline my-2" />{/if}
			<a
				href={path}
				{title}
				aria-current={current ? 'page' : undefined}
				class={['flex items-baseline rounded-md px-2 py-1', current ? 'bg-base-200 text-primary font-semibold' : 'hover:bg-base-200']}
			>
				<span class="grow">{name}</span><span class="text-grey text-xs font-normal">{note}</span>
			</a>
		{/each}
	</nav>
	{@render children()}
</div>
