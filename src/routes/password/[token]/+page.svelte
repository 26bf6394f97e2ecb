<script lang="ts">
	import Mark from '$lib/ui/shell/Mark.svelte';
	import { onMount } from 'svelte';

	let { data, form } = $props();
	let ready = $state(false);
	onMount(() => (ready = true));
</script>

<svelte:head><title>Set a password · Noble Lattice</title></svelte:head>

<main class="bg-base-100 text-base-content grid min-h-screen place-items-center p-6" data-ready={ready || undefined}>
	<section class="w-full max-w-80">
		<div class="mb-6 flex items-center gap-3">
			<Mark />
			<h1 class="text-xl font-[650] tracking-tight">Set a password</h1>
		</div>
		{#if data.owner}
			<p class="text-soft mb-3">
				For {data.owner.name}, {data.owner.email}. A few words that do not belong together are easy to keep in mind.
			</p>
			<form method="POST" class="space-y-3">
				<input type="text" name="username" autocomplete="username" value={data.owner.email} hidden />
				<label class="block"
					><span class="text-soft text-[13px]">Password, {data.leastLength} characters or more</span>
					<input
						class="input bg-raised w-full"
						name="password"
						type="password"
						autocomplete="new-password"
						minlength={data.leastLength}
						required
					/>
				</label>
				<label class="block"
					><span class="text-soft text-[13px]">Once more</span>
					<input class="input bg-raised w-full" name="again" type="password" autocomplete="new-password" required />
				</label>
				{#if form?.message}<p class="text-error" role="alert">{form.message}</p>{/if}
				<button class="btn btn-primary w-full">Set it</button>
			</form>
		{:else}
			<p>{form?.message ?? 'This link holds no more: it was used, or its time is over.'}</p>
			<p class="mt-3"><a class="text-primary font-semibold" href="/forgot">Ask for another one</a></p>
		{/if}
	</section>
</main>
