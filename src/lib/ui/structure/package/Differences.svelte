<script lang="ts">
	import type { DifferencePart, PackageDesk } from './package-desk.svelte';

	interface Props {
		desk: PackageDesk;
		locale: string;
		/** Once something was taken over. */
		taken: () => Promise<void>;
	}
	let { desk, locale, taken }: Props = $props();

	const count = (number: number, one: string, many: string) => `${number.toLocaleString(locale)} ${number === 1 ? one : many}`;
	const chosen = $derived(desk.chosen.size);
	/** Parts that are open; those with few lines are to begin with. */
	let opened = $state.raw<Readonly<Record<string, boolean>>>({});
	const SHORT = 12;
	const isOpen = ({ part, differences }: DifferencePart) => opened[part] ?? differences.length <= SHORT;
	const whole = $derived(desk.refusals.get(''));

	async function takeOver() {
		if (await desk.takeOver()) await taken();
	}
</script>

{#each desk.parts as part (part.part)}
	{@const own = desk.chosenOf(part)}
	<section class="border-hairline max-w-4xl border-t py-1" aria-label={part.part}>
		<h4 class="flex items-center gap-2 py-0.5">
			<input
				type="checkbox"
				class="checkbox checkbox-xs"
				aria-label={`All of ${part.part}`}
				disabled={part.able === 0}
				checked={part.able > 0 && own === part.able}
				indeterminate={own > 0 && own < part.able}
				onchange={(event) => desk.chooseAll(part, event.currentTarget.checked)}
			/>
			<button
				class="font-semibold hover:underline"
				aria-expanded={isOpen(part)}
				onclick={() => (opened = { ...opened, [part.part]: !isOpen(part) })}>{part.part}</button
			>
			<span class="text-grey text-xs"
				>{own > 0 ? `${own} of ${part.differences.length} chosen` : count(part.differences.length, 'difference', 'differences')}</span
			>
		</h4>
		{#if isOpen(part)}
			<ul>
				{#each part.differences as difference (difference.id)}
					{@const refusal = desk.refusals.get(difference.id)}
					<li class="grid grid-cols-[1.25rem_minmax(0,17rem)_minmax(0,1fr)] items-baseline gap-x-2 py-px pl-6 text-[13.5px]">
						<input
							id={`take ${difference.id}`}
							type="checkbox"
							class="checkbox checkbox-xs translate-y-0.5"
							disabled={difference.stays !== undefined}
							checked={desk.chosen.has(difference.id)}
							onchange={(event) => desk.choose(difference.id, event.currentTarget.checked)}
						/>
						<label for={`take ${difference.id}`} class={difference.stays === undefined ? '' : 'text-grey'}
							><span class="text-grey">{difference.what}</span> {difference.name}</label
						>
						<span class="text-soft">
							{difference.kind === 'missing' && difference.what === 'member' && !difference.stays
								? `${difference.change}: would be retired here`
								: difference.kind === 'missing' && !difference.stays
									? `${difference.change}: would be deleted here`
									: difference.change}
							{#if difference.stays}<span class="text-grey">{difference.change ? '· ' : ''}{difference.stays}</span>{/if}
							{#if refusal}<span class="text-error block">{refusal.message}</span>{/if}
						</span>
					</li>
				{/each}
			</ul>
		{/if}
	</section>
{/each}

{#if desk.compared && desk.parts.some(({ able }) => able > 0)}
	<div class="border-rule bg-base-200 sticky bottom-0 mt-2 grid max-w-4xl gap-2 rounded-md border px-3.5 py-2">
		{#each desk.questions as { dimension, parent, numbers, children } (`${dimension} ${parent.code}`)}
			<label class="flex items-center gap-2"
				>“{parent.name}” holds {count(numbers, 'number', 'numbers')}, which go to
				<select
					class="select select-sm bg-raised w-56"
					value={desk.handOver[dimension]?.[parent.code] ?? ''}
					onchange={(event) => desk.giveNumbersTo(dimension, parent.code, event.currentTarget.value)}
				>
					<option value="" disabled>choose</option>
					{#each children as { code, name } (code)}<option value={code}>{name}</option>{/each}
				</select>
			</label>
		{/each}
		<div class="flex items-center gap-3">
			<span class="grow">
				{#if desk.busy}{desk.busy}
				{:else if whole}<span class="text-error">{whole.message}</span>
				{:else if desk.looked && !desk.ready}<span class="text-error"
						>{count(desk.looked.refused.length, 'refusal', 'refusals')}: nothing would be taken over. What is in the way stands at each
						difference.</span
					>
				{:else if desk.ready}{count(desk.looked!.taken, 'difference', 'differences')} can be taken over, all together. Each is in the journal,
					and members can be taken back from their history.
					{#each desk.looked!.leftOut as words (words)}{words}{/each}
				{:else if chosen === 0}Choose what this model takes from the package.
				{:else}{count(chosen, 'difference', 'differences')} chosen.{/if}
			</span>
			<button class="btn btn-sm" disabled={chosen === 0 || desk.busy !== null} onclick={() => void desk.look()}>See whether it fits</button>
			<button class="btn btn-sm btn-primary" disabled={!desk.ready || desk.busy !== null} onclick={() => void takeOver()}
				>Take {count(chosen, 'difference', 'differences')} over</button
			>
		</div>
	</div>
{/if}
