<script lang="ts">
	import FormPage from '$lib/ui/form/FormPage.svelte';

	let { data } = $props();
</script>

<!-- Another form, or the same in another branch, is another page: its grid, draft and inspector begin anew. -->
{#key `${data.branch?.id ?? ''} ${data.opened.code}`}
	<FormPage {data} />
{/key}
