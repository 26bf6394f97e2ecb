<script lang="ts">
	import { asTyped, typedNumber, typedPercent } from '../figures/typed';
	import type { Method } from '$lib/core';
	import type { MethodAnswer } from '$lib/server/engine';
	import X from '@lucide/svelte/icons/x';
	import { untrack } from 'svelte';
	import MemberPick from '../data-in/MemberPick.svelte';
	import { formatFigure, formatMoment, type FigureFormat } from '../figures/format';
	import type { FormSession } from './form-session.svelte';

	interface Props {
		session: FormSession;
		row: number;
		/** The account dimension: drivers are picked from it. */
		accounts: number | null;
		format: FigureFormat;
		locale: string;
		onclose: () => void;
	}
	let { session, row, accounts, format, locale, onclose }: Props = $props();

	const KINDS = [
		['growth on last year', 'Grow on last year'],
		['average last year', 'Last year’s average'],
		['trend', 'Trend of the last months'],
		['driver and rate', 'Driver × rate'],
		['driver at last year’s rate', 'Driver × last year’s cost for each unit']
	] as const;

	let kind = $state<Method['kind']>('growth on last year');
	let percent = $state('0');
	let periods = $state('12');
	let rate = $state('1');
	let driver = $state<{ id: number; name: string } | null>(null);
	let adjustPercent = $state('0');
	let adjustAmount = $state('0');
	/** Amounts on top of single periods, or of quarters, as they were typed. */
	let adjustPer = $state<'period' | 'quarter'>('period');
	let adjustments = $state.raw<readonly string[]>([]);
	let answer = $state.raw<MethodAnswer | null>(null);
	let last = $state.raw<{ currency: string | null; person: string; at: string } | null>(null);
	let asked = 0;

	const numberOf = (text: string): number => (text.trim() === '' ? 0 : (typedNumber(text) ?? Number.NaN));
	const percentOf = (text: string): number => (text.trim() === '' ? 0 : (typedPercent(text) ?? Number.NaN));
	const method = $derived.by((): Method | null => {
		const amounts = adjustments.map(numberOf);
		const adjust = {
			adjustPercent: percentOf(adjustPercent),
			adjustAmount: numberOf(adjustAmount),
			...(amounts.some((amount) => amount !== 0) && { adjustments: { per: adjustPer, amounts } })
		};
		const numbers = [...amounts, adjust.adjustPercent, adjust.adjustAmount, percentOf(percent), numberOf(rate), numberOf(periods)];
		if (!numbers.every(Number.isFinite)) return null;
		switch (kind) {
			case 'driver and rate':
				return driver ? { kind, driver: driver.id, rate: numberOf(rate), ...adjust } : null;
			case 'driver at last year’s rate':
				return driver ? { kind, driver: driver.id, percent: percentOf(percent), ...adjust } : null;
			case 'trend':
				return { kind, periods: Math.max(2, Math.min(60, Math.round(numberOf(periods)))), ...adjust };
			case 'growth on last year':
			case 'average last year':
				return { kind, percent: percentOf(percent), ...adjust };
			default:
				return kind satisfies never;
		}
	});
	const line = $derived(session.form.rows[row]);

	$effect(() => {
		void row;
		untrack(() => void recall());
	});
	$effect(() => {
		void row;
		const wanted = method;
		const timer = setTimeout(() => void look(wanted), 150);
		return () => clearTimeout(timer);
	});

	/** The method the row was filled by last stands there again. */
	async function recall() {
		last = null;
		const found = await session.ask<{ last: { method: Method; currency: string | null; person: string; at: string } | null }>(
			'last-method',
			{ asked: { row } }
		);
		if (!found?.last) return;
		last = found.last;
		const { method: before } = found.last;
		kind = before.kind;
		adjustPercent = asTyped(Number((before.adjustPercent * 100).toFixed(6)));
		adjustAmount = asTyped(before.adjustAmount);
		adjustPer = before.adjustments?.per ?? 'period';
		adjustments = (before.adjustments?.amounts ?? []).map((amount) => (amount === 0 ? '' : asTyped(amount)));
		if ('percent' in before) percent = asTyped(Number((before.percent * 100).toFixed(6)));
		if ('periods' in before) periods = String(before.periods);
		if ('rate' in before) rate = asTyped(before.rate);
		if ('driver' in before) {
			const place = session.form.rows.find(({ account }) => account === before.driver);
			driver = { id: before.driver, name: place?.label ?? 'the account chosen last time' };
		}
	}
	async function look(wanted: Method | null) {
		const number = ++asked;
		const found = wanted ? await session.method(row, wanted) : null;
		if (number === asked) answer = found ?? null;
	}
	function adjust(index: number, text: string) {
		const next = [...adjustments];
		while (next.length <= index) next.push('');
		next[index] = text;
		adjustments = next;
	}
	const shown = (value: number | null) => (value === null ? '' : formatFigure(value, { ...format, scale: 1 }, locale));
	const sum = (which: 'now' | 'value') => (answer?.columns ?? []).reduce((total, column) => total + (column[which] ?? 0), 0);
	const adds = $derived(line && (line.valueType === 'money' || line.valueType === 'quantity'));
</script>

<aside
	class="border-hairline bg-base-100 w-75 shrink-0 overflow-y-auto border-l px-4 py-3.5 text-[13px]"
	aria-label="Fill the row by a method"
