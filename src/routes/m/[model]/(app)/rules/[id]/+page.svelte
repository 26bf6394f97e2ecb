<script lang="ts">
	import RunbookPage from './RunbookPage.svelte';

	let { data } = $props();
</script>

{#key data.runbook.id}<RunbookPage {data} />{/key}
