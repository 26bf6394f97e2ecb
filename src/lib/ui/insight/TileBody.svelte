<script lang="ts">
	import type { Tile } from '$lib/core';
	import type { TileAnswer } from '$lib/server/insight';
	import { at } from '../at';
	import { formatFigure, formatMoment } from '../figures/format';
	import Markdown from '../Markdown.svelte';
	import DrawnChart from '../figures/DrawnChart.svelte';
	import { axisFrom, chartOptions, whyNotDrawn } from './chart-options';
	import FigureTile from './FigureTile.svelte';
	import { chartData, cutInWords, waterfall, type ChartSeries } from './tile-data';
	import RunbookTile from './RunbookTile.svelte';
	import TileTable from './TileTable.svelte';
	import Waterfall from './Waterfall.svelte';

	interface Props {
		tile: Tile;
		answer: TileAnswer | undefined;
		/** Whether a chart is read as a table. */
		asTable: boolean;
		height: number;
		scale: number;
		locale: string;
		/** The board's currency: a view may be in another. */
		currency: string;
		onopen: (members: Record<number, number>) => void;
		onwhy: (place: number[]) => void;
	}
	let { tile, answer, asTable, height, scale, locale, currency, onopen, onwhy }: Props = $props();
	let chart = $state<ReturnType<typeof DrawnChart>>();

	const writtenOf = (series: Pick<ChartSeries, 'line' | 'percent'>) => (value: number) => {
		const valueType = series.percent ? ('percent' as const) : series.line.valueType;
		return formatFigure(
			value,
			{ valueType, decimals: series.percent ? 1 : series.line.decimals, scale: valueType === 'money' ? scale : 1 },
			locale
		);
	};
	const data = $derived(answer?.kind === 'figures' ? chartData(answer) : undefined);
	const steps = $derived(answer?.kind === 'steps' ? waterfall(answer, answer.names) : undefined);
	const undrawn = $derived(tile.kind === 'chart' && data ? whyNotDrawn(tile.chart, data) : undefined);
	const cut = $derived(
		tile.kind === 'chart' && data
			? axisFrom(
					tile.chart,
					data.series.flatMap(({ values }) => values)
				)
			: undefined
	);
	/** What must be known to read it: another currency than the board's, less than the period, columns left out. */
	const notes = $derived.by((): string[] => {
		if (answer?.kind === 'steps') {
			const { before, after } = answer.cut;
			return [...(after ? [`${answer.names.chosen} ${after}`] : []), ...(before ? [`${answer.names.against} ${before}`] : [])];
		}
		if (answer?.kind !== 'figures') return [];
		const isDrawn = tile.kind === 'chart' && !asTable;
		return [
			...(answer.currency === currency ? [] : [`In ${answer.currency === 'local' ? 'local currency' : answer.currency}`]),
			...(isDrawn && cutInWords(answer) ? [cutInWords(answer)] : []),
			...(isDrawn && answer.moreColumns > 0 ? [`${answer.moreColumns} more columns are not drawn`] : [])
		];
	});
	const STATES = {
		holds: ['text-success', 'holds'],
		fails: ['text-error', 'does not hold'],
		'cannot tell': ['text-warning', 'cannot tell']
	} as const;
	const ORDER = ['approved', 'submitted', 'in progress', 'returned', 'not started'];

	/** A picture of the chart, as an address. */
	export const picture = (as: 'png' | 'svg') => chart?.picture(as);
</script>

