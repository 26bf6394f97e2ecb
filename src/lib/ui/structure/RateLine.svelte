<script lang="ts">
	interface Props {
		currency: string;
		kind: string;
		spans: { from: string; to: string; value: number }[];
		locale: string;
	}
	let { currency, kind, spans, locale }: Props = $props();

	const WIDTH = 180;
	const HEIGHT = 20;
	const first = $derived(spans[0]);
	const last = $derived(spans.at(-1));
	/** The rates as a line from left to right; flat when there is only one. */
	const points = $derived.by(() => {
		const values = spans.map(({ value }) => value);
		const low = Math.min(...values);
		const reach = Math.max(...values) - low || 1;
		const y = (value: number) => HEIGHT - 2 - ((value - low) / reach) * (HEIGHT - 4);
		if (values.length === 1) return `0,${HEIGHT / 2} ${WIDTH},${HEIGHT / 2}`;
		return values.map((value, index) => `${((index / (values.length - 1)) * WIDTH).toFixed(1)},${y(value).toFixed(1)}`).join(' ');
	});
	const rate = (value: number | undefined) =>
		value === undefined ? '' : value.toLocaleString(locale, { minimumFractionDigits: 4, maximumFractionDigits: 5 });
</script>

<tr class="border-hairline border-b">
	<th scope="row" class="py-1 text-left font-semibold"
		>{#if kind === 'average'}{currency}{:else}<span class="sr-only">{currency}</span>{/if}</th
	>
	<td class="text-soft">{kind}</td>
	<td class="text-right">{rate(first?.value)}</td>
	<td class="text-right">{rate(last?.value)}</td>
	<td class="pl-6">
		<svg
			viewBox="0 0 {WIDTH} {HEIGHT}"
			width={WIDTH}
			height={HEIGHT}
			role="img"
			aria-label="{spans.length} rates from {rate(first?.value)} to {rate(last?.value)}"
		>
			<polyline {points} fill="none" stroke="var(--color-secondary)" stroke-width="1.5" stroke-linejoin="round" />
		</svg>
	</td>
	<td class="text-grey">{first?.from} – {last?.to}</td>
</tr>
