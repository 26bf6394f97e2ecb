<script lang="ts">
	import type { EffectLine } from '$lib/server/engine';
	import type { ActOutcome, HandOverChoice, PastePreview } from '$lib/server/structure';
	import { request } from '../request';
	import EffectTable from './EffectTable.svelte';
	import { VirtualRows } from '../virtual-rows.svelte';

	interface Props {
		code: string;
		name: string;
		/** The grid to look at; the heading first. */
		grid: string[][];
		/** Where it came from, in words. */
		source: string;
		locale: string;
		onclose: (outcome?: ActOutcome) => void;
	}
	let { code, name, grid, source, locale, onclose }: Props = $props();

	let absent = $state<'keep' | 'retire'>('keep');
	let leaveOutFaulty = $state(false);
	let preview = $state.raw<PastePreview | null>(null);
	let fault = $state<string | null>(null);
	let busy = $state(false);
	let handOver = $state.raw<Record<string, string>>({});
	let question = $state.raw<HandOverChoice | null>(null);
	/** Totals the rows would move; null while that is worked out. */
	let moved = $state.raw<EffectLine[] | null>([]);
	const rows = new VirtualRows(() => preview?.lines.length ?? 0, 28, 28);

	$effect(() => {
		void look(grid, absent, leaveOutFaulty);
	});

	/** Only the answer to the last question counts. */
	let asked = 0;
	async function look(rowsToSend: string[][], what: 'keep' | 'retire', faultyOut: boolean) {
		const mine = ++asked;
		busy = true;
		moved = null;
		const reply = await request<PastePreview>(`/api/structure/dimension/${code}/preview`, { grid: rowsToSend, absent: what });
		if (mine !== asked) return;
		busy = false;
		preview = reply.ok ? reply.answer : null;
		fault = reply.ok ? null : reply.message;
		if (!reply.ok || reply.answer.counts.move + reply.answer.counts.change === 0) return void (moved = []);
		const moves = await request<{ lines: EffectLine[] }>(`/api/structure/dimension/${code}/effect-of-rows`, {
			grid: rowsToSend,
			absent: what,
			leaveOutFaulty: faultyOut
		});
		if (mine === asked) moved = moves.ok ? moves.answer.lines : [];
	}
	async function apply() {
		busy = true;
		const reply = await request<ActOutcome>(`/api/structure/dimension/${code}/apply`, { grid, absent, leaveOutFaulty, handOver });
		busy = false;
		if (reply.ok) return onclose(reply.answer);
		fault = reply.message;
		question = reply.code === 'numbers below' ? (reply.details as HandOverChoice) : null;
	}

	const count = (number: number) => number.toLocaleString(locale);
	const TO_DO = { add: 'to add', change: 'to change', move: 'to move', retire: 'to retire', same: 'as they are' } as const;
	const ACTIONS = { add: 'adds', change: 'changes', move: 'moves', retire: 'retires', same: 'as it is', error: 'fault' } as const;
	const changes = $derived(preview ? preview.counts.add + preview.counts.change + preview.counts.move + preview.counts.retire : 0);
	const unknown = $derived(preview?.columns.filter(({ field, heading }) => field === undefined && heading.trim() !== '') ?? []);
</script>

