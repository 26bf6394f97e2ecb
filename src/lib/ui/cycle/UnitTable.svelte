<script lang="ts">
	import { VirtualRows } from '../virtual-rows.svelte';
	import { shouldStand, type CycleBoardState } from './cycle-board.svelte';

	interface Props {
		board: CycleBoardState;
		locale: string;
	}
	let { board, locale }: Props = $props();
	const ROW = 34;
	const rows = new VirtualRows(() => board.shown.length, ROW, 32);
	const today = new Date().toISOString().slice(0, 10);
	const parents = $derived(board.parents);
	const days = $derived(new Intl.DateTimeFormat(locale, { day: 'numeric', month: 'short', timeZone: 'UTC' }));
	const shortDay = (day: string) => days.format(new Date(`${day}T00:00:00Z`));

	function onkeydown(event: KeyboardEvent) {
		const steps = { ArrowDown: 1, ArrowUp: -1, PageDown: 12, PageUp: -12, Home: -1e6, End: 1e6 }[event.key];
		if (steps !== undefined) board.move(steps, event.shiftKey);
		else if (board.current !== null && (event.key === 'ArrowLeft' || event.key === 'ArrowRight')) {
			if ((event.key === 'ArrowLeft') !== board.folded.has(board.current) && parents.has(board.current)) board.fold(board.current);
		} else if (event.key === ' ' && board.current !== null) void board.choose(board.current, 'more');
		else return;
		event.preventDefault();
		const place = board.shown.findIndex(({ id }) => id === board.current);
		if (place >= 0) rows.show(place);
	}
	const TONE: Record<string, string> = {
		approved: 'text-success',
		returned: 'text-accent font-semibold',
		submitted: 'text-primary font-semibold',
		'not started': 'text-soft',
		'in progress': ''
	};
	const BAR: Record<string, string> = {
		approved: 'var(--color-success)',
		returned: 'var(--color-accent)',
		submitted: 'var(--color-secondary)',
		'in progress': 'var(--color-secondary)',
		'not started': 'var(--color-secondary)'
	};
</script>

<div
	{@attach rows.attach}
	class="units min-h-0 grow overflow-auto outline-none"
	role="treegrid"
	tabindex="0"
	aria-label="Units"
	aria-rowcount={board.shown.length + 1}
	aria-multiselectable="true"
	aria-activedescendant={board.current === null ? undefined : `unit-${board.current}`}
	{onkeydown}
>
	<div
		class="bg-base-100 border-rule text-soft sticky top-0 z-1 grid grid-cols-[minmax(10rem,1fr)_11rem_7.5rem_8rem_5.5rem] gap-x-3 border-b py-1.5 text-[13px]"
		role="row"
	>
		<span role="columnheader">Unit</span><span role="columnheader">Filled, and where to be today</span><span role="columnheader">State</span
		><span role="columnheader">Owner</span><span role="columnheader">Due</span>
	</div>
	<div class="relative" role="rowgroup" style:height="{rows.height}px">
		{#each rows.items as { index, start, key } (key)}
			{@const unit = board.shown[index]}
			{#if unit}
				{@const share = unit.expected > 0 ? Math.min(1, unit.filled / unit.expected) : 0}
				{@const mark = shouldStand(board.board.round.startedAt, unit.due, today)}
				<!-- svelte-ignore a11y_click_events_have_key_events -->
				<div
					id="unit-{unit.id}"
					class={[
						'border-hairline absolute right-0 left-0 grid cursor-default grid-cols-[minmax(10rem,1fr)_11rem_7.5rem_8rem_5.5rem] items-center gap-x-3 border-b',
						board.chosen.has(unit.id) && 'bg-base-200',
						board.current === unit.id && 'at'
					]}
					role="row"
					tabindex="-1"
					aria-level={unit.depth + 1}
					aria-rowindex={index + 2}
					aria-selected={board.chosen.has(unit.id)}
					aria-expanded={parents.has(unit.id) ? !board.folded.has(unit.id) : undefined}
					style:height="{ROW}px"
					style:transform="translateY({start}px)"
					onclick={(event) => board.choose(unit.id, event.ctrlKey || event.metaKey ? 'more' : event.shiftKey ? 'to' : 'alone')}
				>
					<span class={['truncate', parents.has(unit.id) && 'font-semibold']} role="rowheader" style:padding-left="{unit.depth * 16}px"
						>{#if parents.has(unit.id)}<button
								class="mr-1 text-[10px]"
								tabindex="-1"
								aria-label="{board.folded.has(unit.id) ? 'Open' : 'Fold'} {unit.name}"
								onclick={(event) => {
									event.stopPropagation();
									board.fold(unit.id);
								}}>{board.folded.has(unit.id) ? '▸' : '▾'}</button
							>{/if}{unit.name}{#if unit.isMine}<span class="text-primary ml-1.5 text-xs">yours</span>{/if}</span
					>
					<span role="gridcell" aria-label="{Math.round(share * 100)} % of {unit.expected.toLocaleString(locale)} figures">
						<span class="bg-base-300 relative block h-1.25 w-full"
							><span class="absolute inset-y-0 left-0" style:width="{share * 100}%" style:background={BAR[unit.state]}
							></span>{#if mark !== null && unit.state !== 'approved'}<span
									class="bg-base-content absolute -top-1 h-3.25 w-0.5"
									style:left="calc({mark * 100}% - 1px)"
								></span>{/if}</span
						>
					</span>
					<span role="gridcell" class={TONE[unit.state]}>{unit.state}{unit.forMe ? ', to review' : ''}</span>
					<span role="gridcell" class={['truncate', unit.owner && !unit.owner.active && 'text-error']}>{unit.owner?.name ?? 'nobody'}</span>
					<span role="gridcell" class={unit.isLate ? 'text-accent font-semibold' : ''}
						>{unit.isLate ? `${-unit.days!} ${unit.days === -1 ? 'day' : 'days'} late` : unit.due ? shortDay(unit.due) : ''}</span
					>
				</div>
			{/if}
		{:else}<p class="text-soft py-3">No unit is like that.</p>{/each}
	</div>
</div>

<style>
	.units:focus-visible {
		outline: 2px solid var(--color-primary);
		outline-offset: -2px;
	}
	.at {
		box-shadow: inset 2px 0 0 var(--color-primary);
	}
</style>
