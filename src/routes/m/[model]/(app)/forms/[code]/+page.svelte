<script lang="ts">
	import FormPage from './FormPage.svelte';

	let { data } = $props();
</script>

<!-- Another form is another page: its grid, draft and inspector begin anew. -->
{#key data.opened.code}
	<FormPage {data} />
{/key}
