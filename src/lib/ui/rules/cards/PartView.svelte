<script lang="ts">
	import { replaceSpan, type PartCard } from '$lib/core';
	import { useCards } from './card-desk.svelte';
	import PartView from './PartView.svelte';
	import { placeInWords, selectionInCards } from './card-words';

	/** A part of an expression, and the path to it. */
	let { part, path }: { part: PartCard; path: string } = $props();
	const desk = useCards();

	const at = (name: string) => `${path}.${name}`;
	const pick = (chosen = path) => (desk.picked = desk.picked === chosen ? null : chosen);
	const SIGNS = { '+': '+', '-': '−', '*': '×', '/': '÷', '^': '^' };
	const COMPARISONS = { '=': '=', '<>': '≠', '<': '<', '<=': '≤', '>': '>', '>=': '≥' };
	const JOINS = { and: 'and', or: 'or' };
	const alike = (operator: string): Record<string, string> => (operator in SIGNS ? SIGNS : operator in JOINS ? JOINS : COMPARISONS);
</script>

{#snippet chip(words: string, small: string = '')}
	<button
		class={['part', desk.picked === path && 'picked']}
		aria-pressed={desk.picked === path}
		disabled={desk.readonly}
		onclick={() => pick()}
		>{small ? `${words} ` : words}{#if small}<small class="text-grey">{small}</small>{/if}</button
	>
{/snippet}
{#snippet handle(words: string)}
	<button
		class={['handle', desk.picked === path && 'picked']}
		aria-pressed={desk.picked === path}
		disabled={desk.readonly}
		onclick={() => pick()}>{words}</button
	>
{/snippet}

{#if part.kind === 'read'}
	{@render chip(desk.shown(part.name), part.places.map((place) => placeInWords(place, desk)).join(', '))}
{:else if part.kind === 'number'}{@render chip(part.text)}
{:else if part.kind === 'date' || part.kind === 'text'}{@render chip(part.text)}
{:else if part.kind === 'parameter'}{@render chip(`$${part.name}`)}
{:else if part.kind === 'operation'}
	<PartView part={part.left} path={at('left')} />
	{#if desk.readonly}<span class="text-soft">{alike(part.operator)[part.operator]}</span>
	{:else}
		<select
			class="sign"
			aria-label="Operator"
			value={part.operator}
			onchange={(event) => {
				const chosen = event.currentTarget.value;
				event.currentTarget.value = part.operator;
				desk.change(replaceSpan(desk.text, part.at, chosen));
			}}
			>{#each Object.entries(alike(part.operator)) as [sign, words] (sign)}<option value={sign}>{words}</option>{/each}</select
		>
	{/if}
	<PartView part={part.right} path={at('right')} />
{:else if part.kind === 'group'}
	{@render handle('(')}<PartView part={part.of} path={at('of')} />{@render handle(')')}
{:else if part.kind === 'negative'}{@render handle('−')}<PartView part={part.of} path={at('of')} />
{:else if part.kind === 'not'}{@render handle('not')}<PartView part={part.of} path={at('of')} />
{:else if part.kind === 'is'}
	<PartView part={part.of} path={at('of')} />
	{@render handle(`is ${desk.shown(part.member.name)}`)}
{:else if part.kind === 'in'}
	<PartView part={part.of} path={at('of')} />
	{@render handle(`is one of ${part.selections.map((each) => selectionInCards(each, desk)).join(', ')}`)}
{:else if part.kind === 'call'}
	{#if part.name === 'empty' && part.args[0]}
		<PartView part={part.args[0]} path={at('arg0')} />{@render handle('is empty')}
	{:else if part.args.length === 0}{@render handle(`${part.name} of the period`)}
	{:else}
		{@render handle(`${part.name} of`)}
		{#each part.args as arg, place (place)}{#if place > 0}<span class="text-grey">,</span>{/if}<PartView
				part={arg}
				path={at(`arg${place}`)}
			/>{/each}
		<span class="text-grey">)</span>
	{/if}
{:else if part.kind === 'over'}
	{@render handle(`${part.name} of`)}<PartView part={part.of} path={at('of')} /><span class="text-soft"
		>over {selectionInCards(part.selection, desk)}</span
	>
{:else if part.kind === 'share'}
	{@render handle('share of')}<PartView part={part.of} path={at('of')} /><span class="text-soft">in {part.dimension.word}</span>
{:else if part.kind === 'when'}
	<span class="border-rule flex w-full flex-col gap-1 border-l-2 pl-2.5">
		{#each part.cases as { condition, value }, place (place)}
			<span class="flex flex-wrap items-center gap-1"
				>{@render handle(place === 0 ? 'when' : 'or when')}<PartView part={condition} path={at(`if${place}`)} /><span class="text-soft"
					>then</span
				><PartView part={value} path={at(`then${place}`)} /></span
			>
		{/each}
		{#if part.otherwise}<span class="flex flex-wrap items-center gap-1"
				><span class="text-soft px-1">otherwise</span><PartView part={part.otherwise} path={at('else')} /></span
			>{/if}
	</span>
{/if}

<style>
	.part,
	.handle,
	.sign {
		min-height: 26px;
		border-radius: 5px;
		padding: 1px 7px;
		border: 1px solid transparent;
	}
	.part {
		background: var(--raised);
		border-color: var(--rule);
		font-weight: 600;
	}
	.handle {
		color: var(--soft);
		padding-inline: 4px;
	}
	.part:not(:disabled):hover,
	.handle:not(:disabled):hover,
	.sign:hover {
		border-color: var(--color-secondary);
	}
	.picked {
		border-color: var(--color-primary);
		box-shadow: inset 0 -2px 0 var(--color-primary);
	}
	.sign {
		appearance: none;
		background: transparent;
		color: var(--soft);
		field-sizing: content;
		min-width: 26px;
		padding-inline: 7px;
		text-align: center;
	}
</style>
