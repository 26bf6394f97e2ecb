<script lang="ts">
	import type { ParameterDefinition, ScriptFault, Slice } from '$lib/core';
	import type { ScriptCheck, Vocabulary } from '$lib/server/engine';
	import { untrack } from 'svelte';
	import { request } from '../../request';
	import { CardDesk, partAt, provideCards } from './card-desk.svelte';
	import CardList from './CardList.svelte';
	import PartTools from './PartTools.svelte';
	import PartView from './PartView.svelte';

	interface Props {
		text: string;
		label: string;
		parameters: ParameterDefinition[];
		limits: Slice;
		vocabulary: Vocabulary;
		readonly: boolean;
		/** One expression of a live formula instead of a script. */
		formula?: boolean;
		/** Whether it can be read and yet not be kept; the reason stands beside. */
		refused?: boolean;
		onchange: (text: string) => void;
	}
	let { text, label, parameters, limits, vocabulary, readonly, formula = false, refused = false, onchange }: Props = $props();

	/** A statement around an expression, so that it is read as a script is. */
	const FRONT = 'let formula = ';
	const front = $derived(formula ? FRONT : '');

	let faults = $state.raw<ScriptFault[]>([]);
	const named = $derived(
		parameters.map(({ name, kind, dimension }) => ({ name, dimension: kind.startsWith('member') ? dimension : null }))
	);
	const desk = provideCards(
		untrack(
			() =>
				new CardDesk({
					get text() {
						return front + text;
					},
					get vocabulary() {
						return vocabulary;
					},
					get parameters() {
						return named;
					},
					get readonly() {
						return readonly;
					},
					get isLive() {
						return formula;
					},
					get faults() {
						return faults.map((fault) => ({ ...fault, from: fault.from + front.length, to: fault.to + front.length }));
					},
					change: (next) => onchange(next.slice(front.length))
				})
		)
	);

	/** The one card of a formula, and what is picked of it. */
	const whole = $derived(desk.cards?.length === 1 && desk.cards[0]!.kind === 'let' ? desk.cards[0] : undefined);
	const picked = $derived(
		whole && desk.picked?.startsWith('0.value') ? partAt(whole.value, desk.picked.slice('0.value'.length)) : undefined
	);

	/** How long to wait with checking until nothing more is changed. */
	const CHECK_MILLISECONDS = 150;
	$effect(() => {
		const asked = text;
		const body = { text: asked, parameters, limits };
		if (asked.trim() === '') {
			faults = [];
			return;
		}
		const waiting = setTimeout(async () => {
			const reply = formula
				? await request<Pick<ScriptCheck, 'faults'>>('/api/structure/formula/check', { text: asked })
				: await request<Pick<ScriptCheck, 'faults'>>('/api/rules/script', body);
			if (reply.ok && asked === text) faults = reply.answer.faults;
		}, CHECK_MILLISECONDS);
		return () => clearTimeout(waiting);
	});
</script>

{#if formula && text.trim() === ''}
	<button class="btn btn-xs self-start" disabled={readonly} onclick={() => onchange(desk.anAccount)}>Begin with an account</button>
{:else if formula && whole}
	<div class="border-rule bg-base-100 rounded-md border px-2.5 py-1.5" role="group" aria-label={label}>
		<div class="flex flex-wrap items-center gap-1.5"><PartView part={whole.value} path="0.value" /></div>
		{#if picked}<div class="mt-2"><PartTools part={picked.part} around={picked.around} path={desk.picked!} /></div>{/if}
		{#each whole.notes as note, place (place)}<p class="text-grey text-xs italic">{note}</p>{/each}
		{#each faults as fault, place (place)}<p class="text-error mt-1 text-[13px]">{fault.message}</p>{/each}
	</div>
{:else if !formula && desk.cards}
	<CardList cards={desk.cards} before={text.length} path="" {label} />
	<p class="text-grey text-xs" role="status">
		{faults.length === 0 ? (refused ? 'Cannot be kept' : 'No faults') : faults.length === 1 ? 'One fault' : `${faults.length} faults`}
	</p>
{:else}
	<p class="border-rule text-error rounded-md border px-3 py-2">
		{formula ? '' : `Line ${text.slice(0, desk.fault!.from).split('\n').length}: `}{desk.fault?.message ??
			'This is more than one expression.'} Mend it in the text; then the cards can be shown again.
	</p>
{/if}
