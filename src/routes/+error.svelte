<script lang="ts">
	import { page } from '$app/state';
	import Mark from '$lib/ui/shell/Mark.svelte';
</script>

<svelte:head><title>{page.status} · Noble Lattice</title></svelte:head>

<main class="bg-base-100 text-base-content grid min-h-screen place-items-center">
	<div class="max-w-md space-y-3 p-6">
		<Mark />
		<h1 class="text-xl font-semibold">{page.error?.message}</h1>
		<p><a class="text-primary font-semibold underline" href="/">To the desk</a></p>
	</div>
</main>
