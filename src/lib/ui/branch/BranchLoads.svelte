<script lang="ts">
	import { invalidateAll } from '$app/navigation';
	import type { ImportForBranch, LoadInBranch } from '$lib/server/branch';
	import type { CheckOutcome, KeptFile } from '$lib/server/import';
	import MemberPick from '../data-in/MemberPick.svelte';
	import { formatCount, formatMoment } from '../figures/format';
	import { request } from '../request';
	import { useShell } from '../shell/shell.svelte';

	/** What was loaded into a branch: put back; and another file to be looked at and loaded. */
	interface Props {
		branch: { id: number; mayWork: boolean };
		loads: readonly LoadInBranch[];
		/** What can be loaded here; none for who loads nothing. */
		imports: readonly ImportForBranch[];
		locale: string;
	}
	let { branch, loads, imports, locale }: Props = $props();
	const shell = useShell();
	let told = $state.raw<{ words: string; isFault: boolean } | null>(null);
	let code = $state('');
	let members = $state<Record<number, { id: number; name: string }>>({});
	let file = $state.raw<KeptFile | null>(null);
	let check = $state.raw<CheckOutcome | null>(null);
	let good = $state(false);
	let before = $state('');
	let busy = $state(false);
	const mayLoad = $derived(branch.mayWork && imports.length > 0);
	const chosen = $derived(imports.find((each) => each.code === code));
	const asked = $derived(Object.fromEntries(Object.entries(members).map(([dimension, { id }]) => [dimension, id])));
	const isAnswered = $derived(chosen?.asks.every(({ dimension }) => members[dimension]) === true);

	const unmapped = $derived((check?.dimensions ?? []).flatMap((each) => each.unmapped).slice(0, 3));

	function begin() {
		[file, check, before, told, good] = [null, null, '', null, false];
		members = {};
	}
	async function take(event: Event & { currentTarget: HTMLInputElement }) {
		const [picked] = event.currentTarget.files ?? [];
		if (!picked) return;
		[check, before, told] = [null, '', null];
		busy = true;
		const kept = await request<KeptFile>(`/api/files?import=${encodeURIComponent(code)}&name=${encodeURIComponent(picked.name)}`, picked);
		busy = false;
		if (!kept.ok) return (told = { words: kept.message, isFault: true });
		file = kept.answer;
		await look();
	}
	/** Looks what all rows of the file would become in the branch. */
	async function look() {
		if (!file) return;
		busy = true;
		const reply = await request<CheckOutcome>('/api/branches/check-load', {
			...{ id: branch.id, import: code, file: file.id, chosen: asked, allRows: true }
		});
		busy = false;
		if (reply.ok) check = reply.answer;
		else told = { words: reply.message, isFault: true };
	}
	async function load() {
		if (!file) return;
		busy = true;
		const reply = await request<{ batch: number; job: number }>('/api/branches/load', {
			...{ id: branch.id, import: code, file: file.id, chosen: asked },
			rejects: good ? 'load good rows' : 'stop',
			again: before !== ''
		});
		if (reply.ok) {
			told = { words: 'It is being loaded…', isFault: false };
			const { words, state } = await shell.jobs.until(reply.answer.job);
			begin();
			code = '';
			told = { words, isFault: state !== 'done' };
			await invalidateAll();
		} else if (reply.code === 'loaded before') before = reply.message;
		else told = { words: reply.message, isFault: true };
		busy = false;
	}
	async function putBack(batch: number) {
		const reply = await request<{ cells: number }>('/api/branches/put-back-load', { id: branch.id, batch });
		told = reply.ok
			? { words: 'It is put back: what was loaded into the plan shows there again.', isFault: false }
			: { words: reply.message, isFault: true };
		await invalidateAll();
	}
	const rows = (count: number) => (count === 1 ? 'one row' : `${formatCount(count, locale)} rows`);
	const wordsOf = ({ state, stands, words }: LoadInBranch): string =>
		state === 'running'
			? 'Under way'
			: state === 'taken back'
				? 'Put back'
				: state === 'loaded' && !stands
					? 'Replaced by a later load'
					: words;
