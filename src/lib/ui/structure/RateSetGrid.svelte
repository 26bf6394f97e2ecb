<script lang="ts">
	import { typedNumber } from '../figures/typed';
	import type { RateLineFacts, RatePreview, RateSetPage } from '$lib/server/structure';
	import { fromClipboard } from '../grid/clipboard';
	import { request } from '../request';
	import { monthsOf, rateIn, spansAfter, spanTyped } from './rate-months';
	import EffectTable from './EffectTable.svelte';
	import Sparkline from './Sparkline.svelte';

	interface Props {
		set: RateSetPage;
		year: number;
		horizon: { from: string; to: string };
		mayWrite: boolean;
		locale: string;
		onchanged: (message: { text: string; kind: 'info' | 'error' }) => void;
	}
	let { set, year, horizon, mayWrite, locale, onchanged }: Props = $props();

	interface Rate {
		currency: string;
		kind: RateLineFacts['kind'];
		from: string;
		to: string;
		value: number | null;
	}

	const months = $derived(monthsOf(year, locale));
	let at = $state<{ line: number; month: number }>({ line: 0, month: 0 });
	let editing = $state<string | null>(null);
	let table = $state<HTMLTableElement>();
	const shown = (value: number) => value.toLocaleString(locale, { minimumSignificantDigits: 4, maximumSignificantDigits: 6 });
	const inHorizon = (month: { start: string; end: string }) => month.end >= horizon.from && month.start <= horizon.to;
	const gapIn = (line: RateLineFacts, month: { start: string; end: string }) =>
		inHorizon(month) && line.gaps.some(({ from, to }) => from <= month.end && to >= month.start);
	const day = (date: string) =>
		new Intl.DateTimeFormat(locale, { dateStyle: 'medium', timeZone: 'UTC' }).format(new Date(`${date}T00:00:00Z`));

	/** What was pasted, read from a file or filled, looked at before it counts. */
	let waiting = $state.raw<{ rates: Rate[]; done: string; preview: RatePreview } | null>(null);

	async function look(rates: Rate[], done: string) {
		const reply = await request<RatePreview>(`/api/structure/rates/${set.id}/preview`, { version: set.version, rates });
		if (!reply.ok) return onchanged({ text: reply.message, kind: 'error' });
		if (reply.answer.count === 0) return onchanged({ text: 'These rates are there already; nothing would change.', kind: 'info' });
		waiting = { rates, done, preview: reply.answer };
	}
	async function apply() {
		const { rates, done } = waiting!;
		waiting = null;
		await store(rates, done);
	}
	async function takeBack() {
		const reply = await request<{ words: string }>(`/api/structure/rates/${set.id}/undo`, { version: set.version });
		onchanged(reply.ok ? { text: `${reply.answer.words}.`, kind: 'info' } : { text: reply.message, kind: 'error' });
	}
	async function store(rates: Rate[], done: string) {
		const reply = await request(`/api/structure/rates/${set.id}/set`, { version: set.version, rates });
		onchanged(reply.ok ? { text: done, kind: 'info' } : { text: reply.message, kind: 'error' });
	}
	async function commit() {
		if (editing === null) return;
		const line = set.lines[at.line]!;
		const text = editing.trim();
		editing = null;
		const month = months[at.month]!;
		const before = rateIn(line, month);
		const value = text === '' ? null : (typedNumber(text) ?? Number.NaN);
		if (value === null ? before === undefined : before?.value === value) return focus();
		if (value !== null && !(value > 0)) onchanged({ text: `“${text}” is not a rate above 0.`, kind: 'error' });
		else
			await store(
				[{ currency: line.currency, kind: line.kind, ...spanTyped(line.kind, month), value }],
				value === null
					? `${line.currency} has no ${line.kind} rate in ${month.name} ${year} now.`
					: `${line.currency} ${line.kind} in ${month.name} ${year}: ${shown(value)}.`
			);
		focus();
	}
	function fillForward() {
		const line = set.lines[at.line]!;
		const month = months[at.month]!;
		const rate = rateIn(line, month);
		if (!rate) return onchanged({ text: 'There is no rate here to carry forward.', kind: 'error' });
		const spans = spansAfter(line.kind, month, horizon.to);
		if (spans.length === 0) return onchanged({ text: 'This is the last month of the calendar.', kind: 'error' });
		const rates = spans.map((span) => ({ currency: line.currency, kind: line.kind, ...span, value: rate.value }));
		void look(rates, `${line.currency} ${line.kind}: ${shown(rate.value)} from ${month.name} ${year} to the end of the calendar.`);
	}
	async function onpaste(event: ClipboardEvent) {
		if (!mayWrite || editing !== null) return;
		const grid = fromClipboard(event.clipboardData?.getData('text/plain') ?? '');
		if (grid.length === 0) return;
		event.preventDefault();
		if (grid.length > 1 && grid[0]!.some((cell) => /^\s*(from|date|valid from)\s*$/i.test(cell))) return readTable(grid);
		// A plain block goes where the cursor stands, cell by cell; what is no rate is said, never passed over.
		const rates: Rate[] = [];
		for (const [down, cells] of grid.entries())
			for (const [across, cell] of cells.entries()) {
				const line = set.lines[at.line + down];
				const month = months[at.month + across];
				if (cell.trim() === '') continue;
				const value = typedNumber(cell) ?? 0;
				const fault = !line || !month ? 'it lies beyond the table' : value > 0 ? '' : 'it is not a rate above 0';
				if (fault) return onchanged({ text: `Nothing was changed. “${cell.slice(0, 30)}”: ${fault}.`, kind: 'error' });
				rates.push({ currency: line!.currency, kind: line!.kind, ...spanTyped(line!.kind, month!), value });
			}
		if (rates.length === 0) onchanged({ text: 'No rates were found in what was pasted.', kind: 'error' });
		else await look(rates, `${rates.length} rates pasted.`);
	}
	/** A table with headings, pasted or from a file: Currency, Kind, From, To, Rate; or a column a currency. */
	export async function readTable(grid: string[][]) {
		const reply = await request<{ rates: Rate[]; faults: { row: number; message: string }[] }>(`/api/structure/rates/${set.id}/read`, {
			grid
		});
		if (!reply.ok) return onchanged({ text: reply.message, kind: 'error' });
		const { rates, faults } = reply.answer;
		if (faults.length > 0)
			return onchanged({
				text: `Nothing was changed. ${faults
					.slice(0, 3)
					.map(({ row, message }) => `Row ${row}: ${message}`)
					.join(' ')}${faults.length > 3 ? ` And ${faults.length - 3} more.` : ''}`,
				kind: 'error'
			});
		await look(rates, `${rates.length} rates taken in.`);
	}

	function focus() {
		queueMicrotask(() => table?.querySelector<HTMLElement>(`[data-line="${at.line}"][data-month="${at.month}"]`)?.focus());
	}
	function onkeydown(event: KeyboardEvent) {
		if (editing !== null) return;
		const { key } = event;
		if (key === 'ArrowDown') at.line = Math.min(at.line + 1, set.lines.length - 1);
		else if (key === 'ArrowUp') at.line = Math.max(at.line - 1, 0);
		else if (key === 'ArrowRight') at.month = Math.min(at.month + 1, 11);
		else if (key === 'ArrowLeft') at.month = Math.max(at.month - 1, 0);
		else if (key === 'Home') at.month = 0;
		else if (key === 'End') at.month = 11;
		else if (mayWrite && (key === 'Enter' || key === 'F2')) {
			const rate = rateIn(set.lines[at.line]!, months[at.month]!);
			editing = rate ? String(rate.value) : '';
		} else if (mayWrite && key === 'Delete') {
			editing = '';
			void commit();
		} else if (mayWrite && /^[\d.,]$/.test(key) && !event.ctrlKey && !event.metaKey) editing = key;
		else return;
		event.preventDefault();
		if (editing === null) focus();
	}
