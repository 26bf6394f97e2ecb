<script lang="ts">
	import { page } from '$app/state';
	import { at, atBranch } from '../at';
	import { formatCount, formatDay } from '../figures/format';

	interface Props {
		branch: {
			id: number;
			name: string;
			due: string | null;
			cells: number | null;
			state: string;
			partWords: string;
			rates: string;
			whyNot: string;
		};
		locale: string;
	}
	let { branch, locale }: Props = $props();
	/** The same page, of the plan. */
	const outside = $derived(atBranch(null, page.url.pathname.replace(/^\/m\/[^/]+/, '') + page.url.search));
</script>

<p class="bg-accent text-accent-content col-start-2 flex items-baseline gap-3 px-4.5 py-1 text-[13.5px]" role="status">
	<span>What-if: <a class="font-semibold underline" href={at(`/branches/${branch.id}`)}>{branch.name}</a></span>
	{#if branch.due}<span>to be decided by {formatDay(branch.due, locale)}</span>{/if}
	{#if branch.cells !== null}<span>{branch.cells === 1 ? 'one change' : `${formatCount(branch.cells, locale)} changes`}</span>{/if}
	{#if branch.partWords}<span>limited to {branch.partWords}</span>{/if}
	{#if branch.rates}<span>at {branch.rates}</span>{/if}
	{#if branch.whyNot}<span>{branch.state === 'open' ? 'you may look at it' : branch.state}</span>{/if}
	<a class="ml-auto font-semibold underline" href={outside}>Leave the branch</a>
</p>
