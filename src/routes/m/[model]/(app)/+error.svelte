<script lang="ts">
	import { at } from '$lib/ui/at';
	import { page } from '$app/state';
	import { useShell } from '$lib/ui/shell/shell.svelte';

	useShell().at({ name: page.status === 404 ? 'Not found' : page.status === 403 ? 'Not allowed' : 'Not possible' });
</script>

<main class="col-start-2 p-6">
	<div class="max-w-lg space-y-3">
		<h1 class="text-xl font-semibold">{page.error?.message}</h1>
		<p><a class="text-primary font-semibold underline" href={at('/desk')}>To the desk</a></p>
	</div>
</main>
