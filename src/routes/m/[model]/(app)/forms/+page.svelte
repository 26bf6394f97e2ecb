<script lang="ts">
	import { at } from '$lib/ui/at';
	import { useShell } from '$lib/ui/shell/shell.svelte';
	import Pencil from '@lucide/svelte/icons/pencil';

	let { data } = $props();
	const shell = useShell();
	shell.at({ name: 'Forms' });
	let text = $state('');
	const mayDesign = $derived(data.person.permissions.includes('form.design'));
	const shown = $derived(
		data.forms.filter(({ name, description }) => `${name} ${description}`.toLowerCase().includes(text.trim().toLowerCase()))
	);
	const folders = $derived([...new Set(shown.map(({ folder }) => folder))].sort());
</script>

<main class="overflow-auto px-4.5 py-4">
	<div class="flex max-w-4xl items-center gap-3">
		<h1 class="grow text-xl font-semibold tracking-tight">Forms</h1>
		{#if data.forms.length > 6}<input
				class="input input-sm w-56"
				aria-label="Find a form"
				placeholder="Find a form"
				bind:value={text}
			/>{/if}
		{#if mayDesign}<a class="btn btn-primary btn-sm" href={at('/forms/new')}>New form</a>{/if}
	</div>
	{#each folders as folder (folder)}
		<section class="mt-4 max-w-4xl" aria-label={folder || 'Without a folder'}>
			<h2 class="text-grey mb-1 text-[13px] font-semibold">{folder || 'Without a folder'}</h2>
			<ul class="border-rule border-t">
				{#each shown.filter((form) => form.folder === folder) as form (form.code)}
					<li class="border-hairline hover:bg-base-200 flex items-baseline border-b">
						<a href={at(`/forms/${form.code}`)} class="flex min-w-0 grow items-baseline gap-4 px-2 py-2.5">
							<span class="w-56 shrink-0 font-semibold">{form.name}</span>
							<span class="text-soft min-w-0 truncate">{form.description}</span>
						</a>
						{#if mayDesign}<a
								class="btn btn-ghost btn-xs mr-1 shrink-0 self-center"
								href={at(`/forms/${form.code}/design`)}
								aria-label="Change {form.name}"><Pencil size={13} aria-hidden="true" /> Change</a
							>{/if}
					</li>
				{/each}
			</ul>
		</section>
	{:else}
		<p class="text-soft mt-3 max-w-xl">
			{#if text.trim() !== ''}No form is called so.
			{:else if mayDesign}There are no forms in this model yet. Design the first one: put dimensions on rows and columns and publish it.
			{:else}There are no forms for you in this model yet. Ask an administrator to design one.{/if}
		</p>
	{/each}
</main>
