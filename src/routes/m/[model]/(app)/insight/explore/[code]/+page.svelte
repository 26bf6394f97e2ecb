<script lang="ts">
	import ExplorePage from '$lib/ui/insight/ExplorePage.svelte';

	let { data } = $props();
</script>

{#key `${data.branch?.id ?? ''} ${data.opened.code}`}
	<ExplorePage {data} />
{/key}
