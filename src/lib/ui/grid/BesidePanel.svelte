<script lang="ts">
	import { asPerson } from '../request';
	import { at } from '$lib/ui/at';
	import { asTyped, typedNumber } from '../figures/typed';
	import type { Beside, DetailLine, NoteThread } from '$lib/server/form';
	import { untrack } from 'svelte';
	import { formatAmount, formatMoment } from '../figures/format';
	import type { FormSession } from './form-session.svelte';

	interface Props {
		session: FormSession;
		place: number[];
		row: number;
		column: number;
		/** Whether one may write the cell: detail lines become its figure. */
		mayWrite: boolean;
		mayAttach: boolean;
		/** Whether it is a single cell of numbers. */
		takesLines: boolean;
		locale: string;
		onlinesaved: () => void;
	}
	let { session, place, row, column, mayWrite, mayAttach, takesLines, locale, onlinesaved }: Props = $props();

	let beside = $state.raw<Beside | null>(null);
	let text = $state('');
	let answer = $state<{ thread: number; text: string } | null>(null);
	let lines = $state<{ label: string; amount: string; factor: string }[]>([]);
	let linesChanged = $state(false);
	/** The last entry at the cell that these lines were read with, by revision. */
	let seen = 0;
	let fault = $state('');
	let address = $state('');
	const places = $derived(place.join());

	$effect(() => {
		void places;
		untrack(() => void read());
	});

	async function read() {
		const asked = places;
		const found = await session.ask<Beside>('beside', { place });
		if (found && asked === places) show(found);
	}
	function show(found: Beside | undefined) {
		if (!found) return;
		beside = found;
		if (!linesChanged) {
			lines = found.lines.map(plainLine);
			seen = found.typed?.revision ?? session.form.revision;
		}
		fault = '';
		void session.readMarks();
	}
	const plainLine = ({ label, amount, factor }: DetailLine) => ({ label, amount: asTyped(amount), factor: asTyped(factor) });

	async function write(thread?: number) {
		const words = thread === undefined ? text : (answer?.text ?? '');
		if (words.trim() === '') return;
		const found = await session.ask<Beside>('note', { place, text: words, ...(thread !== undefined && { thread }) });
		if (!found) return;
		if (thread === undefined) text = '';
		else answer = null;
		show(found);
	}
	const act = async (note: number, what: 'resolve' | 'open again' | 'delete') =>
		show(await session.ask<Beside>('note-act', { place, note, act: what }));

	const numberOf = (typed: string): number => (typed.trim() === '' ? 0 : (typedNumber(typed) ?? Number.NaN));
	const total = $derived(lines.reduce((sum, { amount, factor }) => sum + numberOf(amount) * numberOf(factor), 0));
	/** Whether the figure is another than its lines come to: it was typed over since. */
	const isApart = $derived(
		!linesChanged && beside?.typed && Number.isFinite(total) && Math.abs((beside.typed.value ?? 0) - total) > 1e-6
			? beside.typed
			: undefined
	);
	let savedLast: Promise<void> = Promise.resolve();
	/** Lines save themselves as one leaves them; one save at a time, so that none answers over what was typed since. */
	const saveLines = (): Promise<void> => (savedLast = savedLast.then(saveNow));
	async function saveNow() {
		if (!linesChanged) return;
		const filled = lines.filter(({ label, amount }) => label.trim() !== '' || amount.trim() !== '');
		const parsed = filled.map(({ label, amount, factor }) => ({
			label,
			amount: numberOf(amount),
			factor: numberOf(factor === '' ? '1' : factor)
		}));
		if (parsed.some(({ amount, factor }) => !Number.isFinite(amount) || !Number.isFinite(factor))) {
			fault = 'An amount or factor is not a number yet.';
			return;
		}
		fault = '';
		linesChanged = false;
		const { structure, frame } = session.form;
		const saved = await session.ask<{ revision: number | null }>('lines', {
			lines: { row, column, structure, frame, seen, lines: parsed }
		});
		if (!saved) {
			linesChanged = true;
			const conflict = session.faultOf('typed meanwhile');
			if (!conflict) return;
			session.message = {
				text: conflict.message,
				kind: 'error',
				act: {
					label: 'Write over it',
					run: () => {
						session.message = null;
						seen = (conflict.details as { seen: number }).seen;
						void saveLines();
					}
				}
			};
			return;
		}
		// What was saved is known, also while the next line is being typed.
		seen = saved.revision ?? seen;
		await session.reopen();
		await read();
		onlinesaved();
	}
	async function removeLine(index: number) {
		lines = lines.filter((_, at) => at !== index);
		linesChanged = true;
		await saveLines();
	}

	async function attach() {
		if (address.trim() === '') return;
		const found = await session.ask<Beside>('link', { place, title: '', address: address.trim() });
		if (found) address = '';
		show(found);
	}
	async function keepFile(file: File | undefined) {
		if (!file) return;
		const response = await fetch(at(`/api/forms/${session.code}/file?name=${encodeURIComponent(file.name)}&place=${places}`), {
			method: 'POST',
			headers: asPerson(),
			body: file
		}).catch(() => undefined);
		const found = (await response?.json().catch(() => undefined)) as (Beside & { message?: string }) | undefined;
		if (response?.ok) show(found);
		else fault = found?.message ?? 'The server cannot be reached. The file was not kept.';
	}
	/** The names that may follow an @. */
	const mention = $derived(/@([\p{L} ]{0,30})$/u.exec(text)?.[1]);
	const mentioned = $derived(
		mention === undefined ? [] : (beside?.people ?? []).filter((name) => name.toLowerCase().startsWith(mention.toLowerCase())).slice(0, 5)
	);
