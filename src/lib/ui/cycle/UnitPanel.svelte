<script lang="ts">
	import { at } from '../at';
	import { formatAmount, formatCount, formatDay, formatFigure, formatMoment } from '../figures/format';
	import type { CycleBoardState, Move } from './cycle-board.svelte';

	interface Props {
		board: CycleBoardState;
		people: { id: number; name: string }[];
		locale: string;
	}
	let { board, people, locale }: Props = $props();
	const unit = $derived(board.unit);
	const view = $derived(board.view);
	let note = $state('');
	let fields = $state.raw<{ account: string; words: string }[]>([]);
	let account = $state('');
	let words = $state('');
	const last = $derived(
		view?.moves.find((move) => (move.move === 'return' || move.move === 'reopen') && (move.note || move.fields.length > 0))
	);
	const WORDS: Record<string, string> = {
		start: 'started',
		begin: 'work began',
		submit: 'submitted',
		recall: 'recalled',
		return: 'returned',
		approve: 'approved',
		reopen: 'opened again',
		'begin beneath': 'work began beneath',
		'submit beneath': 'submitted beneath',
		'reopen beneath': 'came back with what is beneath',
		assign: 'people or day changed'
	};
	const BUTTONS: Record<Move, string> = {
		submit: 'Submit for review…',
		recall: 'Recall',
		return: 'Return…',
		approve: 'Approve',
		reopen: 'Open again…'
	};
	const moves = $derived((view?.may ?? []) as Move[]);
	const single = $derived(board.chosen.size <= 1);
	const held = $derived(view?.checks.filter(({ state }) => state === 'holds').length ?? 0);
	const share = (difference: number, base: number) => {
		const words = formatFigure(difference / Math.abs(base), { valueType: 'percent', decimals: 1 }, locale);
		return difference > 0 ? `+${words}` : words;
	};

	// Each move has a note of its own.
	$effect(() => {
		void board.asking?.move;
		note = '';
		fields = [];
	});
	const address = (code: string, choices: Record<number, number>) =>
		at(
			`/forms/${code}${
				Object.keys(choices).length > 0
					? `?${Object.entries(choices)
							.map(([dimension, member]) => `d${dimension}=${member}`)
							.join('&')}`
					: ''
			}`
		);
</script>

