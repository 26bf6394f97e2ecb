<script lang="ts">
	import { invalidateAll } from '$app/navigation';
	import { formatMoment } from '$lib/ui/figures/format';
	import { request } from '$lib/ui/request';
	import { useShell } from '$lib/ui/shell/shell.svelte';

	let { data } = $props();
	useShell().at({ name: 'Your sign-in' });
	let present = $state('');
	let next = $state('');
	let told = $state<{ words: string; isFault: boolean } | null>(null);
	const others = $derived(data.sessions.filter(({ here }) => !here).length);

	async function change(event: SubmitEvent) {
		event.preventDefault();
		const reply = await request('/api/account/password', { present, next });
		told = reply.ok
			? { words: 'The password is changed. You are signed out everywhere else.', isFault: false }
			: { words: reply.message, isFault: true };
		if (!reply.ok) return;
		present = next = '';
		await invalidateAll();
	}
	async function endOthers() {
		const reply = await request('/api/account/sign-out-elsewhere', {});
		told = reply.ok ? { words: 'You are signed out everywhere else.', isFault: false } : { words: reply.message, isFault: true };
		await invalidateAll();
	}
</script>

<main class="min-h-0 overflow-auto px-4.5 pt-3.5 pb-6">
	<h1 class="text-xl font-semibold tracking-tight">Your sign-in</h1>
	<p class="text-soft mb-4">{data.person.name}, {data.email}</p>
	{#if told}<p class={['mb-3', told.isFault ? 'text-error' : 'text-success']} role={told.isFault ? 'alert' : 'status'}>{told.words}</p>{/if}
	<div class="grid max-w-4xl gap-8 md:grid-cols-2">
		<form class="grid content-start gap-2" onsubmit={change} aria-label="Change the password">
			<h2 class="font-semibold">Change the password</h2>
			<input type="text" autocomplete="username" value={data.email} hidden />
			<label class="text-grey text-xs"
				>Present password<input
					class="input input-sm text-base-content w-full"
					type="password"
					autocomplete="current-password"
					bind:value={present}
					required
				/></label
			>
			<label class="text-grey text-xs"
				>New password, {data.leastLength} characters or more<input
					class="input input-sm text-base-content w-full"
					type="password"
					autocomplete="new-password"
					minlength={data.leastLength}
					bind:value={next}
					required
				/></label
			>
			<button class="btn btn-primary btn-sm justify-self-start">Change it</button>
		</form>
		<section aria-labelledby="sessions">
			<h2 id="sessions" class="font-semibold">Where you are signed in</h2>
			<ul class="border-hairline mt-1 border-t">
				{#each data.sessions as { since, here }, index (index)}
					<li class="border-hairline flex border-b py-1">
						Since {formatMoment(since, data.person.locale)}{#if here}<span class="text-grey ml-auto">here</span>{/if}
					</li>
				{/each}
			</ul>
			{#if others > 0}<button class="btn btn-sm mt-2" onclick={endOthers}
					>Sign out {others === 1 ? 'there' : `of the other ${others}`}</button
				>{/if}
		</section>
	</div>
</main>
