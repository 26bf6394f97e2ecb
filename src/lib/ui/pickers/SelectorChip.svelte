<script lang="ts" module>
	export interface Choice {
		value: string;
		name: string;
		depth: number;
		parent: boolean;
	}
</script>

<script lang="ts">
	import Check from '@lucide/svelte/icons/check';
	import ChevronDown from '@lucide/svelte/icons/chevron-down';

	interface Props {
		name: string;
		chosen: string;
		choices: Choice[];
		/** Whether the reader has to choose before anything is shown. */
		asks?: boolean;
		onchoose: (value: string) => void;
	}
	let { name, chosen, choices, asks = false, onchoose }: Props = $props();

	const id = $props.id();
	let popover: HTMLDivElement;
	let search: HTMLInputElement | undefined = $state();
	let text = $state('');
	let at = $state(0);
	let opened = $state(false);

	const chosenName = $derived(asks ? 'choose…' : (choices.find(({ value }) => value === chosen)?.name ?? ''));
	/** All choices as a tree, or those that match what was typed. */
	const found = $derived(
		text.trim() === '' ? choices : choices.filter((choice) => choice.name.toLowerCase().includes(text.trim().toLowerCase()))
	);

	function choose(choice: Choice | undefined) {
		if (!choice) return;
		popover.hidePopover();
		if (asks || choice.value !== chosen) onchoose(choice.value);
	}

	function ontoggle(event: ToggleEvent) {
		opened = event.newState === 'open';
		if (!opened) return;
		text = '';
		at = Math.max(
			0,
			choices.findIndex(({ value }) => value === chosen)
		);
		search?.focus();
	}

	function onkeydown(event: KeyboardEvent) {
		if (event.key === 'ArrowDown') at = Math.min(at + 1, found.length - 1);
		else if (event.key === 'ArrowUp') at = Math.max(at - 1, 0);
		else if (event.key === 'Enter') choose(found[at]);
		else return;
		event.preventDefault();
		document.getElementById(`${id}-${at}`)?.scrollIntoView({ block: 'nearest' });
	}
</script>

<button
	class="border-rule bg-raised hover:border-mark inline-flex items-center gap-1.5 rounded-md border px-2 py-0.5 text-[13px] whitespace-nowrap"
	popovertarget={id}
	style="anchor-name: --{id}"
	aria-haspopup="listbox"
	aria-label="{name}: {chosenName}"
>
	<span class="text-grey text-xs">{name}</span>
	<span class="font-semibold">{chosenName}</span>
	<ChevronDown size={13} class="text-grey" aria-hidden="true" />
</button>

<div
	bind:this={popover}
	{id}
	popover="auto"
	class="bg-raised border-rule text-base-content absolute m-0 w-72 rounded-md border p-0 shadow-lg"
	style="inset: auto; position-anchor: --{id}; top: calc(anchor(bottom) + 4px); left: anchor(left); position-try-fallbacks: flip-inline;"
	{ontoggle}
>
	{#if choices.length > 8}
		<input
			bind:this={search}
			type="text"
			aria-label="Find in {name}"
			placeholder="Find in {name}"
			class="border-hairline w-full border-b bg-transparent px-3 py-2 outline-none"
			bind:value={text}
			oninput={() => (at = 0)}
			{onkeydown}
		/>
	{/if}
	<!-- svelte-ignore a11y_autofocus -->
	<ul
		class="max-h-72 overflow-auto p-1 outline-none"
		role="listbox"
		aria-label={name}
		tabindex="0"
		autofocus={choices.length <= 8}
		{onkeydown}
		aria-activedescendant="{id}-{at}"
	>
		{#each found as choice, index (choice.value)}
			<!-- The keys are the list's: an option is not a button of its own. -->
			<!-- svelte-ignore a11y_click_events_have_key_events -->
			<li
				id="{id}-{index}"
				role="option"
				tabindex="-1"
				aria-selected={choice.value === chosen}
				class={[
					'flex cursor-pointer items-center gap-1.5 rounded py-1 pr-2',
					index === at && opened && 'bg-base-200',
					choice.parent && 'font-semibold'
				]}
				style="padding-left: {8 + (text ? 0 : choice.depth) * 16}px"
				onclick={() => choose(choice)}
				onpointermove={() => (at = index)}
			>
				<span class="grow">{choice.name}</span>
				{#if choice.value === chosen}<Check size={14} class="text-primary" aria-hidden="true" />{/if}
			</li>
		{:else}
			<li class="text-grey px-2 py-1.5" role="presentation">Nothing by that name.</li>
		{/each}
	</ul>
</div>
