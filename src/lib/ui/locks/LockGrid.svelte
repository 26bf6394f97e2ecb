<script lang="ts">
	import { fromClipboard, toClipboard } from '../grid/clipboard';
	import { VirtualRows } from '../virtual-rows.svelte';
	import type { LockBoardState, SetTerms } from './lock-board.svelte';

	interface Props {
		board: LockBoardState;
		/** What Hold, Close and Open by key say besides. */
		terms: () => SetTerms;
		mayWrite: boolean;
	}
	let { board, terms, mayWrite }: Props = $props();

	const ROW = 27;
	const rows = new VirtualRows(() => board.visible.length, ROW, 50);
	let grid = $state<HTMLElement>();
	let pressed = false;
	const columns = $derived(board.board?.columns ?? []);
	/** Headings above the columns: the nearest parent of a run of leaves. */
	const groups = $derived.by(() => {
		const top = Math.min(...columns.map(({ depth }) => depth));
		return columns.map(({ depth, isParent }) => (isParent ? (depth === top ? 'year' : 'group') : 'leaf'));
	});
	const template = $derived(`190px repeat(${columns.length}, 46px)`);
	const WORDS = { open: 'open', held: 'held', closed: 'closed' };

	function onkeydown(event: KeyboardEvent) {
		const arrow = {
			ArrowRight: [0, 1],
			ArrowLeft: [0, -1],
			ArrowDown: [1, 0],
			ArrowUp: [-1, 0],
			Home: [0, -9999],
			End: [0, 9999],
			PageDown: [15, 0],
			PageUp: [-15, 0]
		}[event.key];
		const isControl = event.ctrlKey || event.metaKey;
		if (arrow) {
			const far = isControl ? 9999 : 1;
			board.move(arrow[0]! * far, arrow[1]! * far, event.shiftKey);
			rows.show(board.focus.row);
		} else if (isControl && event.key.toLowerCase() === 'a') {
			board.anchor = { row: 0, column: 0 };
			board.goTo({ row: board.visible.length - 1, column: columns.length - 1 }, true);
		} else if (isControl && event.key.toLowerCase() === 'z' && mayWrite) void board.takeBack();
		else if (event.key === ' ' || event.key === '+' || event.key === '-') board.fold(board.focus.row);
		else if (mayWrite && !isControl && board.layer === 'board' && ['o', 'h', 'c'].includes(event.key.toLowerCase()))
			void board.set(({ o: 'open', h: 'held', c: 'closed' } as const)[event.key.toLowerCase() as 'o'], terms());
		else if (mayWrite && board.layer === 'board' && event.key === 'Delete') void board.set(null);
		else if (event.key === 'Escape') board.asking = null;
		else return;
		event.preventDefault();
	}
	function onpaste(event: ClipboardEvent) {
		const text = event.clipboardData?.getData('text/plain');
		if (!text || !mayWrite || board.layer !== 'board') return;
		event.preventDefault();
		void board.paste(fromClipboard(text), terms());
	}
	function oncopy(event: ClipboardEvent) {
		event.preventDefault();
		event.clipboardData?.setData('text/plain', toClipboard(board.copy()));
	}
	const point = (row: number, column: number, event: PointerEvent) => {
		pressed = true;
		grid?.focus();
		board.goTo({ row, column }, event.shiftKey);
	};
</script>

<svelte:window onpointerup={() => (pressed = false)} />

<div
	bind:this={grid}
	{@attach rows.attach}
	class="board min-h-0 grow overflow-auto outline-none"
	role="treegrid"
	tabindex="0"
	aria-label="Lock board"
	aria-rowcount={board.visible.length + 1}
	aria-colcount={columns.length + 1}
	aria-multiselectable="true"
	aria-activedescendant="lock-{board.focus.row}-{board.focus.column}"
	{onkeydown}
	{onpaste}
	{oncopy}
