<script lang="ts">
	import { invalidateAll } from '$app/navigation';
	import { at } from '$lib/ui/at';
	import { request } from '$lib/ui/request';
	import { useShell } from '$lib/ui/shell/shell.svelte';
	import Differences from '$lib/ui/structure/package/Differences.svelte';
	import { PackageDesk } from '$lib/ui/structure/package/package-desk.svelte';

	let { data } = $props();
	useShell().at({ name: 'Structure', path: '/structure' }, { name: 'Model package' });

	const desk = new PackageDesk();
	let numbers = $state(true);
	let name = $state('');
	let fault = $state<string | null>(null);
	let making = $state(false);
	const count = (number: number) => number.toLocaleString(data.person.locale);

	async function look(chosen: File | undefined) {
		if (!chosen) return;
		fault = null;
		await desk.compare(chosen);
		const { compared } = desk;
		if (compared) name = data.models.some((model) => model.name === compared.name) ? `${compared.name} copy` : compared.name;
	}
	async function create() {
		if (!desk.file) return;
		making = true;
		const reply = await request<{ code: string }>(`/api/structure/package/create?name=${encodeURIComponent(name)}`, desk.file);
		making = false;
		fault = reply.ok ? null : reply.message;
		if (reply.ok) location.assign(`/m/${encodeURIComponent(reply.answer.code)}/structure`);
	}
</script>

<main class="min-h-0 overflow-auto px-4.5 pt-3.5 pb-6">
	<h1 class="text-xl font-semibold tracking-tight">Model package</h1>
	<p class="text-soft mb-4 max-w-3xl">
		The whole model as one zip: JSON files in a stable order, so that two versions can be compared as text, and the numbers as CSV. People,
		grants and unsaved entries are not part of it.
	</p>
	<section class="mb-5" aria-label="Out">
		<h2 class="mb-1.5 font-semibold">Out</h2>
		<div class="flex items-center gap-4">
			<label class="flex items-center gap-1.5"
				><input type="checkbox" class="checkbox checkbox-xs" bind:checked={numbers} /> with its numbers</label
			>
			<a class="btn btn-sm btn-primary" href={at(`/api/structure/package/export?numbers=${numbers ? 'yes' : 'no'}`)} download
				>Export {data.model.name}</a
			>
		</div>
	</section>
	<section aria-label="In">
		<h2 class="mb-1.5 font-semibold">In</h2>
		<input
			class="file-input file-input-sm w-96"
			type="file"
			accept=".zip"
			aria-label="Model package"
			onchange={(event) => void look(event.currentTarget.files?.[0])}
		/>
		{#if desk.busy && !desk.compared}<p class="text-grey mt-2">{desk.busy}</p>{/if}
		{#if desk.say}<p
				class={['mt-2', desk.say.kind === 'error' ? 'text-error' : 'text-soft']}
				role={desk.say.kind === 'error' ? 'alert' : 'status'}
			>
				{desk.say.text}
			</p>{/if}
		{#if desk.compared}
			{@const compared = desk.compared}
			<p class="mt-3">
				<b class="font-semibold">{compared.name}</b>: {count(compared.members)} members, {count(compared.forms)} forms, {count(
					compared.imports
				)} imports{compared.numbers === null ? ', no numbers' : `, ${count(compared.numbers)} series of numbers`}.
			</p>
			<form
				class="mt-2 flex items-center gap-2"
				onsubmit={(event) => {
					event.preventDefault();
					void create();
				}}
			>
				<label class="flex items-center gap-2"
					>Make a new model of it, named <input class="input input-sm bg-raised w-60" maxlength="80" bind:value={name} /></label
				>
				<button class="btn btn-sm" disabled={making || desk.busy !== null || name.trim() === ''}
					>{making ? 'Making the model…' : 'Make the model'}</button
				>
			</form>
			{#if fault}<p class="text-error mt-2" role="alert">{fault}</p>{/if}
			<h3 class="mt-5 mb-1 font-semibold">
				{compared.count === 0
					? `It holds the same as ${data.model.name}.`
					: `${count(compared.count)} ${compared.count === 1 ? 'difference' : 'differences'} from ${data.model.name}`}
			</h3>
			{#if compared.count > 0}
				<p class="text-soft mb-1.5 max-w-3xl">
					Take over what {data.model.name} shall have too; numbers stay as they are.
					{#if compared.count > compared.differences.length}Here are the first {count(compared.differences.length)}: take of them what you
						want, then compare again.{/if}
				</p>
				<Differences {desk} locale={data.person.locale} taken={invalidateAll} />
			{/if}
		{/if}
	</section>
</main>
