<script lang="ts">
	import { useShell } from '$lib/ui/shell/shell.svelte';
	import MemberTree from '$lib/ui/structure/MemberTree.svelte';

	let { data } = $props();
	const shell = useShell();
	$effect.pre(() => shell.at({ name: 'Structure', path: '/structure' }, { name: data.dimension.name }));
</script>

{#key data.dimension.name}
	<MemberTree name={data.dimension.name} kind={data.dimension.kind} members={data.dimension.members} />
{/key}