>
	<div class="bg-base-100 border-rule sticky top-0 z-2 grid min-w-max border-b" role="row" style:grid-template-columns={template}>
		<span class="bg-base-100 sticky left-0" role="columnheader"><span class="sr-only">Slice</span></span>
		{#each columns as { members, name }, column (members.join(' '))}
			<span
				role="columnheader"
				class={['truncate px-1 py-1 text-center text-xs', groups[column] === 'leaf' ? 'text-soft' : 'font-semibold']}
				title={name}>{groups[column] === 'year' ? name : name.replace(/ (FY)?\d{4}$/, '')}</span
			>
		{/each}
	</div>
	<div class="relative min-w-max" role="rowgroup" style:height="{rows.height}px">
		{#each rows.items as { index, start, key } (key)}
			{@const line = board.board?.rows[board.visible[index] ?? -1]}
			{#if line}
				<div
					class="border-hairline absolute right-0 left-0 grid border-b"
					role="row"
					aria-rowindex={index + 2}
					aria-level={line.depth + 1}
					aria-expanded={line.isParent ? !board.folded.has(line.members.join(' ')) : undefined}
					style:grid-template-columns={template}
					style:height="{ROW}px"
					style:transform="translateY({start}px)"
				>
					<span
						class={['bg-base-100 border-rule sticky left-0 z-1 truncate border-r py-1 pr-2', line.isParent && 'font-semibold']}
						role="rowheader"
						style:padding-left="{line.depth * 14 + 2}px"
						>{#if line.isParent}<button
								class="mr-1 text-[10px]"
								tabindex="-1"
								aria-label="{board.folded.has(line.members.join(' ')) ? 'Open' : 'Fold'} {line.name}"
								onclick={() => board.fold(index)}>{board.folded.has(line.members.join(' ')) ? '▸' : '▾'}</button
							>{/if}{line.name}</span
					>
					{#each columns as { members, name }, column (members.join(' '))}
						{@const cell = board.cellAt(index, column)}
						<span
							id="lock-{index}-{column}"
							role="gridcell"
							tabindex="-1"
							aria-selected={board.isSelected(index, column)}
							aria-label="{line.name}, {name}: {WORDS[cell.state]}, {cell.isOwn ? 'set here' : 'from above'}{cell.exceptions > 0
								? `, ${cell.exceptions} differ beneath`
								: ''}"
							class={[
								'lock',
								cell.state,
								cell.isOwn && 'own',
								board.isSelected(index, column) && 'chosen',
								board.focus.row === index && board.focus.column === column && 'at'
							]}
							onpointerdown={(event) => point(index, column, event)}
							onpointerenter={() => pressed && board.goTo({ row: index, column }, true)}>{cell.exceptions > 0 ? cell.exceptions : ''}</span
						>
					{/each}
				</div>
			{/if}
		{/each}
	</div>
</div>

<style>
	.lock {
		position: relative;
		display: grid;
		place-items: center;
		border-right: 1px solid var(--hairline);
		color: var(--soft);
		font-size: 11px;
		font-weight: 600;
		cursor: default;
		user-select: none;
	}
	/* The marks of the grid: closed is hatched; of what is held, half. */
	.lock.closed {
		background: repeating-linear-gradient(135deg, transparent 0 6px, var(--mark) 6px 6.7px) var(--color-base-200);
	}
	.lock.held {
		background:
			linear-gradient(var(--color-base-100) 50%, transparent 50%),
			repeating-linear-gradient(135deg, transparent 0 6px, var(--mark) 6px 6.7px) var(--color-base-200);
	}
	.lock.own::before {
		content: '';
		position: absolute;
		top: 0;
		left: 0;
		border: 4px solid transparent;
		border-top-color: var(--color-primary);
		border-left-color: var(--color-primary);
	}
	.lock.chosen::after {
		content: '';
		position: absolute;
		inset: 0;
		background: color-mix(in srgb, var(--color-primary) 16%, transparent);
	}
	/* The cell one stands on shows where the focus is. */
	.lock.at {
		outline: 2px dotted var(--color-primary);
		outline-offset: -2px;
	}
	.board:focus .lock.at {
		outline-style: solid;
	}
</style>
