<script lang="ts">
	import { onMount } from 'svelte';

	let { text }: { text: string } = $props();
	let render = $state.raw<(text: string) => string>();

	onMount(async () => {
		const [{ marked }, { default: purify }] = await Promise.all([import('marked'), import('dompurify')]);
		render = (source) => purify.sanitize(marked.parse(source, { async: false }), { FORBID_TAGS: ['style', 'form', 'input', 'img'] });
	});
</script>

{#if render}
	<!-- Made safe by the line above. -->
	<!-- eslint-disable-next-line svelte/no-at-html-tags -->
	<div class="prose">{@html render(text)}</div>
{:else}<p class="whitespace-pre-wrap">{text}</p>{/if}

<style>
	.prose :global(p),
	.prose :global(ul),
	.prose :global(ol) {
		margin: 0 0 6px;
	}
	.prose :global(ul) {
		list-style: disc;
		padding-left: 18px;
	}
	.prose :global(ol) {
		list-style: decimal;
		padding-left: 20px;
	}
	.prose :global(h1),
	.prose :global(h2),
	.prose :global(h3) {
		margin: 8px 0 3px;
		font-weight: 600;
	}
	.prose :global(a) {
		text-decoration: underline;
	}
	.prose :global(code) {
		font-family: var(--font-mono, monospace);
		font-size: 0.92em;
	}
</style>
