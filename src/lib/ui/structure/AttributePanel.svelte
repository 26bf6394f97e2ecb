<script lang="ts">
	import type { FieldSpec } from '$lib/core';
	import type { Snippet } from 'svelte';
	import { request } from '../request';

	interface Props {
		code: string;
		fields: FieldSpec[];
		mayWrite: boolean;
		onchanged: () => void;
		children?: Snippet;
	}
	let { code, fields, mayWrite, onchanged, children }: Props = $props();

	const TYPES = ['text', 'number', 'yes/no', 'choice', 'date', 'person', 'currency'] as const;
	let name = $state('');
	let type = $state<(typeof TYPES)[number]>('text');
	let choices = $state('');
	let fault = $state<string | null>(null);
	const attributes = $derived(fields.filter(({ key }) => key.startsWith('attribute ')));

	const typeOf = (field: FieldSpec): string => (field.to === 'people' ? 'person' : field.to === 'currencies' ? 'currency' : field.type);

	async function define(event: SubmitEvent) {
		event.preventDefault();
		const list = choices
			.split(/[;\n]/)
			.map((choice) => choice.trim())
			.filter(Boolean);
		const reply = await request(`/api/structure/dimension/${code}/attribute`, { name, type, choices: type === 'choice' ? list : [] });
		fault = reply.ok ? null : reply.message;
		if (!reply.ok) return;
		name = '';
		choices = '';
		onchanged();
	}
	async function remove(attribute: string) {
		const reply = await request(`/api/structure/dimension/${code}/delete-attribute`, { name: attribute });
		fault = reply.ok ? null : reply.message;
		if (reply.ok) onchanged();
	}
</script>

<section class="border-rule bg-base-200 mb-2 rounded-md border px-3.5 py-2.5 text-[13px]" aria-label="Attributes">
	{#if attributes.length === 0}
		<p class="text-grey">
			No attributes yet. An attribute is a property of members that forms and rules can select by: a region, an opening date, a person.
		</p>
	{:else}
		<ul class="flex flex-wrap gap-x-5 gap-y-1">
			{#each attributes as attribute (attribute.key)}
				<li>
					<b class="font-semibold">{attribute.title}</b>
					<span class="text-grey">{typeOf(attribute)}{attribute.choices ? `: ${attribute.choices.join(', ')}` : ''}</span>
					{#if mayWrite}
						<button
							class="ml-1 underline"
							onclick={() => {
								name = attribute.title;
								type = typeOf(attribute) as typeof type;
								choices = (attribute.choices ?? []).join('; ');
							}}>change</button
						>
						<button class="ml-1 underline" onclick={() => void remove(attribute.title)}>delete</button>
					{/if}
				</li>
			{/each}
		</ul>
	{/if}
	{#if mayWrite}
		<form class="mt-2 flex flex-wrap items-center gap-2" onsubmit={define}>
			<input
				class="input input-xs w-44"
				placeholder="Name of an attribute"
				aria-label="Name of the attribute"
				maxlength="80"
				bind:value={name}
			/>
			<select class="select select-xs w-28" aria-label="Type of the attribute" bind:value={type}>
				{#each TYPES as each (each)}<option value={each}>{each}</option>{/each}
			</select>
			{#if type === 'choice'}
				<input
					class="input input-xs w-64"
					placeholder="North; South; Islands"
					aria-label="Choices, separated by semicolons"
					bind:value={choices}
				/>
			{/if}
			<button class="btn btn-xs" disabled={name.trim() === ''}>Define</button>
			{#if fault}<span class="text-error" role="alert">{fault}</span>{/if}
		</form>
	{/if}
	{@render children?.()}
</section>
