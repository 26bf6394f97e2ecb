<script lang="ts">
	import { TILE_BLOCKS } from '$lib/core';
	import type { TileColumn, TileFigures } from '$lib/server/insight';
	import { formatFigure } from '../figures/format';

	interface Props {
		figures: TileFigures;
		scale: number;
		locale: string;
		label: string;
		/** Whether its columns are those of a view: nothing in them is what it is compared with. */
		isView?: boolean;
		/** Opens a figure: its members (ids) by dimension. */
		onopen?: (members: Record<number, number>) => void;
	}
	let { figures, scale, locale, label, isView = false, onopen }: Props = $props();

	const good = $derived(new Set(figures.good));
	const bad = $derived(new Set(figures.bad));
	const drafted = $derived(new Set(figures.drafted));
	const incomplete = $derived(new Set(figures.incomplete));
	function text(row: number, column: number): string {
		const cell = row * figures.columns.length + column;
		const word = figures.words[cell];
		if (word !== undefined) return word;
		const { valueType, decimals } = figures.rows[row]!;
		const { percent } = figures.columns[column]!;
		return formatFigure(
			figures.values[cell] ?? null,
			{
				valueType: percent ? 'percent' : valueType,
				decimals: percent ? 1 : decimals,
				scale: percent || (valueType !== 'money' && valueType !== 'quantity') ? 1 : scaleOf(valueType)
			},
			locale
		);
	}
	const scaleOf = (valueType: string) => (valueType === 'money' ? scale : 1);
	const isCompared = $derived(!isView && figures.columns.some(({ block }) => block === TILE_BLOCKS.against));
	/** What stands over a column's name, where several columns have the same. */
	const overOf = ({ heading, label: name, block }: TileColumn): string =>
		isCompared && block <= TILE_BLOCKS.against
			? block === TILE_BLOCKS.chosen
				? figures.names.chosen
				: figures.names.against
			: heading === name
				? ''
				: heading;
	const headings = $derived(figures.columns.some((column) => overOf(column) !== ''));
</script>

<div class="h-full overflow-auto">
	<table class="w-full border-collapse text-[12.5px]" aria-label={label}>
		<thead class="bg-base-100 sticky top-0">
			<tr>
				<td></td>
				{#each figures.columns as line, column (column)}
					<th scope="col" class="text-grey px-2 pb-1 text-right font-normal whitespace-nowrap"
						>{#if headings}<span class="block text-[11px]">{overOf(line)}</span>{/if}<span class={[line.block > 2 && 'italic']}
							>{line.label}</span
						>{#if line.cut}<span class="block text-[11px] italic">{line.cut}</span>{/if}</th
					>
				{/each}
			</tr>
		</thead>
		<tbody>
			{#each figures.rows as line, row (row)}
				{@const isTotal = line.parent && (figures.rows[row + 1]?.depth ?? 0) > line.depth}
				<tr class="border-hairline border-t">
					<th
						scope="row"
						class={['max-w-60 truncate py-0.5 pr-2 text-left font-normal', isTotal && 'font-semibold']}
						style="padding-left: {line.depth * 12}px"
						title={line.label}
						>{#if onopen && Object.keys(line.members).length > 0}<button
								class="hover:underline"
								onclick={() => onopen({ ...line.members, ...figures.columns[0]?.members })}>{line.label}</button
							>{:else}{line.label}{/if}</th
					>
					{#each figures.columns as _, column (column)}
						{@const cell = row * figures.columns.length + column}
						<td
							class={[
								'px-2 py-0.5 text-right whitespace-nowrap tabular-nums',
								isTotal && 'font-semibold',
								drafted.has(cell) && 'text-primary font-semibold',
								good.has(cell) && 'text-success',
								bad.has(cell) && 'text-error'
							]}
							>{#if drafted.has(cell)}<span aria-hidden="true">◆</span><span class="sr-only">unsaved</span>{/if}{incomplete.has(cell)
								? '≈\u00a0'
								: ''}{text(row, column)}</td
						>
					{/each}
				</tr>
			{/each}
		</tbody>
	</table>
	{#if figures.moreColumns > 0}<p class="text-grey mt-1 text-xs">{figures.moreColumns} more columns are not shown.</p>{/if}
	{#if figures.more > 0}<p class="text-grey mt-1 text-xs">
			{figures.restIsSum ? `The last row puts ${figures.more} smaller ones together.` : `${figures.more} more rows are not shown.`}
		</p>{/if}
</div>
