<script lang="ts">
	interface Props {
		values: number[];
		label: string;
	}
	let { values, label }: Props = $props();

	const WIDTH = 64;
	const HEIGHT = 18;
	/** The values as a line from left to right; flat when there is only one. */
	const points = $derived.by(() => {
		const low = Math.min(...values);
		const reach = Math.max(...values) - low || 1;
		const y = (value: number) => HEIGHT - 2 - ((value - low) / reach) * (HEIGHT - 4);
		if (values.length === 1) return `0,${HEIGHT / 2} ${WIDTH},${HEIGHT / 2}`;
		return values.map((value, index) => `${((index / (values.length - 1)) * WIDTH).toFixed(1)},${y(value).toFixed(1)}`).join(' ');
	});
</script>

{#if values.length > 0}
	<svg viewBox="0 0 {WIDTH} {HEIGHT}" width={WIDTH} height={HEIGHT} role="img" aria-label={label}>
		<polyline {points} fill="none" stroke="var(--color-secondary)" stroke-width="1.5" stroke-linejoin="round" />
	</svg>
{/if}
