<script lang="ts">
	import { useShell } from '$lib/ui/shell/shell.svelte';
	import AddDimension from '$lib/ui/structure/AddDimension.svelte';
	import ChangeList from '$lib/ui/structure/ChangeList.svelte';
	import TakeOutDimension from '$lib/ui/structure/TakeOutDimension.svelte';

	let { data } = $props();
	useShell().at({ name: 'Structure', path: '/structure' }, { name: 'Dimensions of the model' });
	const general = $derived(data.dimensions.filter(({ kind }) => kind === 'general'));
</script>

<main class="grid min-h-0 content-start gap-5 overflow-auto px-4.5 pt-3.5 pb-6 text-[13.5px]">
	<h1 class="text-xl font-semibold tracking-tight">Dimensions of the model</h1>
	<AddDimension choices={data.choices} locale={data.person.locale} />
	{#if general.length > 0 || data.returnable}
		<TakeOutDimension dimensions={general} returnable={data.returnable} locale={data.person.locale} />
	{/if}
	<ChangeList changes={data.changes} locale={data.person.locale} />
</main>
