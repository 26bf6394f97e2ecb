<script lang="ts">
	import { enhance } from '$app/forms';
	import { page } from '$app/state';
	import Mark from '$lib/ui/shell/Mark.svelte';
	import type { SubmitFunction } from '@sveltejs/kit';
	import { onMount } from 'svelte';

	let { data, form } = $props();
	// svelte-ignore state_referenced_locally
	let email = $state(form?.email ?? data.email);
	let password = $state('');
	let code = $state('');
	const step = $derived(form?.step ?? null);
	/** Where the person was going stays in the address of the second step. */
	const keptSearch = $derived(page.url.searchParams.has('to') ? `&to=${encodeURIComponent(page.url.searchParams.get('to')!)}` : '');
	let ready = $state(false);
	onMount(() => (ready = true));
	/** Where a person lands depends on the model they were in last, which the server knows: the page is loaded anew. */
	const submit: SubmitFunction =
		() =>
		async ({ result, update }) => {
			if (result.type === 'redirect') location.assign(result.location);
			else await update({ reset: false });
		};
</script>

<svelte:head><title>Sign in · Noble Lattice</title></svelte:head>

<main class="bg-base-100 text-base-content grid min-h-screen place-items-center p-6" data-ready={ready || undefined}>
	<div class={['grid w-full gap-12', data.demo ? 'max-w-3xl md:grid-cols-[18rem_1fr]' : 'max-w-72']}>
		<section>
			<div class="mb-6 flex items-center gap-3">
				<Mark />
				<h1 class="text-xl font-[650] tracking-tight">Noble Lattice</h1>
			</div>
			{#if data.problem && !form}<p class="text-error mb-3" role="alert">{data.problem}</p>{/if}
			{#if step}
				<form method="POST" action="?/code{keptSearch}" use:enhance={submit} class="space-y-3">
					<input type="hidden" name="step" value={step} />
					<label class="block">
						<span class="text-soft text-[13px]">Code of your second factor, or one of your recovery codes</span>
						<input
							class="input bg-raised w-full"
							name="code"
							autocomplete="one-time-code"
							maxlength="40"
							required
							{@attach (field) => field.focus()}
							bind:value={code}
						/>
					</label>
					{#if form?.message}<p class="text-error" role="alert">{form.message}</p>{/if}
					<button class="btn btn-primary w-full">Sign in</button>
				</form>
				<p class="mt-3"><a class="text-primary text-[13px]" href="/sign-in" data-sveltekit-reload>Begin again</a></p>
			{:else}
				{#if data.provider}
					<a class="btn mb-4 w-full" href={data.provider.address} data-sveltekit-reload>Sign in with {data.provider.name}</a>
				{/if}
				{#if data.passwords}
					<form method="POST" action="?/password{keptSearch}" use:enhance={submit} class="space-y-3">
						<label class="block">
							<span class="text-soft text-[13px]">E-mail address</span>
							<input class="input bg-raised w-full" name="email" type="email" autocomplete="username" required bind:value={email} />
						</label>
						<label class="block">
							<span class="text-soft text-[13px]">Password</span>
							<input
								class="input bg-raised w-full"
								name="password"
								type="password"
								autocomplete="current-password"
								required
								bind:value={password}
							/>
						</label>
						{#if form?.message}<p class="text-error" role="alert">{form.message}</p>{/if}
						<button class="btn btn-primary w-full">Sign in</button>
					</form>
					<p class="mt-3"><a class="text-primary text-[13px]" href="/forgot">I have forgotten my password</a></p>
				{:else if !data.provider}
					<p class="text-soft">Nobody can sign in at the moment: passwords are switched off, and no sign-on is set.</p>
				{/if}
			{/if}
		</section>
		{#if data.demo}
			{@const demo = data.demo}
			<section aria-labelledby="demo-people">
				<h2 id="demo-people" class="font-semibold">The demo: Brinewater Crossings</h2>
				<p class="text-soft mt-0.5 mb-2">
					A made-up group of ferry lines. Choose who you want to be; everyone’s password is <code class="font-mono text-[13px]"
						>{demo.password}</code
					>
				</p>
				<ul class="border-hairline border-t">
					{#each demo.people as person (person.email)}
						<li class="border-hairline border-b">
							<button
								type="button"
								class="hover:bg-base-200 flex w-full items-baseline gap-3 px-2 py-1.5 text-left"
								onclick={() => {
									email = person.email;
									password = demo.password;
								}}
							>
								<span class="w-32 shrink-0 font-semibold">{person.name}</span>
								<span class="text-soft">{person.title}</span>
							</button>
						</li>
					{/each}
				</ul>
			</section>
		{/if}
	</div>
</main>
