<script lang="ts">
	import X from '@lucide/svelte/icons/x';
	import { untrack } from 'svelte';
	import { formatFigure } from '../figures/format';
	import NumberField from '../figures/NumberField.svelte';
	import type { FormSession } from './form-session.svelte';
	import { formatAt, type GridState, type Place } from './grid-state.svelte';
	import { Tryout } from './tryout.svelte';

	/** Values tried in a cell: until another reaches a goal, or a range of them. Nothing is typed until somebody takes a value. */
	let { session, grid, locale, onclose }: { session: FormSession; grid: GridState; locale: string; onclose: () => void } = $props();
	const tryout = untrack(() => new Tryout(session));
	untrack(() => tryout.begin(grid.focus));

	const selected = $derived<Place[]>(grid.selection.rows.flatMap((row) => grid.selection.columns.map((column) => ({ row, column }))));
	const formatOf = ({ row, column }: Place) => formatAt(session.form, row, column);
	const isPercent = (place: Place | null | undefined) => place !== null && place !== undefined && formatOf(place).valueType === 'percent';
	/** Tried values with all their decimals: rounded ones would be other values. */
	const exactly = (place: Place, value: number | null): string =>
		formatFigure(value, { ...formatOf(place), decimals: value !== null && Number.isInteger(value) ? formatOf(place).decimals : 4 }, locale);
	const figure = (place: Place, value: number | null): string =>
		value === null ? 'nothing' : formatFigure(value, formatOf(place), locale);
</script>

