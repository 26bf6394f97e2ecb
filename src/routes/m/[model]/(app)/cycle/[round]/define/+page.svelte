<script lang="ts">
	import RoundDefine from '$lib/ui/cycle/RoundDefine.svelte';
	import { useShell } from '$lib/ui/shell/shell.svelte';

	let { data } = $props();
	const shell = useShell();
	$effect(() => shell.at({ name: 'Cycle', path: '/cycle?all' }, { name: data.round.name }));
</script>

<main class="min-h-0 overflow-auto px-4.5 pt-3.5 pb-6">
	{#key data.round.id}<RoundDefine round={data.round} choices={data.choices} locale={data.person.locale} />{/key}
</main>
