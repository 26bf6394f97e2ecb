<script lang="ts">
	import BoardPage from '$lib/ui/insight/BoardPage.svelte';

	let { data } = $props();
</script>

{#key `${data.branch?.id ?? ''} ${data.desk.board.id}`}
	<BoardPage {data} />
{/key}