<aside class="border-hairline bg-base-100 w-90 shrink-0 overflow-y-auto border-l px-4 py-3.5 text-[13px]" aria-label="Try values">
	<div class="flex items-center gap-2">
		<h2 class="text-grey grow text-xs font-semibold">Try values</h2>
		<button class="text-grey hover:text-base-content p-1" aria-label="Close" onclick={onclose}><X size={15} aria-hidden="true" /></button>
	</div>
	<div class="join mt-1" role="group" aria-label="What is tried">
		{#each [['goal', 'Reach a goal'], ['range', 'A range of values']] as const as [value, name] (value)}
			<button
				class={['btn btn-xs join-item', tryout.kind === value && 'btn-primary']}
				aria-pressed={tryout.kind === value}
				onclick={() => (tryout.kind = value)}>{name}</button
			>
		{/each}
	</div>
	<form
		class="mt-3 grid gap-3"
		onsubmit={(event) => {
			event.preventDefault();
			void tryout.go();
		}}
	>
		<div>
			<p class="text-grey text-xs">Change</p>
			<p class="font-semibold">{tryout.driver ? tryout.nameOf(tryout.driver) : 'no cell yet'}</p>
			<button type="button" class="text-primary text-xs font-semibold" onclick={() => tryout.change(grid.focus)}
				>Take the selected cell</button
			>
		</div>
		{#if tryout.kind === 'goal'}
			<div>
				<p class="text-grey text-xs">so that</p>
				<p class="font-semibold">{tryout.results[0] ? tryout.nameOf(tryout.results[0]) : 'no cell yet'}</p>
				<button type="button" class="text-primary text-xs font-semibold" onclick={() => tryout.look([grid.focus])}
					>Take the selected cell</button
				>
			</div>
			<label class="text-grey grid gap-0.5 text-xs"
				>comes to{isPercent(tryout.results[0]) ? ', in %' : ''}
				<NumberField
					class="input-sm w-44"
					label="What it is to come to"
					percent={isPercent(tryout.results[0])}
					value={tryout.goal}
					onchange={(value) => (tryout.goal = value)}
				/>
			</label>
		{:else}
			<div class="flex items-end gap-2">
				{#each [['from', 'From'], ['to', 'to']] as const as [name, words] (name)}
					<label class="text-grey grid gap-0.5 text-xs"
						>{words}
						<NumberField
							class="input-sm w-28"
							label={words}
							percent={isPercent(tryout.driver)}
							value={tryout[name]}
							onchange={(value) => (tryout[name] = value)}
						/>
					</label>
				{/each}
				<label class="text-grey grid gap-0.5 text-xs"
					>values<input class="input input-sm w-16" type="number" min="2" max="25" bind:value={tryout.steps} /></label
				>
			</div>
			<div>
				<p class="text-grey text-xs">and look at</p>
				<ul>
					{#each tryout.results as place (`${place.row} ${place.column}`)}<li class="font-semibold">{tryout.nameOf(place)}</li>{:else}<li
							class="font-semibold"
						>
							no cell yet
						</li>{/each}
				</ul>
				<button type="button" class="text-primary text-xs font-semibold" onclick={() => tryout.look(selected)}
					>Take the selected cells</button
				>
			</div>
		{/if}
		<div class="flex items-center gap-2">
			<button class="btn btn-primary btn-sm" disabled={tryout.busy || tryout.missing !== ''}
				>{tryout.kind === 'goal' ? 'Find the value' : 'Try them'}</button
			>
			{#if tryout.busy}<span class="text-soft" role="status">Trying…</span>{:else if tryout.missing}<span class="text-soft text-xs"
					>{tryout.missing}</span
				>{/if}
		</div>
	</form>
	{#if tryout.sought && tryout.driver && tryout.results[0]}
		{@const { kind, value, result, now } = tryout.sought}
		{@const [driver, looked] = [tryout.driver, tryout.results[0]]}
		<div class="border-rule mt-3 border-t pt-2" role="status">
			{#if kind === 'no effect'}
				<p>Nothing that was tried in this cell moves {tryout.nameOf(looked)}: it stays at {figure(looked, now.result)}.</p>
			{:else}
				{#if kind === 'nearest'}<p class="text-warning">The goal is not reached. This is as near as it comes:</p>{/if}
				<p class="text-lg font-semibold tabular-nums">{exactly(driver, value)}</p>
				<p>instead of {figure(driver, now.value)}. Then {tryout.nameOf(looked)} comes to</p>
				<p class="font-semibold tabular-nums">{figure(looked, result)}</p>
				<p class="text-soft">instead of {figure(looked, now.result)}. Nothing has been typed.</p>
				<button class="btn btn-sm mt-2" onclick={() => tryout.take(value, grid.scale, locale)}>Type it in</button>
			{/if}
		</div>
	{/if}
	{#if tryout.tried && tryout.driver}
		{@const driver = tryout.driver}
		<div class="border-rule mt-3 overflow-x-auto border-t pt-2">
			<table class="w-full" aria-label="What each value comes to">
				<thead class="text-grey text-xs">
					<tr class="border-rule border-b align-bottom">
						<th scope="col" class="py-1 pr-2 text-left font-normal">{session.form.rows[driver.row]!.label}</th>
						{#each tryout.results as place (`${place.row} ${place.column}`)}<th scope="col" class="pl-2 text-right font-normal"
								>{tryout.nameOf(place)}</th
							>{/each}
					</tr>
				</thead>
				<tbody>
					<tr class="border-hairline text-soft border-b">
						<th scope="row" class="py-1 pr-2 text-left font-normal"
							>{figure(driver, tryout.tried.now.value)}<span class="block text-xs">now</span></th
						>
						{#each tryout.results as place, at (at)}<td class="pl-2 text-right tabular-nums"
								>{figure(place, tryout.tried.now.results[at] ?? null)}</td
							>{/each}
					</tr>
					{#each tryout.tried.lines as { value, results, fault } (value)}
						<tr class="border-hairline border-b">
							<th scope="row" class="py-1 pr-2 text-left font-normal tabular-nums">{exactly(driver, value)}</th>
							{#if fault}<td colspan={tryout.results.length} class="text-error pl-2">{fault}</td>
							{:else}{#each tryout.results as place, at (at)}<td class="pl-2 text-right tabular-nums"
										>{figure(place, results[at] ?? null)}</td
									>{/each}{/if}
						</tr>
					{/each}
				</tbody>
			</table>
		</div>
		<p class="text-soft mt-1 text-xs">Nothing has been typed.</p>
	{/if}
</aside>
