<script lang="ts">
	interface StripPeriod {
		code: string;
		name: string;
		level: string;
		start: string;
		end: string;
		parent?: string | undefined;
	}
	interface Props {
		/** The periods of one fiscal year, parents before what is under them. */
		periods: readonly StripPeriod[];
		locale: string;
		/** Codes of closed leaf periods. */
		closed?: ReadonlySet<string>;
		onperiod?: ((code: string) => void) | undefined;
	}
	let { periods, locale, closed = new Set(), onperiod }: Props = $props();

	const day = (date: string) => Date.parse(`${date}T00:00:00Z`) / 86_400_000;
	const shown = (date: string) =>
		new Intl.DateTimeFormat(locale, { day: 'numeric', month: 'short', year: 'numeric', timeZone: 'UTC' }).format(
			new Date(`${date}T00:00:00Z`)
		);
	const year = $derived(periods.find(({ level }) => level === 'year'));
	const from = $derived(year ? day(year.start) : 0);
	const days = $derived(year ? day(year.end) - from + 1 : 1);
	/** A band a level, from the coarsest to the finest; days are too many to draw. */
	const bands = $derived(
		['half', 'quarter', 'month', 'week']
			.map((level) => periods.filter((period) => period.level === level))
			.filter((band) => band.length > 0)
	);
	const weeks = ({ start, end }: StripPeriod) => (day(end) - day(start) + 1) / 7;
	const short = (period: StripPeriod, band: readonly StripPeriod[]) => (band.length > 20 ? '' : period.name.replace(/ (FY)?\d{4}$/, ''));
</script>

{#if year}
	<figure class="min-w-0" aria-label="The year {year.name}">
		<figcaption class="text-[13px]">
			<b class="font-semibold">{year.name}</b>
			<span class="text-grey"
				>{shown(year.start)} – {shown(year.end)}{Number.isInteger(days / 7) &&
				bands.some((band) => band.some((each) => Number.isInteger(weeks(each))))
					? `, ${days / 7} weeks`
					: ''}</span
			>
		</figcaption>
		{#each bands as band, depth (depth)}
			{@const inWeeks = band.every((each) => Number.isInteger(weeks(each)))}
			<div class="relative mt-0.5" style:height="{band.length > 20 ? 10 : 24}px">
				{#each band as period, index (period.code)}
					{@const whole = inWeeks ? weeks(period) : Number.NaN}
					<button
						type="button"
						class={['span', index % 2 === 1 && 'odd', closed.has(period.code) && 'closed']}
						style:left="{((day(period.start) - from) / days) * 100}%"
						style:width="{((day(period.end) - day(period.start) + 1) / days) * 100}%"
						title="{period.name}: {shown(period.start)} – {shown(period.end)}{Number.isInteger(whole) && whole > 1
							? `, ${whole} weeks`
							: ''}{closed.has(period.code) ? ', closed' : ''}"
						aria-label="{period.name}, {shown(period.start)} to {shown(period.end)}{closed.has(period.code) ? ', closed' : ''}"
						tabindex={onperiod && band.length <= 20 ? 0 : -1}
						disabled={!onperiod}
						onclick={() => onperiod?.(period.code)}
					>
						{short(period, band)}{#if band.length <= 20 && Number.isInteger(whole) && whole > 1 && whole < 10}<span
								class="text-grey ml-1 text-[11px]">{whole}w</span
							>{/if}
					</button>
				{/each}
			</div>
		{/each}
	</figure>
{/if}

<style>
	.span {
		position: absolute;
		top: 0;
		bottom: 0;
		padding: 0 5px;
		overflow: hidden;
		border-left: 1px solid var(--mark);
		background: var(--color-base-200);
		color: var(--color-base-content);
		font-size: 12px;
		line-height: 22px;
		text-align: left;
		white-space: nowrap;
	}
	.odd {
		background: var(--color-base-300);
	}
	.closed {
		background-image: repeating-linear-gradient(135deg, transparent 0 5px, var(--rule) 5px 6px);
	}
	.span:not(:disabled):hover {
		color: var(--color-primary);
		text-decoration: underline;
	}
</style>
