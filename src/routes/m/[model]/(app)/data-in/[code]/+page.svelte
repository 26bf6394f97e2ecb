<script lang="ts">
	import ImportPage from './ImportPage.svelte';

	let { data } = $props();
</script>

{#key data.import.id}
	<ImportPage
		details={data.import}
		batch={data.batch}
		changes={data.changes}
		connections={data.connections}
		models={data.models}
		model={data.model.id}
		person={data.person}
	/>
{/key}
