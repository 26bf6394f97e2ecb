<script lang="ts">
	import type { NumberStyle } from '$lib/core';
	import { at } from '../at';
	import { formatCount, formatMoment } from '../figures/format';
	import type { FormSession } from '../grid/form-session.svelte';
	import type { GridState } from '../grid/grid-state.svelte';

	/** What is said of one's own entries: what waits elsewhere, what was done, what was pasted, what is asked. */
	interface Props {
		session: FormSession;
		grid: GridState;
		style: NumberStyle;
		locale: string;
	}
	let { session, grid, style, locale }: Props = $props();

	/** Drafts older than this are spoken of. */
	const OLD_DRAFT_DAYS = 3;
	const isDraftOld = $derived(session.draftSince !== null && Date.now() - Date.parse(session.draftSince) > OLD_DRAFT_DAYS * 86_400_000);
</script>

{#if session.elsewhere.length > 0}
	<p class="text-grey mb-2 flex items-baseline gap-3 text-[13px]" role="status">
		<span>
			{#each session.elsewhere as { code, name, cells }, place (code)}{place > 0 ? ', ' : ''}{cells === 1
					? 'One entry'
					: `${formatCount(cells, locale)} entries`} in <a class="underline" href={at(`/forms/${code}`)}>{name}</a>{/each}
			{session.elsewhere.length === 1 && session.elsewhere[0]!.cells === 1 ? 'stays' : 'stay'} in your draft.
		</span>
		<button class="btn btn-xs" disabled={session.busy} onclick={() => session.save({ all: true })}>Save all</button>
	</p>
{/if}
{#if isDraftOld && session.form.draftHere > 0}
	<p class="text-warning mb-2 text-[13px]">
		Your draft has not been touched since {formatMoment(session.draftSince!, locale)}. Save or discard it.
	</p>
{/if}
{#if session.message}
	<p
		class={['mb-2 flex items-baseline gap-3', { error: 'text-error', warning: 'text-warning', info: 'text-success' }[session.message.kind]]}
		role={session.message.kind === 'error' ? 'alert' : 'status'}
	>
		{session.message.text}
		{#if session.message.act}
			{@const { label, run } = session.message.act}
			<button class="btn btn-xs" onclick={run}>{label}</button>
		{/if}
		<button class="text-grey hover:text-base-content text-[13px] underline" onclick={() => (session.message = null)}>Hide</button>
	</p>
{/if}
{#if grid.pasted}
	{@const { words, lost } = grid.pasted}
	<div class={['mb-2 text-[13px]', lost.length > 0 ? 'text-warning' : 'text-grey']} role="status">
		{words}
		<button class="text-grey hover:text-base-content underline" onclick={() => (grid.pasted = null)}>Hide</button>
		{#if lost.length > 0}
			<ul class="text-base-content max-h-32 overflow-auto" aria-label="Figures without a place on this form">
				{#each lost.slice(0, 200) as { row, column, text }, index (index)}
					<li>{[row, column].filter(Boolean).join(', ') || 'beyond the form'}: {text}</li>
				{/each}
				{#if lost.length > 200}<li>… and {lost.length - 200} more</li>{/if}
			</ul>
		{/if}
	</div>
{/if}
{#if grid.question}
	{@const { example, style: other } = grid.question}
	<p class="text-warning mb-2 flex flex-wrap items-baseline gap-2" role="alert">
		“{example}” can be read in two ways. Which one is meant?
		<button class="btn btn-xs" onclick={() => grid.answerPaste(style)}>{style.decimal === '.' ? '1,234.5' : '1.234,5'}, my way</button>
		<button class="btn btn-xs" onclick={() => grid.answerPaste(other)}>{other.decimal === '.' ? '1,234.5' : '1.234,5'}</button>
	</p>
{/if}