</script>

{#if loads.length > 0 || mayLoad}
	<section aria-labelledby="loads">
		<h2 id="loads" class="border-rule border-b pb-1 font-semibold">Loads into it</h2>
		<ul class="text-[13px]">
			{#each loads as load (load.id)}
				<li class={['border-hairline border-b py-1.5', !load.stands && 'text-soft']}>
					<div class="flex items-baseline gap-2">
						<span class="grow">{load.name}</span>
						{#if mayLoad && load.stands}
							<button class="btn btn-xs btn-ghost" disabled={busy} onclick={() => putBack(load.id)}
								>Put back<span class="sr-only">: {load.name}</span></button
							>
						{/if}
					</div>
					<p class="text-soft text-xs">{load.person ?? 'Somebody'}, {formatMoment(load.at, locale)}</p>
					<p class={['text-xs', ['failed', 'stopped'].includes(load.state) ? 'text-error' : 'text-soft']}>{wordsOf(load)}</p>
					{#each load.rejected as { message, rows: count } (message)}<p class="text-warning text-xs">
							{rows(count)} rejected: {message}
						</p>{/each}
				</li>
			{:else}<li class="text-soft py-1.5">Nothing has been loaded into it. What was loaded into the plan shows through.</li>{/each}
		</ul>
		{#if told}<p class={['my-1 text-[13px]', told.isFault ? 'text-error' : 'text-success']} role={told.isFault ? 'alert' : 'status'}>
				{told.words}
			</p>{/if}
		{#if mayLoad}
			<form
				class="mt-2 grid gap-2 text-[13px]"
				onsubmit={(event) => {
					event.preventDefault();
					void load();
				}}
			>
				<select
					class="select select-sm w-full"
					aria-label="Load a file into this branch"
					bind:value={code}
					disabled={busy}
					onchange={begin}
				>
					<option value="">Load a file into it…</option>
					{#each imports as { code, name } (code)}<option value={code}>{name}</option>{/each}
				</select>
				{#if chosen}
					{#each chosen.asks as { dimension, name } (dimension)}
						<MemberPick
							{dimension}
							label={name}
							chosen={members[dimension]?.name ?? ''}
							placeholder="{name}, by name or code"
							onpick={({ id, name }) => {
								members[dimension] = { id, name };
								void look();
							}}
						/>
					{/each}
					<input
						type="file"
						class="file-input file-input-sm w-full"
						aria-label="File for {chosen.name}"
						accept=".csv,.txt,.tsv,.xlsx"
						disabled={busy || !isAnswered}
						onchange={take}
					/>
					{#if check}
						<p>
							{rows(check.rows.read)}: {rows(check.rows.loaded)} would be loaded{check.rows.skipped > 0
								? `, ${rows(check.rows.skipped)} left out by the maps`
								: ''}{check.rows.rejected > 0 ? `, ${rows(check.rows.rejected)} rejected` : ''}.{check.rows.loaded > 0
								? ` It replaces ${check.extent.words}.`
								: ''}
						</p>
						{#each check.reasons.slice(0, 3) as { message, rows: count } (message)}<p class="text-warning">
								{rows(count)}: {message}
							</p>{/each}
						{#each unmapped as { value, rows: count } (value)}<p class="text-warning">{rows(count)}: no member for “{value}”</p>{/each}
						{#if check.rows.rejected > 0 && check.rows.loaded > 0}<label class="flex items-center gap-2"
								><input type="checkbox" class="checkbox checkbox-sm" bind:checked={good} />Load the good rows</label
							>{/if}
						{#if before}<p class="text-warning" role="alert">{before} Press once more to load it again.</p>{/if}
						<button
							class="btn btn-primary btn-sm justify-self-start"
							disabled={busy || check.rows.loaded === 0 || check.missing.length > 0 || (check.rows.rejected > 0 && !good)}
							>Load it here</button
						>
					{:else if busy && file}<p class="text-soft" role="status">Looking at it…</p>{/if}
				{/if}
			</form>
		{/if}
	</section>
{/if}
