<script lang="ts">
	// A number typed in the person's own way. What cannot be read stays in sight, with a sentence.
	import { tick } from 'svelte';
	import { asTyped, typedNumber, typedPercent } from './typed';

	interface Props {
		label: string;
		value: number | null;
		/** Shown and typed as a percentage; the value is its fraction. */
		percent?: boolean;
		/** A text beside numbers that means something here, such as the name of what is asked. */
		otherwise?: { shown: string; read: (text: string) => boolean };
		title?: string;
		readonly?: boolean;
		class?: string;
		/** Null: empty, or what stands there is no number. */
		onchange: (value: number | null) => void;
	}
	let { label, value, percent = false, otherwise, title, readonly = false, class: look = '', onchange }: Props = $props();

	const uid = $props.id();
	let unread = $state('');
	// Another number from outside takes the place of what could not be read.
	let last: number | null = null;
	$effect(() => {
		if (value !== null && value !== last) unread = '';
		last = value;
	});
	const shown = $derived(otherwise?.shown || (value === null ? '' : asTyped(percent ? Math.round(value * 1e8) / 1e6 : value)));

	async function take(field: HTMLInputElement) {
		const text = field.value.trim();
		unread = '';
		if (otherwise?.read(text)) return;
		const number = text === '' ? null : percent ? typedPercent(text) : typedNumber(text);
		if (number === undefined) unread = text;
		onchange(number ?? null);
		// Also where the number is the one that stood there, written in another way.
		await tick();
		field.value = unread || shown;
	}
</script>

<input
	class="input text-base-content {look}"
	class:input-error={unread !== ''}
	inputmode={otherwise ? 'text' : 'decimal'}
	aria-label={label}
	aria-invalid={unread !== ''}
	aria-describedby={unread === '' ? undefined : `${uid}-fault`}
	{title}
	{readonly}
	value={unread || shown}
	onchange={(event) => void take(event.currentTarget)}
/>
{#if unread !== ''}<span id="{uid}-fault" role="alert" class="text-error text-xs"
		>“{unread.slice(0, 40)}” is not a number as you write it.</span
	>{/if}
