<script lang="ts">
	import { formatCount, formatFigure, formatMoment } from '../figures/format';
	import type { FormSession } from '../grid/form-session.svelte';
	import type { GridState } from '../grid/grid-state.svelte';

	/** The line beneath a form: what the selected cells come to, in which currency, as of which save. */
	interface Props {
		session: FormSession;
		grid: GridState;
		/** Whether something has to be chosen before figures are shown. */
		isAsking: boolean;
		locale: string;
		/** The rate set a branch reads in the place of another one, by name; empty where it reads none. */
		rates: string;
	}
	let { session, grid, isAsking, locale, rates }: Props = $props();

	const totals = $derived(grid.totals);
	const focusLine = $derived(session.form.rows[grid.focus.row]);
	const focusFacts = $derived(focusLine && session.form.facts(grid.focus.row, grid.focus.column));
	const inWords = $derived(
		session.form.currency === 'local'
			? 'Local currency'
			: `${session.form.currency} at the scenario’s rates${rates ? `, or ${rates} in this branch` : ''}`
	);
	const amount = (value: number) =>
		focusLine
			? formatFigure(
					value,
					{
						valueType: focusFacts!.valueType === 'percent' ? 'percent' : 'price',
						decimals: focusFacts!.valueType === 'percent' ? 1 : 2
					},
					locale
				)
			: '';
	const unitOf = (unit: string | undefined) =>
		unit === 'money' ? (session.form.currency === 'local' ? 'local currency' : session.form.currency) : (unit ?? '');
</script>

<footer
	class="border-hairline bg-base-200 text-grey flex h-6.5 items-center gap-5 overflow-hidden border-t px-4.5 text-[12.5px] whitespace-nowrap"
>
	{#if isAsking}<span>No figures are shown yet</span>
	{:else if totals.count > 0}
		<span>Sum <b>{amount(totals.sum)}</b></span>
		<span>Average <b>{amount(totals.average)}</b></span>
		<span
			>Cells <b>{totals.count}</b>{totals.count < totals.selected
				? ` of ${totals.selected} selected, ${totals.mixed ? `those in ${unitOf(totals.unit)}` : 'totals left out'}`
				: ''}</span
		>
	{:else}<span>Select cells below the totals to add them up</span>{/if}
	<span class="ml-auto">{inWords}</span>
	{#if session.saved}
		<span
			>Revision <b>{formatCount(session.form.revision, locale)}</b>, {session.saved.through}, {formatMoment(
				session.saved.at,
				locale
			)}{session.saved.person ? ` by ${session.saved.person}` : ''}</span
		>
	{/if}
</footer>

<style>
	b {
		color: var(--color-base-content);
		font-weight: 600;
	}
</style>
