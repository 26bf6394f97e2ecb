<script lang="ts">
	import { goto } from '$app/navigation';
	import { page } from '$app/state';
	import { at } from '$lib/ui/at';
	import { request } from '$lib/ui/request';
	import { useShell } from '$lib/ui/shell/shell.svelte';
	import { onMount } from 'svelte';

	const shell = useShell();
	shell.at({ name: 'Insight', path: '/insight' }, { name: 'Explore' });
	let fault = $state('');

	/** Begins a view where the address says, and goes there in the place of this page. */
	onMount(() => {
		const asked = page.url.searchParams;
		const choices = Object.fromEntries(
			[...asked].filter(([name]) => /^d\d+$/.test(name)).map(([name, member]) => [name.slice(1), Number(member)])
		);
		const place = asked.get('place')?.split('.').map(Number);
		const from = asked.get('from');
		const member = asked.has('member') ? Number(asked.get('member')) : undefined;
		void request<{ code: string }>('/api/views/start', {
			...(place && { place }),
			...(from && { from, choices }),
			...(member !== undefined && { member })
		}).then((reply) => {
			if (reply.ok)
				void goto(at(`/insight/explore/${reply.answer.code}${asked.has('in') ? `?in=${asked.get('in')}` : ''}`), { replaceState: true });
			else fault = reply.message;
		});
	});
</script>

<main class="px-4.5 pt-4">
	<h1 class="text-xl font-semibold tracking-tight">Explore</h1>
	{#if fault}<p class="text-error mt-2" role="alert">{fault} <a class="underline" href={at('/insight')}>To Insight</a></p>
	{:else}<p class="text-grey mt-2" role="status">The figures are being laid out.</p>{/if}
</main>
