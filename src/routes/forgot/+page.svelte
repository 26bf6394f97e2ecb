<script lang="ts">
	import Mark from '$lib/ui/shell/Mark.svelte';
	import { onMount } from 'svelte';

	let { form } = $props();
	let ready = $state(false);
	onMount(() => (ready = true));
</script>

<svelte:head><title>A new password · Noble Lattice</title></svelte:head>

<main class="bg-base-100 text-base-content grid min-h-screen place-items-center p-6" data-ready={ready || undefined}>
	<section class="w-full max-w-80">
		<div class="mb-6 flex items-center gap-3">
			<Mark />
			<h1 class="text-xl font-[650] tracking-tight">A new password</h1>
		</div>
		{#if form?.sent}
			<p role="status">
				If somebody here has this address, a letter with a link is on its way. It holds for two hours. Where no mail is sent, an
				administrator finds it under Access, Letters.
			</p>
		{:else}
			<form method="POST" class="space-y-3">
				<label class="block"
					><span class="text-soft text-[13px]">E-mail address</span>
					<input class="input bg-raised w-full" name="email" type="email" autocomplete="username" required />
				</label>
				{#if form?.message}<p class="text-error" role="alert">{form.message}</p>{/if}
				<button class="btn btn-primary w-full">Send me a link</button>
			</form>
		{/if}
		<p class="mt-4"><a class="text-primary font-semibold" href="/sign-in">To the sign-in</a></p>
	</section>
</main>