>
	<div class="flex items-start">
		<h2 class="text-grey grow text-xs font-semibold">Fill the row by a method</h2>
		<button class="text-grey hover:text-base-content -mt-1 -mr-1 p-1" aria-label="Close the methods" onclick={onclose}
			><X size={15} aria-hidden="true" /></button
		>
	</div>
	<p class="text-lg leading-6 font-semibold">{line?.label}</p>
	{#if last}<p class="text-grey text-xs">Filled this way by {last.person}, {formatMoment(last.at, locale)}</p>{/if}
	{#if last?.currency && answer && answer.currency !== '' && last.currency !== answer.currency}
		<p class="text-warning text-xs">
			Its rate and amounts were in {last.currency === 'local' ? 'local currency' : last.currency}; here they would be taken as {answer.currency ===
			'local'
				? 'local currency'
				: answer.currency}.
		</p>
	{/if}
	<label class="mt-2 block"
		><span class="text-grey text-xs">Method</span>
		<select class="select select-sm w-full" bind:value={kind}>
			{#each KINDS as [value, name] (value)}<option {value}>{name}</option>{/each}
		</select></label
	>
	<div class="mt-2 grid grid-cols-2 gap-2">
		{#if kind === 'driver and rate' || kind === 'driver at last year’s rate'}
			<div class="col-span-2">
				<span class="text-grey text-xs">Driver</span>
				{#if accounts !== null}
					<MemberPick
						dimension={accounts}
						label="The account that drives the row"
						of="all"
						chosen={driver?.name ?? ''}
						onpick={(member) => (driver = member)}
					/>
				{/if}
			</div>
			{#if kind === 'driver and rate'}
				<label><span class="text-grey text-xs">Rate</span><input class="input input-sm w-full text-right" bind:value={rate} /></label>
			{:else}
				<label
					><span class="text-grey text-xs">Raised by, %</span><input class="input input-sm w-full text-right" bind:value={percent} /></label
				>
			{/if}
		{:else if kind === 'trend'}
			<label
				><span class="text-grey text-xs">Months looked back</span><input
					class="input input-sm w-full text-right"
					bind:value={periods}
				/></label
			>
		{:else}
			<label
				><span class="text-grey text-xs">Raised by, %</span><input class="input input-sm w-full text-right" bind:value={percent} /></label
			>
		{/if}
	</div>
	<h3 class="text-grey mt-3 text-xs font-semibold">Adjustment on top</h3>
	<div class="mt-1 grid grid-cols-2 gap-2">
		<label><span class="text-grey text-xs">In %</span><input class="input input-sm w-full text-right" bind:value={adjustPercent} /></label>
		<label
			><span class="text-grey text-xs">Amount a month</span><input
				class="input input-sm w-full text-right"
				bind:value={adjustAmount}
			/></label
		>
	</div>
	<label class="mt-2 flex items-center gap-1.5"
		><span class="text-grey text-xs">and amounts on top of single</span>
		<select
			class="select select-xs w-28"
			bind:value={adjustPer}
			onchange={() => (adjustments = [])}
			aria-label="Amounts on top of single months or quarters"
			><option value="period">months</option><option value="quarter">quarters</option></select
		></label
	>
	{#if adjustPer === 'quarter' && answer && answer.quarters.length > 0}
		<div class="mt-1 grid grid-cols-2 gap-x-2">
			{#each answer.quarters as quarter, index (quarter)}
				<label
					><span class="text-grey text-xs">{quarter}</span><input
						class="input input-xs w-full text-right"
						value={adjustments[index] ?? ''}
						onchange={(event) => adjust(index, event.currentTarget.value)}
					/></label
				>
			{/each}
		</div>
	{/if}
	{#if answer?.reason}<p class="text-warning mt-3">{answer.reason}</p>{/if}
	{#if answer && answer.columns.length > 0}
		<table class="mt-3 w-full">
			<thead
				><tr class="text-grey text-right text-xs"
					><th class="text-left font-normal">Period</th><th class="font-normal">Now</th>{#if adjustPer === 'period'}<th class="font-normal"
							>On top</th
						>{/if}<th class="font-normal">By the method</th></tr
				></thead
			>
			<tbody>
				{#each answer.columns as { column, label, now, value }, index (column)}
					<tr class="border-hairline border-t text-right"
						><td class="text-left">{label}</td><td class="text-grey">{shown(now)}</td>{#if adjustPer === 'period'}<td
								><input
									class="input input-xs w-16 text-right"
									aria-label="On top of {label}"
									value={adjustments[index] ?? ''}
									onchange={(event) => adjust(index, event.currentTarget.value)}
								/></td
							>{/if}<td class="font-semibold">{shown(value)}</td></tr
					>
				{/each}
			</tbody>
			{#if adds}<tfoot
					><tr class="border-soft border-t text-right font-semibold"
						><td class="text-left">Together</td><td>{shown(sum('now'))}</td>{#if adjustPer === 'period'}<td></td>{/if}<td
							>{shown(sum('value'))}</td
						></tr
					></tfoot
				>{/if}
		</table>
	{/if}
	<button
		class="btn btn-primary btn-sm mt-3"
		disabled={!method || !answer?.columns.some(({ value }) => value !== null)}
		onclick={() => method && session.fill(row, method)}>Put into my draft</button
	>
</aside>
