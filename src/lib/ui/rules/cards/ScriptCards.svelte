<script lang="ts">
	import type { ParameterDefinition, ScriptFault, Slice } from '$lib/core';
	import type { ScriptCheck, Vocabulary } from '$lib/server/engine';
	import { untrack } from 'svelte';
	import { request } from '../../request';
	import { CardDesk, provideCards } from './card-desk.svelte';
	import CardList from './CardList.svelte';

	interface Props {
		text: string;
		label: string;
		parameters: ParameterDefinition[];
		limits: Slice;
		vocabulary: Vocabulary;
		readonly: boolean;
		onchange: (text: string) => void;
	}
	let { text, label, parameters, limits, vocabulary, readonly, onchange }: Props = $props();

	let faults = $state.raw<ScriptFault[]>([]);
	const named = $derived(
		parameters.map(({ name, kind, dimension }) => ({ name, dimension: kind.startsWith('member') ? dimension : null }))
	);
	const desk = provideCards(
		untrack(
			() =>
				new CardDesk({
					get text() {
						return text;
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
					get faults() {
						return faults;
					},
					change: (next) => onchange(next)
				})
		)
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
			const reply = await request<Pick<ScriptCheck, 'faults'>>('/api/rules/script', body);
			if (reply.ok && asked === text) faults = reply.answer.faults;
		}, CHECK_MILLISECONDS);
		return () => clearTimeout(waiting);
	});
</script>

{#if desk.cards}
	<CardList cards={desk.cards} before={text.length} path="" {label} />
	<p class="text-grey text-xs" role="status">
		{faults.length === 0 ? 'No faults' : faults.length === 1 ? 'One fault' : `${faults.length} faults`}
	</p>
{:else}
	<p class="border-rule text-error rounded-md border px-3 py-2">
		Line {text.slice(0, desk.fault!.from).split('\n').length}: {desk.fault!.message} Mend it in the text; then the cards can be shown again.
	</p>
{/if}
