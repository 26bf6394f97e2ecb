<script lang="ts">
	import DesignPage from '$lib/ui/form-design/DesignPage.svelte';

	let { data } = $props();
</script>

<svelte:head><title>New form · Noble Lattice</title></svelte:head>
<DesignPage opened={data.opened} locale={data.person.locale} />
