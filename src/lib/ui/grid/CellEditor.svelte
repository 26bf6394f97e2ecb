<script lang="ts">
	import { onMount } from 'svelte';

	interface Props {
		label: string;
		valueType: string;
		/** What may be chosen, for accounts of choices. */
		choices: readonly { member: number; code: string; name: string }[];
		text: string;
		/** Whether all of the text is selected at first: one edits what stands there. */
		selects: boolean;
		onkey: (event: KeyboardEvent) => void;
		onleave: () => void;
	}
	let { label, valueType, choices, text = $bindable(), selects, onkey, onleave }: Props = $props();

	const id = $props.id();
	let input: HTMLInputElement;
	let at = $state(-1);
	let typed = $state(false);
	const offered = $derived(
		valueType !== 'choice'
			? []
			: choices
					.filter(
						({ name, code }) =>
							!typed || name.toLowerCase().includes(text.toLowerCase()) || code.toLowerCase().startsWith(text.toLowerCase())
					)
					.slice(0, 12)
	);

	onMount(() => {
		// The grid has brought the cell into sight already.
		input.focus({ preventScroll: true });
		if (selects) input.select();
		else typed = true;
	});

	function onkeydown(event: KeyboardEvent) {
		if (offered.length > 0 && (event.key === 'ArrowDown' || event.key === 'ArrowUp')) {
			at = Math.max(0, Math.min(at + (event.key === 'ArrowDown' ? 1 : -1), offered.length - 1));
			event.preventDefault();
			event.stopPropagation();
			return;
		}
		if ((event.key === 'Enter' || event.key === 'Tab') && offered[at]) text = offered[at]?.name ?? text;
		onkey(event);
	}
	function choose(name: string) {
		text = name;
		onkey(new KeyboardEvent('keydown', { key: 'Enter' }));
	}
</script>

<input
	bind:this={input}
	class={['editor', (valueType === 'text' || valueType === 'choice') && 'words']}
	aria-label={label}
	role={valueType === 'choice' ? 'combobox' : undefined}
	aria-expanded={valueType === 'choice' ? offered.length > 0 : undefined}
	aria-controls={valueType === 'choice' ? `${id}-list` : undefined}
	aria-activedescendant={offered[at] ? `${id}-${at}` : undefined}
	autocomplete="off"
	placeholder={valueType === 'date' ? '2027-04-01' : undefined}
	bind:value={text}
	oninput={() => {
		typed = true;
		// Emptied, it chooses nothing: Enter then empties the cell.
		at = valueType === 'choice' && text.trim() !== '' ? 0 : -1;
	}}
	{onkeydown}
	onblur={onleave}
/>
{#if offered.length > 0}
	<ul id="{id}-list" role="listbox" aria-label="Choices" class="choices">
		{#each offered as { member, name, code }, index (member)}
			<!-- svelte-ignore a11y_click_events_have_key_events -->
			<li
				id="{id}-{index}"
				role="option"
				aria-selected={index === at}
				class={[index === at && 'at']}
				onpointerdown={(event) => {
					event.preventDefault();
					event.stopPropagation();
				}}
				onclick={() => choose(name)}
			>
				{name} <span class="text-grey font-mono text-[11px]">{code}</span>
			</li>
		{/each}
	</ul>
{/if}

<style>
	.editor {
		position: absolute;
		inset: 2px;
		min-width: 90px;
		left: auto;
		width: calc(100% - 4px);
		padding: 0 6px;
		text-align: right;
		background: var(--raised);
		color: var(--color-base-content);
		outline: none;
		z-index: 4;
	}
	/* Words grow to the right, where their cell begins. */
	.words {
		left: 2px;
		right: auto;
		text-align: left;
		min-width: 180px;
	}
	.choices {
		position: absolute;
		top: 100%;
		left: 0;
		z-index: 6;
		min-width: 180px;
		max-height: 220px;
		overflow: auto;
		background: var(--raised);
		border: 1px solid var(--rule);
		border-radius: 6px;
		text-align: left;
		font-weight: 400;
		color: var(--color-base-content);
		box-shadow: 0 6px 18px rgb(0 0 0 / 0.14);
	}
	.choices li {
		padding: 3px 9px;
		cursor: pointer;
	}
	.choices .at,
	.choices li:hover {
		background: var(--color-base-200);
	}
</style>
