<script lang="ts">
	import RoundDefine from '$lib/ui/cycle/RoundDefine.svelte';
	import { useShell } from '$lib/ui/shell/shell.svelte';

	let { data } = $props();
	useShell().at({ name: 'Cycle', path: '/cycle?all' }, { name: 'A new round' });
</script>

<main class="min-h-0 overflow-auto px-4.5 pt-3.5 pb-6">
	<RoundDefine round={null} choices={data.choices} locale={data.person.locale} />
</main>
