<script lang="ts">
	import type { ComponentProps } from 'svelte';
	import ScriptCards from './cards/ScriptCards.svelte';
	import type ScriptEditor from './ScriptEditor.svelte';

	/** A script as cards or as text; the editor of texts is large, and comes when it is wanted. */
	let { shownAs, ...script }: ComponentProps<typeof ScriptEditor> & { shownAs: 'text' | 'cards' } = $props();
	const editor = $derived(shownAs === 'text' ? import('./ScriptEditor.svelte') : undefined);
</script>

{#if editor}
	{#await editor}<pre
			class="text-grey border-rule min-h-16 rounded-md border px-3 py-2 text-[13px] whitespace-pre-wrap"
			aria-busy="true">{script.text}</pre>
	{:then { default: Editor }}<Editor {...script} />
	{:catch}<p class="text-error" role="alert">The editor could not be loaded. Reload the page.</p>{/await}
{:else}<ScriptCards {...script} />{/if}
