<script lang="ts">
	import { formatDay } from '../figures/format';

	interface Props {
		startedAt: string | null;
		/** Days on which units are due, with how many. */
		days: { on: string; units: number }[];
		locale: string;
	}
	let { startedAt, days, locale }: Props = $props();
	const today = new Date().toISOString().slice(0, 10);
	const at = (day: string) => Date.parse(`${day}T00:00:00Z`);
	const from = $derived(Math.min(...[startedAt?.slice(0, 10) ?? today, today, ...days.map(({ on }) => on)].map(at)));
	const to = $derived(Math.max(...[today, ...days.map(({ on }) => on)].map(at)));
	const place = (day: string) => (to === from ? 0 : ((at(day) - from) / (to - from)) * 100);
</script>

<!-- From the start to the last day, with today. -->
<div
	class="relative mx-10 mt-1 mb-7 h-2"
	role="img"
	aria-label="From {startedAt ? formatDay(startedAt.slice(0, 10), locale) : 'today'}; due {days
		.map(({ on, units }) => `${formatDay(on, locale)} ${units}`)
		.join(', ')}"
>
	<span class="bg-base-300 absolute inset-x-0 top-1 h-px"></span>
	<span class="bg-secondary absolute top-0.75 left-0 h-0.5" style:width="{place(today)}%"></span>
	{#each [...(startedAt ? [{ on: startedAt.slice(0, 10), words: 'begun' }] : []), ...days.map( ({ on, units }) => ({ on, words: `${units} due` }) )] as { on, words } (`${on} ${words}`)}
		<span class="absolute -translate-x-1/2 text-center text-[11px] leading-3 whitespace-nowrap" style:left="{place(on)}%"
			><span class={['mx-auto block size-2 rotate-45', on < today ? 'bg-[var(--color-secondary)]' : 'bg-[var(--color-accent)]']}
			></span><span class="text-soft mt-1.5 block">{formatDay(on, locale)}, {words}</span></span
		>
	{/each}
	<span class="bg-base-content absolute -top-0.5 h-3 w-0.5" style:left="calc({place(today)}% - 1px)" title="today"></span>
</div>