</script>

{#snippet noteHead(note: { person: string; at: string; branch: string | null })}
	<p class="text-grey text-xs">
		<b class="text-base-content">{note.person}</b>, {formatMoment(note.at, locale)}{note.branch ? `, in “${note.branch}”` : ''}
	</p>
{/snippet}

<h3>Notes</h3>
{#each beside?.threads ?? [] as thread (thread.id)}
	{@render threadView(thread)}
{/each}
{#snippet threadView(thread: NoteThread)}
	<div class={['border-rule mb-2 border-l-2 pl-2', thread.resolved && 'opacity-70']}>
		{@render noteHead(thread)}
		<p class="whitespace-pre-wrap">{thread.text}</p>
		{#each thread.answers as each (each.id)}
			<div class="mt-1 ml-3">
				{@render noteHead(each)}
				<p class="whitespace-pre-wrap">{each.text}</p>
			</div>
		{/each}
		{#if thread.resolved}<p class="text-success text-xs">Resolved by {thread.resolved.person}</p>{/if}
		<div class="mt-0.5 flex gap-2 text-xs">
			<button class="underline" onclick={() => (answer = { thread: thread.id, text: '' })}>Answer</button>
			{#if thread.isHere}<button class="underline" onclick={() => act(thread.id, thread.resolved ? 'open again' : 'resolve')}
					>{thread.resolved ? 'Open again' : 'Resolve'}</button
				>{/if}
			{#if thread.isHere && thread.mine && thread.answers.length === 0}<button class="underline" onclick={() => act(thread.id, 'delete')}
					>Delete</button
				>{/if}
		</div>
		{#if answer?.thread === thread.id}
			<textarea class="textarea textarea-sm mt-1 w-full" rows="2" aria-label="Your answer" bind:value={answer.text}></textarea>
			<button class="btn btn-xs mt-1" onclick={() => write(thread.id)}>Send answer</button>
		{/if}
	</div>
{/snippet}
<textarea
	class="textarea textarea-sm w-full"
	rows="2"
	aria-label="A note on this figure"
	placeholder="Write a note; @ tells somebody"
	bind:value={text}
	onkeydown={(event) => {
		if (event.key === 'Enter' && (event.ctrlKey || event.metaKey)) void write();
	}}></textarea>
{#if mentioned.length > 0}
	<div class="mt-0.5 flex flex-wrap gap-1">
		{#each mentioned as name (name)}<button class="btn btn-xs" onclick={() => (text = text.replace(/@[\p{L} ]{0,30}$/u, `@${name} `))}
				>{name}</button
			>{/each}
	</div>
{/if}
{#if text.trim() !== ''}<button class="btn btn-primary btn-xs mt-1" onclick={() => write()}>Keep the note</button>{/if}

{#if takesLines && (mayWrite || lines.length > 0)}
	<h3>Detail lines</h3>
	{#if lines.length > 0}
		<table class="w-full table-fixed text-[12.5px]">
			<thead
				><tr class="text-grey text-left text-xs"
					><th class="w-[44%] font-normal">What</th><th class="font-normal">Amount</th><th class="w-12 font-normal">×</th><th class="w-5"
					></th></tr
				></thead
			>
			<tbody>
				{#each lines as line, index (index)}
					<tr>
						{#each ['label', 'amount', 'factor'] as const as field (field)}
							<td class="pr-1"
								><input
									class={['input input-xs w-full px-1', field !== 'label' && 'text-right']}
									aria-label="{field === 'label' ? 'What' : field === 'amount' ? 'Amount' : 'Factor'} of line {index + 1}"
									disabled={!mayWrite}
									bind:value={line[field]}
									oninput={() => (linesChanged = true)}
									onchange={saveLines}
								/></td
							>
						{/each}
						<td
							>{#if mayWrite}<button
									class="text-grey hover:text-base-content"
									aria-label="Remove line {index + 1}"
									onclick={() => removeLine(index)}>×</button
								>{/if}</td
						>
					</tr>
				{/each}
			</tbody>
		</table>
		<p class="mt-1 flex justify-between">
			<span>Together{isApart ? '' : ', which is the cell’s figure'}</span><b>{Number.isFinite(total) ? formatAmount(total, locale) : '…'}</b
			>
		</p>
	{/if}
	{#if isApart}
		<p class="text-warning mt-1">
			The figure is no longer their sum: {isApart.person ?? 'someone'}
			{isApart.value === null ? 'took it away' : `typed ${formatAmount(isApart.value, locale)}`}, {formatMoment(isApart.at, locale)}.
		</p>
	{/if}
	{#if mayWrite}<button
			class="btn btn-xs mt-1"
			onclick={() => {
				lines = [...lines, { label: '', amount: '', factor: '1' }];
			}}>Add a line</button
		>{/if}
{/if}

<h3>Links and files</h3>
{#each beside?.links ?? [] as link (link.id)}
	<p class="flex items-baseline gap-2">
		<a
			class="link grow truncate"
			href={link.isFile ? at(link.href) : link.href}
			target={link.isFile ? undefined : '_blank'}
			rel="noreferrer noopener"
			title={link.title}>{link.title}</a
		>
		<span class="text-grey text-xs">{link.person}</span>
		{#if link.mine}<button
				class="text-grey hover:text-base-content"
				aria-label="Remove {link.title}"
				onclick={async () => show(await session.ask<Beside>('link-remove', { place, link: link.id }))}>×</button
			>{/if}
	</p>
{/each}
{#if mayAttach}
	<div class="mt-1 flex gap-1.5">
		<input
			class="input input-xs grow"
			aria-label="An address to attach"
			placeholder="https://…"
			bind:value={address}
			onkeydown={(event) => event.key === 'Enter' && attach()}
		/>
		<label class="btn btn-xs"
			>File<input
				type="file"
				class="sr-only"
				aria-label="A file to keep beside this figure"
				accept=".pdf,.png,.jpg,.jpeg,.txt,.csv,.md,.xlsx,.docx,.ods,.odt"
				onchange={(event) => keepFile(event.currentTarget.files?.[0])}
			/></label
		>
	</div>
{/if}
{#if fault}<p class="text-error mt-1" role="alert">{fault}</p>{/if}

<style>
	h3 {
		margin: 14px 0 3px;
		font-size: 12px;
		font-weight: 600;
		color: var(--grey);
	}
</style>
