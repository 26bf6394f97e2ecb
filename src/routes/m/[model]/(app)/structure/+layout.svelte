<script lang="ts">
	import { at } from '$lib/ui/at';
	import { page } from '$app/state';

	let { data, children } = $props();
	const mayWrite = $derived(data.person.permissions.includes('structure.write'));
	/** A list is edited on the page of a dimension, and found by its own entry. */
	const onList = $derived(data.lists.some(({ code }) => page.url.pathname === at(`/structure/dimension/${code}`)));
	const links = $derived([
		...data.dimensions.map(({ code, name, members, kind, sharedWith }) => ({
			path: `/structure/dimension/${code}`,
			name,
			note: members.toLocaleString(data.person.locale),
			title: `${kind} dimension, ${members} members${sharedWith.length > 0 ? `; shared with ${sharedWith.join(', ')}` : ''}`
		})),
		{
			path: '/structure/lists',
			name: 'Lists of choices',
			note: data.lists.length === 0 ? '' : data.lists.length.toLocaleString(data.person.locale),
			title: 'What accounts of choices let people pick'
		},
		{ path: '/structure/calendar', name: 'Calendar', note: '', title: 'How the periods are made, and which are closed' },
		{ path: '/structure/currencies', name: 'Currencies and rates', note: '', title: 'Rate sets by currency and date' },
		{ path: '/structure/variables', name: 'Variables', note: '', title: 'Named members and numbers, kept in one place' },
		{ path: '/structure/wiring', name: 'Wiring', note: '', title: 'What feeds what' },
		...(mayWrite
			? [
					{ path: '/structure/setting-up', name: 'Setting it up', note: '', title: 'What the model has of what it needs' },
					{
						path: '/structure/dimensions',
						name: 'Dimensions of the model',
						note: '',
						title: 'Add one to the figures that are there, or take one out'
					},
					{ path: '/structure/package', name: 'Model package', note: '', title: 'The whole model as a file, out and in' },
					{ path: '/structure/new-model', name: 'New model', note: '', title: 'Make a model from nothing' }
				]
			: [])
	]);
</script>

<div class="grid min-h-0 min-w-0 grid-cols-[13rem_minmax(0,1fr)]">
	<nav aria-label="Parts of the structure" class="border-hairline overflow-auto border-r px-2.5 py-3.5">
		{#each links as { path, name, note, title }, index (path)}
			{@const current = page.url.pathname === at(path) || (path === '/structure/lists' && onList)}
			{#if index === data.dimensions.length}<hr class="border-hairline my-2" />{/if}
			<a
				href={at(path)}
				{title}
				aria-current={current ? 'page' : undefined}
				class={['flex items-baseline rounded-md px-2 py-1', current ? 'bg-base-200 text-primary font-semibold' : 'hover:bg-base-200']}
			>
				<span class="grow truncate">{name}</span><span class="text-grey text-xs font-normal">{note}</span>
			</a>
		{/each}
	</nav>
	{@render children()}
</div>
