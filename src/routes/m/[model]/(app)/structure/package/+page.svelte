<script lang="ts">
	import { at } from '$lib/ui/at';
	import type { Difference } from '$lib/server/package';
	import { request } from '$lib/ui/request';
	import { useShell } from '$lib/ui/shell/shell.svelte';

	let { data } = $props();
	useShell().at({ name: 'Structure', path: '/structure' }, { name: 'Model package' });

	interface Comparison {
		name: string;
		numbers: number | null;
		members: number;
		forms: number;
		imports: number;
		count: number;
		differences: Difference[];
	}
	let numbers = $state(true);
	let file = $state.raw<File | null>(null);
	let compared = $state.raw<Comparison | null>(null);
	let name = $state('');
	let fault = $state<string | null>(null);
	let busy = $state<string | null>(null);
	const count = (number: number) => number.toLocaleString(data.person.locale);

	async function send<Answer>(path: string, body: File): Promise<Answer | undefined> {
		const reply = await request<Answer>(path, body);
		fault = reply.ok ? null : reply.message;
		return reply.ok ? reply.answer : undefined;
	}
	async function look(chosen: File | undefined) {
		if (!chosen) return;
		file = chosen;
		busy = `Reading ${chosen.name}…`;
		compared = (await send<Comparison>('/api/structure/package/compare', chosen)) ?? null;
		busy = null;
		if (compared) name = data.models.some((model) => model.name === compared!.name) ? `${compared.name} copy` : compared.name;
	}
	async function create() {
		if (!file) return;
		busy = 'Making the model…';
		const made = await send<{ code: string; leftOut: string[] }>(`/api/structure/package/create?name=${encodeURIComponent(name)}`, file);
		busy = null;
		if (!made) return;
		location.assign(`/m/${encodeURIComponent(made.code)}/structure`);
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
		{#if busy}<p class="text-grey mt-2">{busy}</p>{/if}
		{#if fault}<p class="text-error mt-2" role="alert">{fault}</p>{/if}
		{#if compared}
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
				<button class="btn btn-sm btn-primary" disabled={busy !== null || name.trim() === ''}>Make the model</button>
			</form>
			<h3 class="mt-5 mb-1 font-semibold">
				{compared.count === 0 ? `It holds the same as ${data.model.name}.` : `${count(compared.count)} differences from ${data.model.name}`}
			</h3>
			{#if compared.count > 0}
				<table class="w-full max-w-4xl text-[13.5px]" aria-label="Differences">
					<thead class="text-grey border-rule border-b text-left text-xs"
						><tr
							><th class="py-1 font-semibold">Part</th><th class="font-semibold">What</th><th class="font-semibold">In the package</th></tr
						></thead
					>
					<tbody>
						{#each compared.differences as difference, index (index)}
							<tr class="border-hairline border-b align-top">
								<td class="text-grey py-0.5 pr-4">{difference.part}</td>
								<td class="pr-4"><span class="text-grey">{difference.what}</span> {difference.name}</td>
								<td class="text-soft">{difference.change}</td>
							</tr>
						{/each}
					</tbody>
				</table>
				{#if compared.count > compared.differences.length}<p class="text-grey mt-1">
						And {count(compared.count - compared.differences.length)} more.
					</p>{/if}
			{/if}
		{/if}
	</section>
</main>
