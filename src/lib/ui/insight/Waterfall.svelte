<script lang="ts">
	import type { WaterfallStep } from './tile-data';

	interface Props {
		steps: readonly WaterfallStep[];
		shown: (value: number) => string;
		height?: number;
		/** +1 where more is good news, −1 where less is, 0 where neither. */
		favourable: number;
		onpick?: (member: number) => void;
	}
	let { steps, shown, height = 240, favourable, onpick }: Props = $props();

	let width = $state(600);
	const LABELS = 34;
	const TOP = 18;
	const levels = $derived(steps.flatMap(({ from, to, kind }) => (kind === 'total' ? [to] : [from, to])));
	/** Where totals would dwarf what leads from one to the other, the axis begins higher, and says so. */
	const begins = $derived.by(() => {
		const [least, most] = [Math.min(...levels), Math.max(...levels)];
		return least > 0 && most - least < most * 0.4 ? Math.max(0, least - (most - least) * 0.6) : 0;
	});
	const low = $derived(begins > 0 ? begins : Math.min(0, ...levels));
	const high = $derived(Math.max(0, ...levels));
	const y = $derived((value: number) => TOP + ((high - Math.max(value, low)) / (high - low || 1)) * (height - TOP - LABELS));
	const slot = $derived(width / Math.max(1, steps.length));
	const bar = $derived(Math.min(64, slot * 0.62));
	const colorOf = ({ kind }: WaterfallStep, place: number) => {
		if (kind === 'total') return place === 0 ? 'var(--mark)' : 'var(--color-primary)';
		if (favourable === 0) return 'var(--color-secondary)';
		return (kind === 'up') === favourable > 0 ? 'var(--color-success)' : 'var(--color-error)';
	};
	const cut = (text: string) => {
		const most = Math.max(4, Math.floor(slot / 6.2));
		return text.length > most ? `${text.slice(0, most - 1)}…` : text;
	};
	const inWords = ({ label, kind, change }: WaterfallStep) => `${label}: ${kind === 'total' ? '' : change > 0 ? '+' : ''}${shown(change)}`;
</script>

<div bind:clientWidth={width} class="w-full">
	<svg {width} {height} viewBox="0 0 {width} {height}" role="group" aria-label="From {steps[0]?.label} to {steps.at(-1)?.label}">
		<line x1="0" x2={width} y1={y(0)} y2={y(0)} stroke="var(--rule)" />
		{#each steps as step, place (place)}
			{@const x = place * slot + (slot - bar) / 2}
			{@const top = y(Math.max(step.from, step.to))}
			{#if place < steps.length - 1}
				<line x1={x + bar} x2={x + slot} y1={y(step.to)} y2={y(step.to)} stroke="var(--mark)" stroke-dasharray="2 2" />
			{/if}
			{#if onpick && step.member !== null}
				<rect
					role="button"
					tabindex="0"
					aria-label={inWords(step)}
					class="cursor-pointer"
					{x}
					width={bar}
					y={top}
					height={Math.max(1, Math.abs(y(step.to) - y(step.from)))}
					fill={colorOf(step, place)}
					onclick={() => onpick(step.member!)}
					onkeydown={(event) => (event.key === 'Enter' || event.key === ' ') && onpick(step.member!)}
				/>
			{:else}
				<rect
					role="img"
					aria-label={inWords(step)}
					{x}
					width={bar}
					y={top}
					height={Math.max(1, Math.abs(y(step.to) - y(step.from)))}
					fill={colorOf(step, place)}
				/>
			{/if}
			<text
				x={x + bar / 2}
				y={top - 5}
				text-anchor="middle"
				aria-hidden="true"
				class={['text-[11px] tabular-nums', step.kind === 'total' && 'font-semibold']}
				fill="var(--color-base-content)">{step.kind !== 'total' && step.change > 0 ? '+' : ''}{shown(step.change)}</text
			>
			<text x={x + bar / 2} y={height - 14} text-anchor="middle" aria-hidden="true" class="text-[11px]" fill="var(--grey)"
				>{cut(step.label)}<title>{step.label}</title></text
			>
		{/each}
	</svg>
	{#if begins > 0}<p class="text-grey text-xs">The axis is cut: it begins at {shown(begins)}.</p>{/if}
</div>
