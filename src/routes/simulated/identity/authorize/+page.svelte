<script lang="ts">
	let { data } = $props();
</script>

<svelte:head><title>Brinewater sign-on, simulated</title></svelte:head>

<main class="bg-base-100 text-base-content grid min-h-screen place-items-center p-6">
	<section class="w-full max-w-lg" aria-labelledby="who">
		<h1 id="who" class="text-xl font-semibold tracking-tight">Brinewater sign-on</h1>
		<p class="text-soft mt-0.5 mb-3">Another system, simulated: it asks for no password. Choose who you are.</p>
		<ul class="border-hairline border-t">
			{#each data.people as { id, name, title } (id)}
				<li class="border-hairline border-b">
					<a
						class="hover:bg-base-200 flex items-baseline gap-3 px-2 py-1.5"
						href="/simulated/identity/authorize{data.search}&as={id}"
						data-sveltekit-reload
					>
						<span class="w-36 shrink-0 font-semibold">{name}</span><span class="text-soft">{title}</span></a
					>
				</li>
			{/each}
		</ul>
	</section>
</main>