<section class="flex min-h-0 grow flex-col" aria-label="Preview of rows">
	<div class="border-rule bg-base-200 flex flex-wrap items-center gap-x-5 gap-y-1.5 border-y px-3 py-2">
		<p>
			<b class="font-semibold">{count(grid.length - 1)} rows {source}</b>
			{#if preview}
				{#each ['add', 'change', 'move', 'retire', 'same', 'error'] as const as action (action)}
					{#if preview.counts[action] > 0}<span class={['ml-3', action === 'error' && 'text-error font-semibold']}
							>{count(preview.counts[action])}
							{action === 'error' ? (preview.counts.error === 1 ? 'fault' : 'faults') : TO_DO[action]}</span
						>{/if}
				{/each}
			{/if}
		</p>
		<label class="flex items-center gap-1.5"
			><input
				type="checkbox"
				class="checkbox checkbox-xs"
				checked={absent === 'retire'}
				onchange={(event) => (absent = event.currentTarget.checked ? 'retire' : 'keep')}
			/> Retire members that no row names</label
		>
		{#if preview && preview.counts.error > 0}
			<label class="flex items-center gap-1.5"
				><input type="checkbox" class="checkbox checkbox-xs" bind:checked={leaveOutFaulty} /> Leave out rows with a fault</label
			>
		{/if}
		<span class="ml-auto flex gap-2">
			<button class="btn btn-sm" onclick={() => onclose()}>Cancel</button>
			<button
				class="btn btn-sm btn-primary"
				disabled={busy || !preview || moved === null || changes === 0 || (preview.counts.error > 0 && !leaveOutFaulty)}
				onclick={apply}>{changes === 0 ? 'Nothing to change' : `Apply ${count(changes)} ${changes === 1 ? 'change' : 'changes'}`}</button
			>
		</span>
		{#if fault}<p class="text-error basis-full" role="alert">{fault}</p>{/if}
		{#if question}
			<p class="flex basis-full items-center gap-2">
				The numbers of “{question.parent.name}” go to
				<select
					class="select select-xs w-56"
					aria-label="The member that takes the numbers"
					onchange={(event) => (handOver = { ...handOver, [question!.parent.id]: event.currentTarget.value })}
				>
					<option value="">choose…</option>
					{#each question.children as child (child.code)}<option value={child.code}>{child.name} ({child.code})</option>{/each}
				</select>
			</p>
		{/if}
		{#if moved === null}
			<p class="text-grey basis-full">Working out which totals move…</p>
		{:else if moved.length > 0}
			<div class="basis-full">
				<b class="font-semibold">This changes figures.</b> The totals that move most:
				<EffectTable lines={moved} {locale} />
			</div>
		{/if}
		{#each unknown as column (column.heading)}
			<p class="text-warning basis-full">
				The column “{column.heading}” is not known in {name} and is left out.{column.suggestion
					? ` Did you mean “${column.suggestion}”?`
					: ''} To take it in, define an attribute of that name.
			</p>
		{/each}
	</div>
	<div
		{@attach rows.attach}
		class="min-h-0 grow overflow-auto"
		role="table"
		aria-label="What each row would do"
		aria-rowcount={preview?.lines.length ?? 0}
	>
		<div class="line head" role="row">
			<span role="columnheader">Row</span><span role="columnheader">What it does</span><span role="columnheader">Code</span><span
				role="columnheader">Name</span
			><span role="columnheader">Changes and faults</span>
		</div>
		<div class="relative" role="rowgroup" style:height="{rows.height}px">
			{#each rows.items as item (item.key)}
				{@const line = preview?.lines[item.index]}
				{#if line}
					<div class="line" role="row" style:transform="translateY({item.start}px)">
						<span role="cell" class="text-grey">{line.row === 0 ? '' : line.row}</span>
						<span
							role="cell"
							class={line.action === 'error'
								? 'text-error font-semibold'
								: line.action === 'same'
									? 'text-grey'
									: line.action === 'add'
										? 'text-success'
										: 'text-secondary'}>{ACTIONS[line.action]}</span
						>
						<span role="cell" class="font-mono text-[12.5px]">{line.code.slice(0, 80)}</span>
						<span role="cell">{line.name.slice(0, 120)}</span>
						<span role="cell" class={line.faults.length > 0 ? 'text-error' : 'text-soft'} title={line.faults.join(' ')}
							>{line.faults.length > 0
								? line.faults.join(' ')
								: line.changes.map(({ title, before, after }) => `${title}: ${before || 'empty'} → ${after || 'empty'}`).join('; ')}</span
						>
					</div>
				{/if}
			{/each}
		</div>
		{#if busy && !preview}<p class="text-grey px-3 py-3">Comparing the rows with what is there…</p>{/if}
	</div>
</section>

<style>
	.line {
		display: grid;
		grid-template-columns: 52px 84px 100px 190px minmax(320px, 1fr);
		position: absolute;
		inset: 0 0 auto 0;
		min-width: max-content;
		height: 28px;
		border-bottom: 1px solid var(--hairline);
		font-size: 13.5px;
		line-height: 27px;
	}
	.line > span {
		padding: 0 8px;
		overflow: hidden;
		white-space: nowrap;
		text-overflow: ellipsis;
	}
	.line > span:last-child {
		overflow: visible;
	}
	.head {
		position: sticky;
		top: 0;
		z-index: 1;
		background: var(--color-base-100);
		border-bottom: 1px solid var(--rule);
		color: var(--grey);
		font-size: 12px;
		font-weight: 600;
	}
</style>
