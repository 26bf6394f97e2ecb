<script lang="ts">
	import { at } from '$lib/ui/at';
	import { goto } from '$app/navigation';
	import type {
		BatchDetails,
		BatchDifference,
		Correction,
		BatchLine,
		Reason,
		RowOfFile,
		StartedLoad,
		TakeBackPreview
	} from '$lib/server/import';
	import { formatAmount, formatCount, formatMoment } from '../figures/format';
	import { request } from '../request';
	import type { ImportDesk } from './import-desk.svelte';

	interface Props {
		desk: ImportDesk;
		details: BatchDetails | null;
		selected: Reason | null;
		mayLoad: boolean;
		locale: string;
		onreason: (reason: Reason) => void;
		onjob: (job: number, batch: number) => void;
	}
	let { desk, details, selected, mayLoad, locale, onreason, onjob }: Props = $props();

	const { code } = $derived(desk.details);
	const batch = $derived(details?.batch);
	let preview = $state.raw<TakeBackPreview | null>(null);
	let fault = $state<string | null>(null);
	let line = $state('');
	let row = $state.raw<RowOfFile | null>(null);
	let compareWith = $state<number | 0>(0);
	let difference = $state.raw<BatchDifference | null>(null);
	let busy = $state(false);

	/** What is put right here and not loaded yet: by line (0 for all lines), column and what the file says. */
	let typed = $state.raw<ReadonlyMap<string, Correction>>(new Map());
	const keyOf = (line: number | null, column: string, value: string) => JSON.stringify([line, column, value]);
	function correct(line: number | null, column: string, value: string, becomes: string) {
		const next = new Map(typed);
		if (becomes.trim() === '' || becomes.trim() === value.trim()) next.delete(keyOf(line, column, value));
		else next.set(keyOf(line, column, value), { line, column, value, becomes: becomes.trim() });
		typed = next;
	}
	const typedFor = (line: number | null, column: string, value: string) => typed.get(keyOf(line, column, value))?.becomes ?? '';
	/** Amounts, dates, choices: what stands in one column and can be read otherwise. Members are mended in the map. */
	const corrects = ({ code, column }: { code: string; column: string }) =>
		column !== '' && (code === 'not an amount' || code === 'not a date' || code === 'not among the choices');
	const mayCorrect = $derived(
		mayLoad && details?.reloadedBy === null && batch?.file !== null && (batch?.state === 'loaded' || batch?.state === 'stopped')
	);

	// What was asked of one batch says nothing of another.
	$effect(() => {
		void batch?.id;
		preview = row = difference = null;
		typed = new Map();
		fault = null;
		line = '';
		compareWith = 0;
	});

	const STATES: Record<BatchLine['state'], string> = {
		running: 'loading',
		loaded: 'loaded',
		stopped: 'stopped',
		failed: 'failed',
		cancelled: 'cancelled',
		'taken back': 'taken back'
	};
	/** Whether a reason can be mended in the map of its dimension. */
	const mends = (reason: Reason) =>
		reason.code === 'no member' && reason.dimension !== null && desk.rule(reason.dimension)?.rule?.from === 'column';
	/** Since the batch, its value has got a line of its own. */
	const isMended = (reason: Reason) =>
		mends(reason) &&
		desk.rule(reason.dimension!)!.lines.some(({ line: each }) => each.kind === 'single' && each.value.trim() === reason.value.trim());
	/** Reasons of one kind in one column, where there are many: shown as one line until it is opened. */
	const groups = $derived.by(() => {
		const found = new Map<string, Reason[]>();
		for (const reason of details?.reasons ?? []) {
			const key = `${reason.code} ${reason.dimension ?? ''} ${reason.column}`;
			found.set(key, [...(found.get(key) ?? []), reason]);
		}
		return [...found].map(([key, reasons]) => ({ key, reasons, rows: reasons.reduce((sum, { rows }) => sum + rows, 0) }));
	});
	const MANY = 6;
	let opened = $state<string[]>([]);
	const mended = $derived(details?.reasons.filter(isMended).reduce((sum, { rows }) => sum + rows, 0) ?? 0);

	async function reload() {
		busy = true;
		const reply = await request<StartedLoad>(`/api/batches/${batch!.id}/reload`, { corrections: [...typed.values()] });
		busy = false;
		if (reply.ok) onjob(reply.answer.job, reply.answer.batch);
		else fault = reply.message;
	}
	async function lookAtTakingBack() {
		const reply = await request<TakeBackPreview>(`/api/batches/${batch!.id}/take-back`);
		if (reply.ok) preview = reply.answer;
		else fault = reply.message;
	}
	async function takeBack(withLater: boolean) {
		busy = true;
		const reply = await request<{ job: number }>(`/api/batches/${batch!.id}/take-back`, { withLater });
		busy = false;
		if (reply.ok) {
			preview = null;
			onjob(reply.answer.job, batch!.id);
		} else fault = reply.message;
	}
	async function lookUp(event: SubmitEvent) {
		event.preventDefault();
		const reply = await request<RowOfFile>(`/api/batches/${batch!.id}/row?line=${encodeURIComponent(line)}`);
		row = reply.ok ? reply.answer : null;
		fault = reply.ok ? null : reply.message;
	}
	async function compare() {
		difference = null;
		if (compareWith === 0) return;
		const reply = await request<BatchDifference>(`/api/batches/${batch!.id}/compare?with=${compareWith}`);
		if (reply.ok) difference = reply.answer;
		else fault = reply.message;
	}
	const amount = (value: number | null) => (value === null ? '–' : formatAmount(value, locale));
	const rows = (count: number) => `${formatCount(count, locale)} ${count === 1 ? 'row' : 'rows'}`;
