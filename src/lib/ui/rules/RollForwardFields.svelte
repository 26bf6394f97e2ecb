<script lang="ts">
	import type { CarriedInto, RollForwardLine } from '$lib/core';
	import { selectionInWords } from '$lib/core';
	import type { StepDraft } from '$lib/server/runbook';
	import SelectionPicker from '../form-design/SelectionPicker.svelte';
	import MemberSelect from './MemberSelect.svelte';
	import type { RunbookDesk } from './runbook-desk.svelte';

	let { desk, step }: { desk: RunbookDesk; step: Extract<StepDraft, { kind: 'roll-forward' }> } = $props();

	const accounts = $derived(desk.vocabulary.dimensions.find(({ kind }) => kind === 'account'));
	/** Dimensions along which a balance may move: a flow, a project. */
	const others = $derived(desk.vocabulary.dimensions.filter(({ kind }) => kind === 'general' || kind === 'entity'));
	const PERIODS: CarriedInto[] = ['every period', 'first period of the year', 'later periods of the year'];
	/** The line whose accounts are being picked. */
	let picking = $state<number | null>(null);

	const lines = $derived(step.lines as readonly RollForwardLine[]);
	function setLine(at: number, next: Partial<RollForwardLine>) {
		desk.changeStep({ lines: lines.map((line, index) => (index === at ? { ...line, ...next } : line)) });
	}
	const withArticle = (periods: CarriedInto) => (periods === 'every period' ? periods : `the ${periods}`);
	/** A line's periods are its own; the step's are those of lines that say nothing. */
	function setInto(at: number, into: CarriedInto) {
		if (lines.length === 1) {
			const { into: _, ...line } = lines[0]!;
			desk.changeStep({ lines: [line], into });
		} else setLine(at, { into });
	}
	function setMove(at: number, dimension: number, next: { from?: number; to?: number } | null) {
		const members = (lines[at]!.members ?? []).filter((each) => next !== null || each.dimension !== dimension);
		setLine(at, { members: members.map((each) => (each.dimension === dimension ? { ...each, ...next } : each)) });
	}
</script>

