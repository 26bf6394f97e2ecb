<script lang="ts">
	import { at } from '$lib/ui/at';
	import type { MemberTable } from '$lib/server/structure';
	import { request } from '$lib/ui/request';
	import { useShell } from '$lib/ui/shell/shell.svelte';
	import MemberPage from './MemberPage.svelte';

	let { data } = $props();
	const shell = useShell();
	$effect.pre(() =>
		shell.at({ name: 'Structure', path: '/structure' }, ...(data.list ? [{ name: 'Lists of choices', path: '/structure/lists' }] : []), {
			name: data.name
		})
	);

	/** The table of a large dimension, fetched once the page stands. */
	let fetched = $state.raw<MemberTable | null>(null);
	let fault = $state<string | null>(null);
	$effect(() => {
		const { code, table } = data;
		fetched = null;
		if (!table)
			void request<MemberTable>(`/api/structure/dimension/${code}`).then((reply) => {
				if (reply.ok) fetched = reply.answer;
				else fault = reply.message;
			});
	});
	const table = $derived(data.table ?? (fetched?.code === data.code ? fetched : null));
</script>

<svelte:head>
	<!-- A large table is on its way while the page's own scripts still load. -->
	{#if !data.table}<link rel="preload" as="fetch" crossorigin="anonymous" href={at(`/api/structure/dimension/${data.code}`)} />{/if}
</svelte:head>

{#if table}
	{#key table.code}
		<MemberPage {table} person={data.person} />
	{/key}
{:else}
	<main class="text-grey px-4.5 pt-3.5">{fault ?? `Reading the members of ${data.name}…`}</main>
{/if}
