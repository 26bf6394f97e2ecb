<script lang="ts">
	import { at } from '../at';
	import type { Snippet } from 'svelte';

	interface Props {
		/** Where I am: links from the area down to this page; the last one is this page. */
		trail: { name: string; path?: string }[];
		children?: Snippet;
	}
	let { trail, children }: Props = $props();
</script>

<header class="border-hairline bg-base-100 col-start-2 flex h-11 items-center gap-4 border-b px-4.5">
	<nav aria-label="Where I am" class="text-grey flex min-w-0 items-center gap-1.5 truncate">
		{#each trail as { name, path }, index (index)}
			{#if index > 0}<span aria-hidden="true">/</span>{/if}
			{#if path && index < trail.length - 1}<a href={at(path)} class="hover:text-base-content hover:underline">{name}</a>
			{:else}<span class="text-base-content font-semibold" aria-current="page">{name}</span>{/if}
		{/each}
	</nav>
	<div class="ml-auto flex items-center gap-2">{@render children?.()}</div>
</header>