<ol class="flex flex-col gap-3">
	{#each lines as line, at (at)}
		<li class="border-hairline flex flex-col gap-1.5 rounded-md border p-2">
			<div class="flex items-start gap-2">
				<div class="min-w-0 flex-1">
					<span class="text-grey text-xs">What stands at the end in</span>
					{#if line.accounts}
						<button
							class="border-rule block w-full rounded-md border px-2 py-1 text-left"
							aria-expanded={picking === at}
							disabled={!desk.mayWrite}
							onclick={() => (picking = picking === at ? null : at)}
							><strong class="font-semibold">{selectionInWords(line.accounts, desk.names) || 'Pick accounts'}</strong></button
						>
					{:else}
						<MemberSelect
							label="From account, line {at + 1}"
							dimension={accounts}
							leaves
							value={line.from}
							also={{ words: 'Several accounts…', isChosen: false }}
							onalso={() => {
								setLine(at, { from: null, accounts: { kind: 'these', members: line.from === null ? [] : [line.from] }, to: null });
								picking = at;
							}}
							onchange={(from) => typeof from === 'number' && setLine(at, { from })}
						/>
					{/if}
				</div>
				<div class="min-w-0 flex-1">
					<span class="text-grey text-xs">begins the next in</span>
					<MemberSelect
						label="Into account, line {at + 1}"
						dimension={accounts}
						leaves
						value={line.to}
						none="The same account"
						onchange={(to) => setLine(at, { to: typeof to === 'number' ? to : null })}
					/>
				</div>
				{#if desk.mayWrite}<button
						class="text-grey hover:text-base-content mt-5"
						aria-label="Delete line {at + 1}"
						onclick={() => desk.changeStep({ lines: lines.toSpliced(at, 1) })}>×</button
					>{/if}
			</div>
			{#if picking === at && line.accounts && accounts}
				<div class="border-hairline bg-raised max-w-md rounded-md border p-2">
					<SelectionPicker
						{desk}
						dimension={accounts.id}
						selection={line.accounts}
						onchange={(selection) => setLine(at, { accounts: selection })}
					/>
					<div class="mt-2 flex gap-2">
						<button class="btn btn-xs" onclick={() => (picking = null)}>Done</button>
						<button
							class="btn btn-ghost btn-xs"
							onclick={() => {
								const { accounts: _, ...rest } = line;
								desk.changeStep({ lines: lines.with(at, { ...rest, from: accounts.members.find(({ leaf }) => leaf)?.id ?? null }) });
								picking = null;
							}}>One account only</button
						>
					</div>
				</div>
			{/if}
			{#each line.members ?? [] as move (move.dimension)}
				{@const dimension = others.find(({ id }) => id === move.dimension)}
				<div class="flex items-center gap-2 text-[13px]">
					<span class="text-grey w-20 shrink-0 truncate">{dimension?.name ?? '?'}</span>
					<MemberSelect
						label="Read in {dimension?.name}, line {at + 1}"
						{dimension}
						value={move.from}
						onchange={(from) => typeof from === 'number' && setMove(at, move.dimension, { from })}
					/>
					<span>becomes</span>
					<MemberSelect
						label="Written in {dimension?.name}, line {at + 1}"
						{dimension}
						leaves
						value={move.to}
						onchange={(to) => typeof to === 'number' && setMove(at, move.dimension, { to })}
					/>
					{#if desk.mayWrite}<button
							class="text-grey hover:text-base-content"
							aria-label="Delete {dimension?.name} from line {at + 1}"
							onclick={() => setMove(at, move.dimension, null)}>×</button
						>{/if}
				</div>
			{/each}
			<div class="flex flex-wrap items-center gap-x-3 gap-y-1.5">
				<select
					class="select select-sm w-52"
					aria-label="Periods of line {at + 1}"
					value={line.into ?? step.into}
					disabled={!desk.mayWrite}
					onchange={(event) => setInto(at, event.currentTarget.value as CarriedInto)}
					>{#each PERIODS as periods (periods)}<option value={periods}>into {withArticle(periods)}</option>{/each}</select
				>
				<label class="flex shrink-0 items-center gap-1 text-[13px] whitespace-nowrap"
					><input
						type="checkbox"
						class="checkbox checkbox-xs"
						checked={line.reverse}
						disabled={!desk.mayWrite}
						onchange={(event) => setLine(at, { reverse: event.currentTarget.checked })}
					/> sign turned</label
				>
				{#if desk.mayWrite && others.some(({ id }) => !line.members?.some(({ dimension }) => dimension === id))}
					<select
						class="select select-sm w-56"
						aria-label="Line {at + 1}: from one member to another"
						value=""
						onchange={(event) => {
							const dimension = others.find(({ id }) => id === Number(event.currentTarget.value));
							event.currentTarget.value = '';
							const first = dimension?.members.find(({ leaf }) => leaf)?.id;
							if (dimension && first !== undefined)
								setLine(at, { members: [...(line.members ?? []), { dimension: dimension.id, from: first, to: first }] });
						}}
					>
						<option value="" disabled>From one member to another of…</option>
						{#each others.filter(({ id }) => !line.members?.some(({ dimension }) => dimension === id)) as { id, name } (id)}<option
								value={id}>{name}</option
							>{/each}
					</select>
				{/if}
			</div>
		</li>
	{/each}
</ol>
{#if desk.mayWrite}
	<button
		class="btn btn-xs self-start"
		onclick={() => {
			const first = accounts?.members.find(({ leaf }) => leaf)?.id;
			if (first !== undefined) desk.changeStep({ lines: [...lines, { from: first, to: first, reverse: false }] });
		}}>Add a line</button
	>
{/if}