{#if notes.length > 0}<p class="text-warning text-xs">{notes.join(' · ')}</p>{/if}
{#if !answer}
	<p class="text-grey text-[13px]" role="status">The figures are on their way.</p>
{:else if answer.kind === 'fault'}
	<p class="text-warning text-[13px]" role="status">{answer.message}</p>
{:else if answer.kind === 'figures' && answer.outside}
	<p class="text-grey text-[13px]">{answer.outside}</p>
{:else if answer.kind === 'figures'}
	{#if tile.kind === 'figure' && !asTable}
		<FigureTile figures={answer} {scale} {locale} {onopen} />
	{:else if tile.kind === 'chart' && !asTable && data}
		{#if undrawn}<p class="text-grey text-[13px]">{undrawn}</p>
		{:else}
			<DrawnChart
				bind:this={chart}
				kind="{tile.chart} {data.series.length} {data.units.length}"
				label="{tile.title}: {data.series.map(({ name }) => name).join(', ')}"
				options={(look) =>
					chartOptions(tile.chart, data, {
						...look,
						height: height - (cut === undefined ? 0 : 16),
						shown: (value, series) => writtenOf(series)(value)
					})}
			/>
			{#if cut !== undefined}<p class="text-grey text-xs">
					The axis is cut: it begins at {data.series[0] ? writtenOf(data.series[0])(cut) : cut}.
				</p>{/if}
			{#if answer.more > 0 && !answer.restIsSum}<p class="text-grey text-xs">{answer.more} more are not drawn.</p>{/if}
		{/if}
	{:else}
		<TileTable figures={answer} {scale} {locale} label={tile.title} isView={tile.kind === 'view'} {onopen} />
	{/if}
{:else if answer.kind === 'steps'}
	{#if !steps}<p class="text-grey text-[13px]">Nothing is here for these choices.</p>
	{:else if asTable}
		<table class="w-full text-[12.5px]" aria-label={tile.title}>
			<tbody>
				{#each steps as { label, change, kind }, place (place)}
					<tr class="border-hairline border-t">
						<th scope="row" class={['py-0.5 text-left font-normal', kind === 'total' && 'font-semibold']}>{label}</th>
						<td class={['text-right tabular-nums', kind === 'total' && 'font-semibold']}
							>{kind !== 'total' && change > 0 ? '+' : ''}{writtenOf({ line: answer.account, percent: false })(change)}</td
						>
					</tr>
				{/each}
			</tbody>
		</table>
	{:else}
		<Waterfall
			{steps}
			favourable={answer.favourable}
			height={height - 16}
			shown={writtenOf({ line: answer.account, percent: false })}
			onpick={() => onwhy(answer.place)}
		/>
	{/if}
{:else if answer.kind === 'note' && tile.kind === 'note'}
	<div class="h-full overflow-auto text-[13.5px]"><Markdown text={tile.text} /></div>
{:else if answer.kind === 'checks'}
	{#if answer.checks.length === 0}<p class="text-grey text-[13px]">{answer.name} has no checks.</p>{/if}
	<ul class="text-[13px]">
		{#each answer.checks as { label, state, where } (label)}
			<li class="border-hairline flex gap-2 border-t py-1 first:border-0">
				<span class="grow">{label}</span><span class={STATES[state][0]}
					>{STATES[state][1]}{where.length > 0 ? ` in ${where.join(', ')}` : ''}</span
				>
			</li>
		{/each}
	</ul>
{:else if answer.kind === 'progress'}
	{#each answer.rounds as round (round.id)}
		<a class="block text-[13px]" href={at(`/cycle/${round.id}`)}>
			<span class="flex gap-2"
				><span class="grow font-semibold">{round.name}</span><span class="text-soft"
					>{round.approved} of {round.units} approved{round.late > 0 ? ', ' : ''}</span
				>{#if round.late > 0}<span class="text-error">{round.late} late</span>{/if}</span
			>
			<span
				class="bg-base-300 my-1 flex h-2 overflow-hidden rounded-sm"
				role="img"
				aria-label={ORDER.map((state) => `${round.states[state] ?? 0} ${state}`).join(', ')}
			>
				{#each ORDER as state, place (state)}
					<span
						style="width: {((round.states[state] ?? 0) / Math.max(1, round.units)) * 100}%; background: {[
							'var(--color-success)',
							'var(--color-secondary)',
							'var(--mark)',
							'var(--color-accent)',
							'transparent'
						][place]}"
					></span>
				{/each}
			</span>
			<span class="text-grey text-xs"
				>{ORDER.filter((state) => round.states[state])
					.map((state) => `${round.states[state]} ${state}`)
					.join(' · ')}</span
			>
		</a>
	{:else}<p class="text-grey text-[13px]">No round of planning is under way.</p>{/each}
{:else if answer.kind === 'out of date'}
	<ul class="text-[13px]">
		{#each answer.runs as { runbook, name, at: moment } (runbook)}
			<li class="border-hairline flex gap-2 border-t py-1 first:border-0">
				<a class="grow underline-offset-2 hover:underline" href={at(`/rules/${runbook}`)}>{name}</a><span class="text-grey"
					>run {formatMoment(moment, locale)}</span
				>
			</li>
		{:else}<li class="text-grey">Nothing that ran is out of date.</li>{/each}
	</ul>
{:else if answer.kind === 'picture' && tile.kind === 'picture'}
	{#if tile.picture === 0}<p class="text-grey text-[13px]">No picture has been chosen yet.</p>
	{:else}<img class="h-full w-full object-contain object-left" src={at(`/api/boards/pictures/${tile.picture}`)} alt={tile.alt} />{/if}
{:else if answer.kind === 'runbook' && tile.kind === 'runbook'}
	<RunbookTile runbook={tile.runbook} name={tile.label || answer.name} mayRun={answer.mayRun} />
{/if}
