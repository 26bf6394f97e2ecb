<script lang="ts">
	import { formatFigure } from '../figures/format';
	import type { FormSession } from '../grid/form-session.svelte';

	/** What is said of the figures that are shown: whose they are, checks that do not hold, methods that have moved. */
	interface Props {
		session: FormSession;
		locale: string;
	}
	let { session, locale }: Props = $props();

	const failing = $derived(session.form.checks.filter(({ state }) => state !== 'holds'));
</script>

{#if session.form.restricted}
	<p class="text-grey mb-1 text-[13px]">Totals are of what you may read in this model, not of all of it.</p>
{/if}
{#each failing as check (check.label)}
	<p class={['mb-1 text-[13px]', check.state === 'fails' ? 'text-error' : 'text-warning']} role="status">
		{check.label}: {check.state === 'fails' ? 'does not hold' : 'cannot tell, figures are incomplete'} in {check.where
			.slice(0, 4)
			.map(({ column, difference }) =>
				check.state === 'fails' && difference !== null
					? `${column} (off by ${formatFigure(difference, { valueType: 'price', decimals: 2 }, locale)})`
					: column
			)
			.join(', ')}{check.where.length > 4 ? ` and ${check.where.length - 4} more` : ''}{check.bars ? '; bars submission' : ''}.
	</p>
{/each}
{#if session.movedMethods.length > 0}
	<p class="text-warning mb-1 flex flex-wrap items-center gap-2 text-[13px]" role="status">
		{session.movedMethods
			.slice(0, 3)
			.map(({ label }) => label)
			.join(', ')}{session.movedMethods.length > 3 ? ` and ${session.movedMethods.length - 3} more rows` : ''}: what the method reads has
		moved since {session.movedMethods.length === 1 ? 'it filled the row' : 'it filled them'}{session.movedMethods.every(
			({ wholly }) => wholly
		)
			? ''
			: '; some of it was typed over meanwhile, and would be replaced'}.
		<button class="btn btn-xs" onclick={() => void session.fillAgain()}>Fill again, in my draft</button>
	</p>
{/if}
