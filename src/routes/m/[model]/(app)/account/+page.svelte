<script lang="ts">
	import { invalidateAll } from '$app/navigation';
	import AwayPanel from '$lib/ui/account/AwayPanel.svelte';
	import FactorPanel from '$lib/ui/account/FactorPanel.svelte';
	import PasswordPanel from '$lib/ui/account/PasswordPanel.svelte';
	import SessionsPanel from '$lib/ui/account/SessionsPanel.svelte';
	import { request } from '$lib/ui/request';
	import { useShell } from '$lib/ui/shell/shell.svelte';

	let { data } = $props();
	useShell().at({ name: 'Your sign-in' });
	let told = $state<{ words: string; isFault: boolean } | null>(null);

	/** Sets something of one's own; what came of it is told, and the page shown as it is then. */
	async function set<Answer>(verb: string, body: unknown, words: string): Promise<Answer | undefined> {
		const reply = await request<Answer>(`/api/account/${verb}`, body);
		told = reply.ok ? (words === '' ? null : { words, isFault: false }) : { words: reply.message, isFault: true };
		await invalidateAll();
		return reply.ok ? reply.answer : undefined;
	}
</script>

<main class="min-h-0 overflow-auto px-4.5 pt-3.5 pb-6">
	<h1 class="text-xl font-semibold tracking-tight">Your sign-in</h1>
	{#if data.own}
		{@const own = data.own}
		<p class="text-soft mb-4">{data.person.name}, {own.email}</p>
		{#if told}<p class={['mb-3', told.isFault ? 'text-error' : 'text-success']} role={told.isFault ? 'alert' : 'status'}>
				{told.words}
			</p>{/if}
		<div class="grid max-w-5xl gap-x-12 gap-y-8 md:grid-cols-2">
			{#if own.passwords}<PasswordPanel email={own.email} leastLength={own.leastLength} {set} />{/if}
			<SessionsPanel sessions={own.sessions} locale={data.person.locale} {set} />
			{#if own.passwords}<FactorPanel factor={own.factor} {set} />{/if}
			<AwayPanel
				person={data.person.id}
				substitutes={own.substitutes}
				colleagues={own.colleagues}
				standsInFor={own.standsInFor}
				locale={data.person.locale}
				{set}
			/>
		</div>
	{:else}
		<p class="text-soft">This is {data.person.name}’s own to see and to set.</p>
	{/if}
</main>