</script>

<div class="grid min-h-0 grid-cols-[minmax(15rem,19rem)_minmax(0,1fr)] overflow-hidden">
	<nav class="border-hairline overflow-auto border-r py-2" aria-label="Batches">
		<ol>
			{#each desk.details.batches as each (each.id)}
				<li>
					<a
						href={at(`/data-in/${code}?view=batches&batch=${each.id}`)}
						class={['hover:bg-base-200 block px-4.5 py-1.5', each.id === batch?.id && 'bg-base-200']}
						aria-current={each.id === batch?.id ? 'true' : undefined}
						data-sveltekit-noscroll
					>
						<span class="flex justify-between gap-2"
							><b class="font-semibold">Batch {each.id}</b><span
								class={[
									'text-xs',
									each.state === 'failed' || each.state === 'stopped'
										? 'text-error'
										: each.state === 'loaded'
											? 'text-success'
											: 'text-grey'
								]}>{each.rejectsOf ? `rejects of ${each.rejectsOf}, ` : ''}{STATES[each.state]}</span
							></span
						>
						<span class="text-soft block truncate text-[13px]">{each.fileName}</span>
						<span class="text-grey block text-xs"
							>{formatMoment(each.at, locale)}, {each.person ?? 'the system'} · {formatCount(each.rowsLoaded, locale)} of {rows(
								each.rowsRead
							)}</span
						>
					</a>
				</li>
			{:else}<li class="text-soft px-4.5 py-2">Nothing was loaded here yet. Choose a file under “Map and check”.</li>{/each}
		</ol>
	</nav>

	<section class="overflow-auto px-4.5 py-3" aria-label="Batch">
		{#if details && batch}
			<div class="flex flex-wrap items-start gap-3">
				<div class="min-w-0 grow">
					<h2 class="text-lg font-semibold">Batch {batch.id}: {batch.fileName}</h2>
					<p class="text-grey text-[13px]">
						{formatMoment(batch.at, locale)} by {batch.person ?? 'the system'} ·
						{#if batch.state === 'loaded' || batch.state === 'taken back'}
							{batch.way === 'add' ? 'added to' : 'replaced'}
							{batch.extent}, {batch.revision
								? `${formatCount(batch.cells, locale)} cells, revision ${batch.revision}`
								: 'nothing was different'}{#if batch.setsAside}, in place of a computed result in {formatCount(
									batch.setsAside,
									locale
								)}{/if}
						{:else if batch.state === 'stopped'}rows were rejected, so nothing was written
						{:else if batch.state === 'running'}loading
						{:else}nothing was written{/if}
						{#if batch.state === 'taken back' && batch.takenBackAt}· taken back {formatMoment(batch.takenBackAt, locale)} by {batch.takenBackBy}{/if}
					</p>
					{#if batch.message}<p class="text-error mt-1">{batch.message}</p>{/if}
				</div>
				{#if batch.file !== null}<a class="btn btn-sm" href={at(`/api/batches/${batch.id}/file`)} download>Save the file</a>{/if}
				{#if mayLoad && batch.state === 'loaded' && batch.revision}
					<button class="btn btn-sm" onclick={lookAtTakingBack}>Take back…</button>
				{/if}
			</div>
			{#if fault}<p class="text-error mt-2" role="alert">{fault}</p>{/if}
			{#if preview}
				<div class="bg-base-200 border-hairline mt-3 rounded-md border px-3 py-2" role="group" aria-label="Take back">
					<p>
						This batch wrote {formatCount(preview.cells, locale)} cells.
						{#if preview.holds === preview.cells}All of them still hold and go back to what they were.
						{:else}{formatCount(preview.holds, locale)} still hold and go back to what they were; {formatCount(
								preview.cells - preview.holds,
								locale
							)} were written again by
							{preview.later.length === 1 ? 'batch' : 'batches'}
							{preview.later.join(', ')}{/if}
					</p>
					<p class="mt-2 flex gap-2">
						{#if preview.holds > 0 || preview.later.length === 0}<button
								class="btn btn-primary btn-sm"
								disabled={busy}
								onclick={() => takeBack(false)}>Take back {formatCount(preview.holds, locale)} cells</button
							>{/if}
						{#if preview.later.length > 0}<button class="btn btn-sm" disabled={busy} onclick={() => takeBack(true)}
								>Take back this and {preview.later.length === 1
									? `batch ${preview.later[0]}`
									: `${preview.later.length} later batches`}</button
							>{/if}
						<button class="btn btn-sm" onclick={() => (preview = null)}>Leave it</button>
					</p>
				</div>
			{/if}

			<dl class="my-3 grid max-w-xl grid-cols-3 gap-3">
				<div>
					<dt class="text-grey text-xs">In the file</dt>
					<dd><b class="figure">{formatCount(batch.rowsRead, locale)}</b> rows<br />{amount(batch.amountRead)}</dd>
				</div>
				<div>
					<dt class="text-grey text-xs">{batch.state === 'stopped' ? 'Would have loaded' : 'Loaded'}</dt>
					<dd><b class="figure text-success">{formatCount(batch.rowsLoaded, locale)}</b> rows<br />{amount(batch.amountLoaded)}</dd>
				</div>
				<div>
					<dt class="text-grey text-xs">Rejected{batch.rowsSkipped > 0 ? `, and ${rows(batch.rowsSkipped)} left out` : ''}</dt>
					<dd>
						<b class={['figure', batch.rowsRejected > 0 && 'text-error']}>{formatCount(batch.rowsRejected, locale)}</b> rows<br />{amount(
							batch.amountRejected
						)}
					</dd>
				</div>
			</dl>

			{#if details.corrections.length > 0}
				<p class="text-soft mt-3 text-[13px]">
					Put right while loading: {details.corrections
						.slice(0, 6)
						.map(({ line, column, value, becomes }) => `${column} “${value}” → “${becomes}”${line === null ? '' : ` (line ${line})`}`)
						.join(', ')}{details.corrections.length > 6 ? ` and ${details.corrections.length - 6} more` : ''}.
				</p>
			{/if}
			{#if batch.rowsRejected > 0}
				<div class="mt-4 flex items-baseline gap-3">
					<h3 class="text-grey text-xs font-semibold">Why rows were rejected</h3>
					{#if details.reloadedBy}<a
							class="text-primary text-[13px] font-semibold"
							href={at(`/data-in/${code}?view=batches&batch=${details.reloadedBy}`)}>reloaded as batch {details.reloadedBy}</a
						>
					{:else if mayLoad && batch.state === 'loaded' && batch.file !== null}
						<button class={['btn btn-sm ml-auto', (mended > 0 || typed.size > 0) && 'btn-primary']} disabled={busy} onclick={reload}
							>Reload only the rejects{mended > 0 ? `, ${rows(mended)} now mapped` : ''}{typed.size > 0
								? `, ${typed.size} put right`
								: ''}</button
						>
					{:else if mayCorrect && typed.size > 0}
						<button class="btn btn-sm btn-primary ml-auto" disabled={busy} onclick={reload}>Load the file, {typed.size} put right</button>
					{:else if mayLoad && batch.state === 'stopped' && batch.file === desk.file?.id}
						<button class={['btn btn-sm ml-auto', mended > 0 && 'btn-primary']} onclick={() => void goto(at(`/data-in/${code}`))}
							>Back to the file{mended > 0 ? `, ${rows(mended)} now mapped` : ''}</button
						>
					{/if}
				</div>
				<table class="w-full text-[13.5px]">
					<tbody>
						{#each groups as group (group.key)}
							{@const folds = group.reasons.length > MANY}
							{#if folds}
								<tr class="border-hairline border-b align-baseline">
									<td class="w-20 py-1 font-semibold whitespace-nowrap">{rows(group.rows)}</td>
									<td class="pr-2" colspan="4"
										><button
											class="text-left hover:underline"
											aria-expanded={opened.includes(group.key)}
											onclick={() =>
												(opened = opened.includes(group.key) ? opened.filter((key) => key !== group.key) : [...opened, group.key])}
											>{formatCount(group.reasons.length, locale)} values in {group.reasons[0]!.column || 'the rows'}: {group.reasons[0]!
												.code}
											<span class="text-grey">({opened.includes(group.key) ? 'fold' : 'show them'})</span></button
										></td
									>
								</tr>
							{/if}
							{#each folds && !opened.includes(group.key) ? [] : group.reasons as reason (reason.message)}
								<tr class={['border-hairline border-b align-baseline', reason === selected && 'bg-base-200']}>
									<td class="w-20 py-1 font-semibold whitespace-nowrap">{rows(reason.rows)}</td>
									<td class="pr-2"
										>{reason.message}{#if reason.label}<span class="text-grey ml-1.5">“{reason.label}”</span>{/if}</td
									>
									<td class="pr-3 text-right whitespace-nowrap">{amount(reason.amount)}</td>
									<td class="text-grey text-[13px]">line {reason.lines.join(', ')}{reason.rows > reason.lines.length ? ' …' : ''}</td>
									<td class="text-right whitespace-nowrap">
										{#if isMended(reason)}<span class="text-success text-[13px]">mapped now</span>
										{:else if mends(reason)}<button class="text-primary font-semibold hover:underline" onclick={() => onreason(reason)}
												>Map it</button
											>{:else if mayCorrect && corrects(reason)}<label class="text-grey text-[13px]"
												>read “{reason.value.slice(0, 30)}” as
												<input
													class="correction"
													placeholder="as the file writes it"
													aria-label="Read “{reason.value}” in {reason.column} as"
													value={typedFor(null, reason.column, reason.value)}
													onchange={(event) => correct(null, reason.column, reason.value, event.currentTarget.value)}
												/></label
											>{/if}
									</td>
								</tr>
							{/each}
						{/each}
					</tbody>
				</table>
				{#if mayCorrect && details.reasons.some(corrects)}
					<p class="text-grey mt-1 text-[13px]">
						What is put right here holds for this batch, line by line under “The rows as they came” or for all rows that say the same; the
						file stays as it is. Mend it in the ledger as well, or the next file brings it back.
					</p>
				{/if}
				{#if details.rejects.length > 0}
					<details class="mt-3">
						<summary class="text-grey cursor-pointer text-xs font-semibold">The rows as they came</summary>
						<div class="overflow-x-auto">
							<table class="w-full font-mono text-[12.5px]">
								<thead class="text-grey text-left"
									><tr
										><th class="pr-3 font-normal">line</th>{#each Object.keys(details.rejects[0]?.values ?? {}) as heading (heading)}<th
												class="pr-3 font-normal">{heading}</th
											>{/each}<th class="font-normal">why not</th></tr
									></thead
								>
								<tbody>
									{#each details.rejects as reject (reject.line)}
										<tr class="border-hairline border-t"
											><td class="text-grey pr-3">{reject.line}</td>{#each Object.entries(reject.values) as [heading, value] (heading)}<td
													class="py-0.5 pr-3 whitespace-nowrap"
													>{#if mayCorrect && corrects(reject) && heading === reject.column}<input
															class="correction"
															aria-label="{heading} of line {reject.line}"
															value={typedFor(reject.line, heading, value) || value}
															onchange={(event) => correct(reject.line, heading, value, event.currentTarget.value)}
														/>{:else}{value}{/if}</td
												>{/each}<td class="text-soft font-sans whitespace-nowrap">{reject.message}</td></tr
										>
									{/each}
								</tbody>
							</table>
						</div>
					</details>
				{/if}
			{/if}

			{#if batch.file !== null && batch.rowsRead > 0}
				<h3 class="text-grey mt-5 mb-1 text-xs font-semibold">What became of a row</h3>
				<form class="flex gap-2" onsubmit={lookUp}>
					<input
						class="input input-sm w-32"
						inputmode="numeric"
						placeholder="Line of the file"
						aria-label="Line of the file"
						bind:value={line}
					/>
					<button class="btn btn-sm">Look up</button>
				</form>
				{#if row}
					<div class="border-hairline mt-2 border-t pt-1.5" role="status">
						<p class="font-mono text-[12.5px] break-words">{row.values.join('  ·  ')}</p>
						{#if row.rejected}<p class="text-error">{row.rejected}</p>{/if}
						{#each row.cells as cell (cell.words)}<p><b class="font-semibold">{amount(cell.amount)}</b> in {cell.words}</p>{/each}
						{#if row.cells.length === 0 && !row.rejected}<p class="text-grey">It was left out.</p>{/if}
					</div>
				{/if}
			{/if}

			{#if desk.details.batches.filter(({ file }) => file !== null).length > 1 && batch.file !== null}
				<h3 class="text-grey mt-5 mb-1 text-xs font-semibold">Compare with</h3>
				<select class="select select-sm" aria-label="Batch to compare with" bind:value={compareWith} onchange={() => void compare()}>
					<option value={0}>(another batch)</option>
					{#each desk.details.batches.filter(({ id, file }) => id !== batch.id && file !== null) as each (each.id)}<option value={each.id}
							>Batch {each.id}: {each.fileName}</option
						>{/each}
				</select>
				{#if difference}
					<p class="mt-1.5" role="status">
						{formatCount(difference.same, locale)} cells alike, {formatCount(difference.different, locale)} different, {formatCount(
							difference.onlyFirst,
							locale
						)} only here, {formatCount(difference.onlySecond, locale)} only there. In all {amount(difference.totals.first)} here and {amount(
							difference.totals.second
						)} there.
					</p>
					{#if difference.largest.length > 0}
						<table class="mt-1 w-full text-[13px]">
							<thead class="text-grey text-right text-xs"
								><tr
									><th class="text-left font-normal">Cell</th><th class="font-normal">here</th><th class="font-normal">there</th><th
										class="font-normal">difference</th
									></tr
								></thead
							>
							<tbody>
								{#each difference.largest.slice(0, 60) as each (each.words)}
									<tr class="border-hairline border-t"
										><td class="py-0.5 pr-2">{each.words}</td><td class="text-right">{amount(each.first)}</td><td class="text-right"
											>{amount(each.second)}</td
										><td class="text-right font-semibold">{amount((each.first ?? 0) - (each.second ?? 0))}</td></tr
									>
								{/each}
							</tbody>
						</table>
					{/if}
				{/if}
			{/if}
		{:else}
			<h2 class="font-semibold">No batch is open</h2>
			<p class="text-soft mt-1 max-w-md">
				Every load is kept here with its file: what it wrote, what it rejected and why. Choose one at the left.
			</p>
		{/if}
	</section>
</div>

<style>
	.correction {
		width: 120px;
		height: 22px;
		padding: 0 5px;
		border: 1px solid var(--rule);
		border-radius: 4px;
		background: var(--raised);
	}
	.figure {
		font-size: 20px;
		font-weight: 600;
		letter-spacing: -0.2px;
	}
</style>