{#snippet movedList(lines: { account: string; period: string; before: number | null; after: number | null }[])}
	<ul>
		{#each lines.slice(0, 8) as { account: name, period, before, after } (`${name} ${period}`)}
			<li class="line flex justify-between gap-2">
				<span>{name}, {period}</span>
				<span class="text-right whitespace-nowrap tabular-nums"
					><span class="text-soft">{before === null ? 'nothing' : formatAmount(before, locale)}</span>
					<b class="font-semibold">→ {after === null ? 'nothing' : formatAmount(after, locale)}</b></span
				>
			</li>
		{/each}
	</ul>
	{#if lines.length > 8}<p class="text-soft text-xs">and {lines.length - 8} more</p>{/if}
{/snippet}

{#if unit && view}
	<aside class="border-hairline w-75 shrink-0 overflow-auto border-l px-4 py-1" aria-label="Unit">
		<p class="text-soft text-[13px] font-semibold">{unit.name}{single ? '' : ` and ${board.chosen.size - 1} more`}</p>
		<p class="text-2xl font-semibold tracking-tight">{unit.state}</p>
		<p class="text-soft text-[13px]">
			{#if unit.due}Due {formatDay(unit.due, locale)}{unit.isLate
					? `, ${-unit.days!} ${unit.days === -1 ? 'day' : 'days'} late`
					: unit.days !== null && unit.days >= 0 && unit.state !== 'approved'
						? `, in ${unit.days} days`
						: ''}.{/if}
			{#if unit.state === 'submitted'}Waits for {unit.reviewers.join(', ') || 'whoever leads the round'}{unit.reviews > 1
					? `, review ${unit.reviewed + 1} of ${unit.reviews}`
					: ''}.{/if}
			{#if unit.owner && !unit.owner.active}<span class="text-error">{unit.owner.name} is not active any more.</span>{/if}
			{#if unit.hasMoved}It stands elsewhere in the structure by now.{/if}
		</p>
		{#if board.asking}
			<form
				class="bg-base-200 border-hairline my-2 rounded-md border px-3 py-2"
				aria-label={BUTTONS[board.asking.move].replace('…', '')}
				onsubmit={(event) => {
					event.preventDefault();
					void board.carryOut(board.asking!.move, board.asking!.units, {
						note,
						fields,
						accepts: board.asking!.asks !== null || (board.submission !== null && !board.submission.bars)
					});
				}}
			>
				{#if board.submission && board.asking.move === 'submit'}
					{@const { own, others, checks, bars, open } = board.submission}
					{@const failing = checks.filter(({ state }) => state !== 'holds')}
					{#if own > 0}<p class="text-[13px]">
							{own === 1 ? 'One unsaved cell' : `${own} unsaved cells`} of yours here {own === 1 ? 'is' : 'are'} saved first.
						</p>{/if}
					{#each others as { name, cells } (name)}<p class="text-accent text-[13px]">
							{name} has {cells === 1 ? 'one unsaved cell' : `${cells} unsaved cells`} here, which {cells === 1 ? 'stays' : 'stay'} a draft.
						</p>{/each}
					{#if open.length > 0}<p class="text-error text-[13px]">Not approved beneath: {open.join(', ')}.</p>{/if}
					<h2 class="head mt-1">Checks</h2>
					{#each checks as { form, label, state, where } (`${form} ${label}`)}<p class="line flex justify-between gap-2">
							<span>{label}{where.length > 0 ? `, ${where.join(', ')}` : ''}</span><b
								class={['font-semibold', state === 'holds' ? 'text-success' : bars ? 'text-error' : 'text-accent']}
								>{state === 'fails' ? 'does not hold' : state}</b
							>
						</p>{:else}<p class="text-soft text-[13px]">The forms of this round have none.</p>{/each}
					{#if failing.length > 0}<p class="mt-1 text-[13px]">
							{bars ? 'It cannot be submitted as long as one does not hold.' : 'It can be submitted all the same; its reviewers see it.'}
						</p>{/if}
				{/if}
				{#if board.asking.asks}
					{#if board.asking.asks.moved}
						<p class="text-[13px] font-semibold">
							Since it was submitted, {board.asking.asks.moved.totals + board.asking.asks.moved.cells} figures moved:
						</p>
						{@render movedList(board.asking.asks.moved.lines)}
						<p class="text-[13px]">Accept them as they are now, or leave it and return the unit.</p>
					{:else}<p class="text-[13px]">
							{board.asking.asks.checks.map(({ label }) => label).join(', ')}: not held. Submit all the same?
						</p>{/if}
				{/if}
				{#if board.asking.move === 'reopen' && view.above.length > 0}<p class="text-accent text-[13px]">
						It brings back {view.above.join(', ')}, above it.
					</p>{/if}
				{#if board.asking.move === 'return'}
					{#each fields as field (field)}<p class="text-[13px]">
							<b class="font-semibold">{field.account}</b>: {field.words}
							<button type="button" class="text-primary" onclick={() => (fields = fields.filter((each) => each !== field))}
								>leave out</button
							>
						</p>{/each}
					<div class="mt-1 flex gap-1">
						<input class="input input-xs w-24" list="accounts" placeholder="account" aria-label="Account" bind:value={account} /><datalist
							id="accounts"
							>{#each view.accounts as name (name)}<option value={name}></option>{/each}</datalist
						>
						<input class="input input-xs grow" placeholder="what of it" aria-label="What of it" maxlength="1000" bind:value={words} />
						<button
							type="button"
							class="btn btn-xs"
							disabled={account.trim() === '' || words.trim() === ''}
							onclick={() => {
								fields = [...fields, { account: account.trim(), words: words.trim() }];
								account = words = '';
							}}>Add</button
						>
					</div>
				{/if}
				<textarea
					class="textarea textarea-sm mt-2 w-full"
					rows="2"
					maxlength="4000"
					aria-label="Note"
					placeholder={board.asking.move === 'return'
						? 'What is to be changed'
						: board.asking.move === 'reopen'
							? 'Why'
							: 'A note, if you like'}
					bind:value={note}></textarea>
				<div class="mt-1 flex gap-2">
					<button
						class="btn btn-primary btn-sm"
						disabled={board.busy ||
							(board.asking.move === 'submit' &&
								single &&
								board.asking.asks === null &&
								(board.submission === null ||
									board.submission.open.length > 0 ||
									(board.submission.bars && board.submission.checks.some(({ state }) => state !== 'holds')))) ||
							((board.asking.move === 'return' || board.asking.move === 'reopen') && note.trim() === '' && fields.length === 0)}
						>{board.asking.asks?.moved ? 'Accept and approve' : BUTTONS[board.asking.move].replace('…', '')}</button
					>
					<button type="button" class="btn btn-ghost btn-sm" onclick={() => (board.asking = null)}>Leave it</button>
				</div>
			</form>
		{:else if moves.length > 0}
			<div class="my-2 flex flex-wrap gap-2">
				{#each moves as move (move)}<button
						class={['btn btn-sm', (move === 'submit' || move === 'approve') && 'btn-primary']}
						disabled={board.busy}
						onclick={() => board.begin(move)}>{BUTTONS[move]}</button
					>{/each}
			</div>
		{/if}
		{#if last && (unit.state === 'returned' || unit.state === 'in progress')}
			<h2 class="head mt-2">{last.person}, {formatMoment(last.at, locale)}</h2>
			{#if last.note}<p class="text-[13px]">“{last.note}”</p>{/if}
			{#each last.fields as { account: name, words: said } (name)}<p class="text-[13px]">
					<b class="font-semibold">{name}</b>: {said}
				</p>{/each}
		{/if}
		{#if view.forms.length > 0}
			<h2 class="head mt-2">Forms</h2>
			<ul>
				{#each view.forms as { id, code, name, choices } (id)}<li class="line">
						<a class="hover:underline" href={address(code, choices)}>{name}</a>
					</li>{/each}
			</ul>
		{/if}
		{#if view.figures && view.figures.lines.length > 0}
			{@const { columns, lines, currency, at: read } = view.figures}
			<h2 class="head mt-2">Figures, {read === '' ? '' : `${read}, `}in {currency}</h2>
			<table class="w-full text-[13px]" aria-label="Figures of {unit.name}">
				<thead class="text-soft text-xs"
					><tr
						><th class="text-left font-normal">Account</th>{#each columns as { name, against } (name)}<th class="text-right font-normal"
								>{name}</th
							>{#if against !== null}<th class="max-w-20 text-right font-normal" title={against}>on {against}</th>{/if}{/each}</tr
					></thead
				>
				<tbody>
					{#each lines as { account: name, favourable, values } (name)}<tr class="border-hairline border-b align-baseline"
							><th scope="row" class="py-1 pr-1 text-left font-normal">{name}</th>
							{#each columns as { name: period, against: has }, place (period)}{@const { value, against } = values[place]!}
								<td class="text-right tabular-nums">{value === null ? '' : formatCount(Math.round(value), locale)}</td>
								{#if has !== null}<td
										class={[
											'pl-1 text-right tabular-nums',
											favourable !== 0 &&
												(((value ?? 0) - (against ?? 0)) * favourable < 0 ? 'text-error' : value !== against && 'text-success')
										]}>{against ? `${share((value ?? 0) - against, against)}` : ''}</td
									>{/if}{/each}</tr
						>{/each}
				</tbody>
			</table>
		{/if}
		{#if view.checks.length > 0}
			<h2 class="head mt-2">Checks</h2>
			<p class="text-[13px]">
				{held === view.checks.length
					? held === 1
						? 'Its one check holds.'
						: `All ${held} hold.`
					: `${held} of ${view.checks.length} hold.`}
			</p>
			{#each view.checks.filter(({ state }) => state !== 'holds') as { form, label, state, where } (`${form} ${label}`)}<p
					class="line flex justify-between gap-2"
				>
					<span>{label}{where.length > 0 ? `, ${where.join(', ')}` : ''}</span><b class="text-error font-semibold"
						>{state === 'fails' ? 'does not hold' : state}</b
					>
				</p>{/each}
		{/if}
		{#if view.moved}
			<h2 class="head mt-2">Since it was submitted</h2>
			{#if view.moved.totals + view.moved.cells === 0}<p class="text-soft text-[13px]">Nothing moved.</p>
			{:else}{@render movedList(view.moved.lines)}{/if}
		{/if}
		{#if board.board.leads && people.length > 0}
			<details class="mt-2">
				<summary class="head cursor-pointer">Owner, reviewer, day</summary>
				<label class="text-soft grid text-xs"
					>Owner<select
						class="select select-sm"
						value={unit.owner?.id ?? ''}
						onchange={(event) => event.currentTarget.value && board.assign({ owner: Number(event.currentTarget.value) })}
						><option value="">nobody</option>{#each people as { id, name } (id)}<option value={id}>{name}</option>{/each}</select
					></label
				>
				<label class="text-soft grid text-xs"
					>First reviewer<select
						class="select select-sm"
						onchange={(event) => event.currentTarget.value && board.assign({ reviewers: [Number(event.currentTarget.value)] })}
						><option value="">{unit.reviewers[0] ?? 'choose…'}</option>{#each people as { id, name } (id)}<option value={id}>{name}</option
							>{/each}</select
					></label
				>
				<label class="text-soft grid text-xs"
					>Due<input
						class="input input-sm"
						type="date"
						value={unit.due ?? ''}
						onchange={(event) => board.assign({ due: event.currentTarget.value || null })}
					/></label
				>
			</details>
		{/if}
		<h2 class="head mt-2">Moves</h2>
		{#each view.moves as { id, at: when, person, move, note: said, cells } (id)}
			<div
				class="border-hairline relative ml-1 border-l pb-1.5 pl-3 before:absolute before:top-1.5 before:-left-1 before:size-2 before:rotate-45 before:bg-[var(--color-accent)] before:content-['']"
			>
				<p class="text-[13px]">{WORDS[move] ?? move}{cells === null ? '' : `, ${cells.toLocaleString(locale)} figures kept`}</p>
				<p class="text-soft text-xs">{person ?? 'by itself'}, {formatMoment(when, locale)}{said ? ` · “${said}”` : ''}</p>
			</div>
		{/each}
	</aside>
{/if}

<style>
	.head {
		margin-bottom: 2px;
		color: var(--soft);
		font-size: 12px;
		font-weight: 600;
	}
	.line {
		padding: 3px 0;
		border-bottom: 1px dotted var(--mark);
		font-size: 13px;
	}
</style>
