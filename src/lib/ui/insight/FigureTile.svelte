<script lang="ts">
	import type { TileFigures } from '$lib/server/insight';
	import { formatFigure } from '../figures/format';
	import { cutInWords, figureShown } from './tile-data';

	interface Props {
		figures: TileFigures;
		scale: number;
		locale: string;
		onopen?: (members: Record<number, number>) => void;
	}
	let { figures, scale, locale, onopen }: Props = $props();

	const shown = $derived(figureShown(figures));
	const against = $derived(figures.names.against);
	const cut = $derived(cutInWords(figures));
	const format = $derived.by(() => {
		const valueType = shown?.percent ? ('percent' as const) : (shown?.line.valueType ?? 'money');
		return { valueType, decimals: shown?.line.decimals ?? 0, scale: valueType === 'money' ? scale : 1 };
	});
	const text = (value: number | null) => (value === null ? '–' : formatFigure(value, format, locale));
	/** A difference: of shares in points, as a share of a share is another thing. */
	const signed = (value: number) =>
		`${value > 0 ? '+' : ''}${format.valueType === 'percent' ? `${formatFigure(value * 100, { valueType: 'price', decimals: 1 }, locale)} points` : text(value)}`;
	const percent = (value: number) => `${value > 0 ? '+' : ''}${formatFigure(value, { valueType: 'percent', decimals: 1 }, locale)}`;
	const LEVELS = {
		fine: ['text-success', 'as it should be'],
		watch: ['text-accent', 'to be watched'],
		act: ['text-error', 'to be acted on']
	} as const;
	const WIDTH = 120;
	const HEIGHT = 34;
	const points = $derived.by(() => {
		const course = shown?.course ?? [];
		const low = Math.min(...course);
		const reach = Math.max(...course) - low || 1;
		return course
			.map(
				(value, at) =>
					`${((at / Math.max(1, course.length - 1)) * WIDTH).toFixed(1)},${(HEIGHT - 3 - ((value - low) / reach) * (HEIGHT - 6)).toFixed(1)}`
			)
			.join(' ');
	});
</script>

{#if shown}
	<div class="flex items-end gap-3">
		<p
			class={[
				'shrink-0 text-[26px] leading-8 font-semibold tracking-tight whitespace-nowrap tabular-nums',
				shown.isDrafted && 'text-primary'
			]}
		>
			{#if onopen && shown.value !== null}<button
					class="hover:underline"
					title="Explore this figure"
					onclick={() => onopen({ ...shown.line.members, ...figures.columns[0]?.members })}
					>{shown.isIncomplete ? '≈\u00a0' : ''}{shown.word ?? text(shown.value)}</button
				>{:else}{shown.word ?? text(shown.value)}{/if}
		</p>
		{#if shown.course.length > 1}
			<svg
				class="ml-auto hidden h-[34px] max-w-[120px] min-w-0 flex-1 @[14rem]:block"
				viewBox="0 0 {WIDTH} {HEIGHT}"
				preserveAspectRatio="none"
				role="img"
				aria-label="Its course: {shown.course.length} periods, {text(shown.course[0]!)} to {text(shown.course.at(-1)!)}"
			>
				<polyline
					{points}
					fill="none"
					stroke="var(--color-secondary)"
					stroke-width="1.6"
					stroke-linejoin="round"
					vector-effect="non-scaling-stroke"
				/>
			</svg>
		{/if}
	</div>
	<p class="text-grey mt-0.5 text-[12.5px] leading-snug">
		{#if shown.isDrafted}<span class="text-primary">with what is unsaved</span>&nbsp;·&nbsp;
		{/if}{#if against && shown.against === null}{against}: nothing{:else if shown.difference !== null && shown.value !== null}<span
				class={[shown.news === 'good' && 'text-success font-semibold', shown.news === 'bad' && 'text-error font-semibold']}
				>{format.valueType !== 'percent' && shown.share !== null ? percent(shown.share) : signed(shown.difference)}</span
			>
			on {text(shown.against)}, {against}{/if}
		{#if cut}<span class="text-warning whitespace-nowrap">· {cut}</span>{/if}
		{#if shown.level}<span class={['font-semibold whitespace-nowrap', LEVELS[shown.level][0]]}>· {LEVELS[shown.level][1]}</span>{/if}
	</p>
{:else}<p class="text-grey text-[13px]">Nothing is here for these choices.</p>{/if}
