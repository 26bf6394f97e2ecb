<script lang="ts">
	import type { FoundMember } from '$lib/server/structure';
	import { request } from '../request';

	interface Props {
		dimension: number;
		label: string;
		of?: 'leaves' | 'parents' | 'all';
		/** The name of what is chosen now. */
		chosen?: string;
		placeholder?: string;
		onpick: (member: FoundMember) => void;
	}
	let { dimension, label, of = 'leaves', chosen = '', placeholder = 'Find by name or code', onpick }: Props = $props();

	const id = $props.id();
	let text = $state('');
	let open = $state(false);
	let at = $state(0);
	let found = $state.raw<readonly FoundMember[]>([]);
	let ask = 0;
	let closing: ReturnType<typeof setTimeout> | undefined;

	async function look() {
		const number = ++ask;
		const reply = await request<{ members: FoundMember[] }>(
			`/api/members?dimension=${dimension}&of=${of}&text=${encodeURIComponent(text)}`
		);
		if (number !== ask || !reply.ok) return;
		found = reply.answer.members;
		at = 0;
	}
	function pick(member: FoundMember | undefined) {
		if (!member) return;
		open = false;
		text = '';
		onpick(member);
	}
	function onkeydown(event: KeyboardEvent) {
		if (event.key === 'ArrowDown') at = Math.min(at + 1, found.length - 1);
		else if (event.key === 'ArrowUp') at = Math.max(at - 1, 0);
		else if (event.key === 'Enter') pick(found[at]);
		else if (event.key === 'Escape' && open) open = false;
		else return;
		event.preventDefault();
		event.stopPropagation();
		document.getElementById(`${id}-${at}`)?.scrollIntoView({ block: 'nearest' });
	}
</script>

<span class="relative block">
	<input
		type="text"
		class="input input-sm w-full"
		role="combobox"
		aria-label={label}
		aria-expanded={open}
		aria-controls="{id}-list"
		aria-activedescendant={open && found[at] ? `${id}-${at}` : undefined}
		autocomplete="off"
		placeholder={chosen || placeholder}
		class:chosen={chosen !== ''}
		bind:value={text}
		onfocus={() => {
			// Whoever comes right back finds it open.
			clearTimeout(closing);
			open = true;
			void look();
		}}
		oninput={() => {
			open = true;
			void look();
		}}
		onblur={() => (closing = setTimeout(() => (open = false), 120))}
		{onkeydown}
	/>
	{#if open}
		<ul
			id="{id}-list"
			role="listbox"
			aria-label={label}
			class="bg-raised border-rule absolute z-20 mt-0.5 max-h-64 w-full min-w-56 overflow-auto rounded-md border shadow-lg"
		>
			{#each found as member, index (member.id)}
				<!-- svelte-ignore a11y_click_events_have_key_events -->
				<li
					id="{id}-{index}"
					role="option"
					aria-selected={index === at}
					class={['cursor-pointer px-2.5 py-1', index === at && 'bg-base-200']}
					onpointerenter={() => (at = index)}
					onpointerdown={(event) => event.preventDefault()}
					onclick={() => pick(member)}
				>
					<span class="font-semibold">{member.name}</span> <span class="text-grey font-mono text-xs">{member.code}</span>
					{#if member.under}<span class="text-grey block text-xs leading-4">{member.under}</span>{/if}
				</li>
			{:else}<li class="text-grey px-2.5 py-1.5">No member is called so.</li>{/each}
		</ul>
	{/if}
</span>

<style>
	.chosen::placeholder {
		color: var(--color-base-content);
		opacity: 1;
	}
</style>