</script>

<section class="mb-6" aria-label={set.name}>
	<div class="flex flex-wrap items-baseline gap-x-3">
		<h2 class="font-semibold">{set.name}</h2>
		<span class="text-grey text-[13px]"
			>units for one {set.pivot}{set.usedBy.length > 0 ? ` · used by ${set.usedBy.join(', ')}` : ' · used by no scenario here'}</span
		>
		{#if set.elsewhere.length > 0}
			<span class="text-warning text-[13px]" title="A change here moves figures there">read in {set.elsewhere.join(', ')} too</span>
		{/if}
		<span class="ml-auto"></span>
		{#if mayWrite && set.lastChange}
			<button class="btn btn-xs" onclick={() => void takeBack()} title={set.lastChange}>Take back the last change</button>
		{/if}
		{#if mayWrite && set.lines.length > 0}
			<button class="btn btn-xs" onclick={fillForward} title="Carries the rate under the cursor on to the end of the calendar"
				>Fill forward</button
			>
		{/if}
	</div>
	{#if waiting}
		{@const { preview } = waiting}
		<section class="border-rule bg-raised my-2 rounded border p-3 text-[13px]" aria-label="Before the rates of {set.name} change">
			<p>
				<b class="font-semibold">{preview.count === 1 ? 'One rate' : `${preview.count.toLocaleString(locale)} rates`} would change.</b>
			</p>
			<ul class="my-1 max-h-44 columns-2 gap-x-10 overflow-auto">
				{#each preview.changes as change (`${change.currency} ${change.kind} ${change.from}`)}
					<li class="flex justify-between gap-2 tabular-nums">
						<span class="text-soft">{change.currency} {change.kind}, {day(change.to)}</span>
						<span
							>{change.before === null ? 'none' : shown(change.before)} →
							<b class="font-semibold">{change.after === null ? 'none' : shown(change.after)}</b></span
						>
					</li>
				{/each}
			</ul>
			{#if preview.count > preview.changes.length}
				<p class="text-grey">The first {preview.changes.length} are listed.</p>
			{/if}
			{#if preview.effect.length > 0}
				<p class="mt-1">The totals of this model that move most:</p>
				<EffectTable lines={preview.effect} {locale} />
			{:else}
				<p class="text-soft mt-1">No total of this model moves.</p>
			{/if}
			<p class="mt-2 flex gap-2">
				<button class="btn btn-sm btn-primary" onclick={() => void apply()}>Apply</button>
				<button class="btn btn-sm" onclick={() => (waiting = null)}>Keep the rates as they are</button>
			</p>
		</section>
	{/if}
	{#if set.lines.length === 0}
		<p class="text-grey py-1.5 text-[13px]">This model uses no other currency than {set.pivot}, so no rates are needed.</p>
	{:else}
		<div class="overflow-x-auto">
			<table bind:this={table} role="grid" aria-label="Rates of {set.name}" class="mt-1 text-[13px]" {onkeydown} {onpaste}>
				<thead>
					<tr
						><th>Currency</th><th>Kind</th><th>Course</th>{#each months as month (month.start)}<th class="month">{month.name}</th
							>{/each}</tr
					>
				</thead>
				<tbody>
					{#each set.lines as line, index (`${line.currency} ${line.kind}`)}
						<tr>
							<th scope="row">{line.currency}</th>
							<td class="text-soft px-2">{line.kind}</td>
							<td class="px-2"
								><Sparkline
									values={line.spans.map(({ value }) => value)}
									label="{line.currency} {line.kind}: {line.spans.length} rates{line.spans.length > 0
										? ` from ${shown(line.spans[0]!.value)} to ${shown(line.spans.at(-1)!.value)}`
										: ''}"
								/></td
							>
							{#each months as month, place (month.start)}
								{@const rate = rateIn(line, month)}
								{@const current = at.line === index && at.month === place}
								<td
									data-line={index}
									data-month={place}
									tabindex={current ? 0 : -1}
									class={['rate', !inHorizon(month) && 'outside', rate && !rate.own && 'longer', gapIn(line, month) && 'gap']}
									title={gapIn(line, month)
										? `No ${line.kind} rate: figures that need it are incomplete`
										: rate && !rate.own
											? 'Given for a longer stretch'
											: undefined}
									onclick={() => (at = { line: index, month: place })}
									ondblclick={() => mayWrite && (editing = rate ? String(rate.value) : '')}
								>
									{#if current && editing !== null}
										<input
											class="rate-input"
											aria-label="{line.currency} {line.kind} in {month.name} {year}"
											{@attach (node: HTMLInputElement) => node.focus()}
											bind:value={editing}
											onblur={() => void commit()}
											onkeydown={(event) => {
												event.stopPropagation();
												if (event.key === 'Escape') {
													editing = null;
													focus();
												} else if (event.key === 'Enter' || event.key === 'Tab') {
													event.preventDefault();
													void commit().then(() => {
														if (event.key === 'Tab') at.month = Math.min(at.month + 1, 11);
														else at.line = Math.min(at.line + 1, set.lines.length - 1);
														focus();
													});
												}
											}}
										/>
									{:else}{rate ? shown(rate.value) : gapIn(line, month) ? 'missing' : ''}{/if}
								</td>
							{/each}
						</tr>
					{/each}
				</tbody>
			</table>
		</div>
		{#each set.lines.filter(({ gaps }) => gaps.length > 0) as line (`${line.currency} ${line.kind}`)}
			<p class="text-warning mt-1 text-[13px]">
				{line.currency}
				{line.kind}: no rate {line.gaps
					.slice(0, 4)
					.map(({ from, to }) => `from ${day(from)} to ${day(to)}`)
					.join(', ')}{line.gaps.length > 4 ? ` and ${line.gaps.length - 4} more stretches` : ''}.
			</p>
		{/each}
	{/if}
</section>

<style>
	th {
		padding: 0 8px;
		height: 26px;
		text-align: left;
		font-weight: 600;
	}
	thead th {
		color: var(--grey);
		font-size: 12px;
		border-bottom: 1px solid var(--rule);
	}
	tbody tr {
		border-bottom: 1px solid var(--hairline);
	}
	th.month {
		padding: 0 3px;
		text-align: right;
	}
	.rate {
		height: 28px;
		min-width: 52px;
		padding: 0 3px;
		text-align: right;
		font-variant-numeric: tabular-nums;
	}
	.rate:focus {
		outline: 2px solid var(--color-primary);
		outline-offset: -2px;
	}
	.longer {
		color: var(--grey);
	}
	.outside {
		background: var(--color-base-200);
	}
	.gap {
		color: var(--color-warning);
		font-size: 12px;
	}
	.rate-input {
		width: 50px;
		height: 22px;
		padding: 0 4px;
		border: 1px solid var(--color-primary);
		border-radius: 4px;
		background: var(--raised);
		text-align: right;
	}
</style>
