<script lang="ts">
	import type { FigureDetails } from '$lib/server/form';
	import X from '@lucide/svelte/icons/x';
	import type { Snippet } from 'svelte';
	import { page } from '$app/state';
	import { at } from '$lib/ui/at';
	import LoadedRows from '../data-in/LoadedRows.svelte';
	import { formatFigure, formatMoment, type FigureFormat } from '../figures/format';

	interface Props {
		details: FigureDetails;
		format: FigureFormat;
		/** The figure in words, for choices and texts. */
		word: string | undefined;
		locale: string;
		/** How an entry here reaches the leaves. */
		spread: Snippet;
		/** What people left beside the figure. */
		beside: Snippet;
		onclose: () => void;
	}
	let { details, format, word, locale, spread, beside, onclose }: Props = $props();

	const [account, ...places] = $derived(details.address);
	const isWords = $derived(format.valueType === 'choice' || format.valueType === 'text');
	const shown = (value: number | null | undefined) =>
		value === null || value === undefined
			? 'empty'
			: isWords
				? value === details.value && word !== undefined
					? word
					: 'another one'
				: formatFigure(value, { ...format, scale: 1, valueType: format.valueType === 'money' ? 'price' : format.valueType }, locale);
	/** What the person may do here, in words. */
	const rights = $derived(
		details.verdict.kind === 'enter'
			? 'You may type here.'
			: details.verdict.kind === 'spread'
				? 'What you type here is spread over the cells beneath.'
				: details.verdict.reason
	);
</script>

<aside class="border-hairline bg-base-100 w-75 shrink-0 overflow-y-auto border-l px-4 py-3.5 text-[13px]" aria-label="Details of the cell">
	<div class="flex items-start">
		<h2 class="text-grey grow text-xs font-semibold">Cell</h2>
		<button class="text-grey hover:text-base-content -mt-1 -mr-1 p-1" aria-label="Close the details" onclick={onclose}
			><X size={15} aria-hidden="true" /></button
		>
	</div>
	<p class="text-2xl leading-8 font-semibold tracking-tight">
		{details.value === null
			? 'Empty'
			: shown(details.value)}{#if details.value !== null && format.valueType === 'money' && details.currency !== 'local'}<span
				class="text-grey ml-1.5 text-sm font-normal">{details.currency}</span
			>{/if}
	</p>
	<p class="font-semibold">{account?.member}</p>
	<dl class="mt-1 grid grid-cols-[auto_1fr] gap-x-3">
		{#each places as { dimension, member, path } (dimension)}
			<dt class="text-grey">{dimension}</dt>
			<dd class="truncate" title={[member, ...path].join(' under ')}>{member}</dd>
		{/each}
	</dl>
	{#if page.data.person?.permissions.includes('access.read') && details.place.length > 0}
		<a class="text-primary mt-1 inline-block underline" href={at(`/access?view=why&figure=${details.place.join('.')}`)}
			>Who may read and write it</a
		>
	{/if}
	{#each details.notes as note (note)}<p class="text-warning mt-2">{note}</p>{/each}

	{#if details.inBranch}
		<h3>Changed in this branch</h3>
		<p class="part"><span>In the plan</span><b>{shown(details.inBranch.base)}</b></p>
		<p class="text-grey">{details.inBranch.person ?? 'Somebody'}, {formatMoment(details.inBranch.at, locale)}, {details.inBranch.words}</p>
	{/if}
	{#if details.formula}
		<h3>
			{details.frozen ? 'As it was when it was closed, computed as' : details.result === null ? 'Computed as' : 'Above the result of'}
		</h3>
		<p class="font-mono text-xs leading-5">{details.formula}</p>
		{#if details.result !== null || details.frozen}<p class="part">
				<span>{details.frozen ? 'would be now' : 'would be'}</span><b>{details.result === null ? 'nothing' : shown(details.result)}</b>
			</p>{/if}
	{/if}
	{#if !details.formula || (details.result !== null && !details.frozen)}
		<h3>Made of{details.storedIn && details.storedIn !== details.currency ? `, in ${details.storedIn} as stored` : ''}</h3>
		{#each details.madeOf.filter((part) => !part.setAside) as part (part.name)}
			<p class={['part', part.mode === 'draft' && 'text-primary']}>
				<span>{part.name}</span>
				<b class="shrink-0">{details.leaf ? shown(part.value) : part.cells === 1 ? 'one cell' : `${part.cells} cells`}</b>
			</p>
		{:else}<p class="text-grey">Nothing is stored here yet.</p>{/each}
		{#if details.place.length > 0 && details.madeOf.some(({ mode }) => mode === 'adds')}
			<a
				class="text-primary mt-1 inline-block underline"
				href={at(`/trace?members=${details.place.slice(0, -1).join('.')}&period=${details.place.at(-1)}`)}>Trace where it comes from</a
			>
		{/if}
		{#if details.madeOf.some((part) => part.setAside)}
			<h3>Set aside by it</h3>
			{#each details.madeOf.filter((part) => part.setAside) as part (part.name)}
				<p class="part"><span>{part.name}</span><b>{shown(part.value)}</b></p>
			{/each}
		{/if}
	{/if}

	{#if details.loadedCell}
		{#key JSON.stringify(details.loadedCell)}<LoadedRows cell={details.loadedCell} {locale} />{/key}
	{/if}

	{#if details.verdict.kind === 'spread'}
		<h3>Reaches</h3>
		{@render spread()}
	{/if}

	<h3>May I write here?</h3>
	<p class="text-soft">{rights}</p>

	{#if details.place.length > 0}{@render beside()}{/if}

	<h3>History{details.storedIn && details.storedIn !== details.currency ? `, in ${details.storedIn}` : ''}</h3>
	<ol>
		{#each details.history as line, index (index)}
			<li class="event">
				{#if line.kind === 'save'}
					<b>{shown(line.after)}</b> <span class="text-grey">was {shown(line.before)}</span>
					{#if line.cell}<span class="text-soft block">{line.cell}</span>{/if}
				{:else}<b>{line.kind === 'load' ? 'Loaded' : 'Taken back'}</b>{/if}
				<span class="text-grey block">{line.person ?? 'The system'} · {formatMoment(line.at, locale)} · {line.through}</span>
			</li>
		{:else}
			<li class="text-grey">Nothing was typed here so far.</li>
		{/each}
	</ol>
</aside>

<style>
	h3 {
		margin: 14px 0 3px;
		font-size: 12px;
		font-weight: 600;
		color: var(--grey);
	}
	.part {
		display: flex;
		justify-content: space-between;
		gap: 12px;
		padding: 3px 0;
		border-bottom: 1px dotted var(--rule);
	}
	b {
		font-weight: 600;
	}
	.event {
		position: relative;
		padding: 3px 0 5px 13px;
		border-left: 1.5px solid var(--rule);
		margin-left: 3px;
		line-height: 17px;
	}
	.event::before {
		content: '';
		position: absolute;
		left: -4px;
		top: 9px;
		width: 6px;
		height: 6px;
		background: var(--color-accent);
		transform: rotate(45deg);
	}
</style>
