<!-- One person, or several: shown by name, added by name or address, each taken off with its cross. -->
<script lang="ts">
	import X from '@lucide/svelte/icons/x';

	interface Props {
		title: string;
		/** Addresses, with “; ” between them. */
		value: string;
		several: boolean;
		/** Names by address. */
		people: Record<string, string>;
		/** @returns whether it was taken */
		onchange: (value: string) => Promise<boolean>;
	}
	let { title, value, several, people, onchange }: Props = $props();

	const id = $props.id();
	const chosen = $derived(value === '' ? [] : value.split('; '));
	const offered = $derived(Object.entries(people).filter(([email]) => !chosen.includes(email)));
	let text = $state('');

	async function add() {
		const wanted = text.trim();
		if (wanted === '') return;
		if (await onchange(several ? [...chosen, wanted].join('; ') : wanted)) text = '';
	}
</script>

<div class="flex min-w-0 flex-wrap items-center gap-1">
	{#each chosen as email (email)}
		<span class="border-rule bg-raised inline-flex items-center gap-1 rounded border px-1.5" title={email}>
			{people[email] ?? email}
			<button
				class="text-grey hover:text-base-content"
				aria-label="{title} without {people[email] ?? email}"
				onclick={() => void onchange(chosen.filter((each) => each !== email).join('; '))}><X size={12} aria-hidden="true" /></button
			>
		</span>
	{/each}
	{#if several || chosen.length === 0}
		<input
			class="border-rule bg-raised h-6 w-24 min-w-0 grow rounded border px-1.5"
			aria-label={several ? `Add to ${title}` : title}
			placeholder="Name or address"
			list="{id}-people"
			bind:value={text}
			onchange={() => void add()}
		/>
		<datalist id="{id}-people">
			{#each offered as [email, name] (email)}<option value={name}>{email}</option>{/each}
		</datalist>
	{/if}
</div>
