<script lang="ts">
	import DesignPage from '$lib/ui/form-design/DesignPage.svelte';

	let { data } = $props();
</script>

<svelte:head><title>Design {data.opened.design.name} · Noble Lattice</title></svelte:head>
<!-- Another form is another desk. -->
{#key data.opened.code}<DesignPage opened={data.opened} locale={data.person.locale} />{/key}
