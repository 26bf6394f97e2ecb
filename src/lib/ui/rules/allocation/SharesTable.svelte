<script lang="ts">
	import NumberField from '../../figures/NumberField.svelte';
	import MemberSelect from '../MemberSelect.svelte';
	import type { RunbookDesk } from '../runbook-desk.svelte';
	import { pastedShares, type FixedShare } from './pasted-shares';

	interface Props {
		desk: RunbookDesk;
		shares: readonly FixedShare[];
		/** The dimensions (ids) on which receivers differ. */
		dimensions: readonly number[];
		label: string;
		onchange: (shares: readonly FixedShare[]) => void;
	}
	let { desk, shares, dimensions, label, onchange }: Props = $props();

	const own = $derived(desk.vocabulary.dimensions.filter(({ id }) => dimensions.includes(id)));
	const total = $derived(shares.reduce((sum, { share }) => sum + share, 0));
	let faults = $state.raw<string[]>([]);

	const set = (at: number, next: Partial<FixedShare>) => onchange(shares.map((row, place) => (place === at ? { ...row, ...next } : row)));
	function paste(event: ClipboardEvent) {
		const text = event.clipboardData?.getData('text') ?? '';
		// One figure goes into the field it is pasted in.
		if (!text.includes('\t')) return;
		event.preventDefault();
		const read = pastedShares(text, own);
		faults = read.faults;
		if (read.shares.length > 0) onchange(read.shares);
	}
</script>

{#if own.length === 0}
	<p class="text-soft text-[13px]">Choose who receives first.</p>
{:else}
	<table class="w-full text-[13px]" aria-label={label} onpaste={paste}>
		<thead
			><tr class="text-grey text-left text-xs"
				>{#each own as { id, name } (id)}<th class="font-normal">{name}</th>{/each}<th class="w-24 pl-2 text-right font-normal">weighs</th
				><th class="w-16 pl-2 text-right font-normal">share</th><th class="w-6"><span class="sr-only">Delete</span></th></tr
			></thead
		>
		<tbody>
			{#each shares as row, at (at)}
				<tr>
					{#each own as dimension (dimension.id)}
						<td class="py-0.5 pr-2"
							><MemberSelect
								label="{dimension.name}, row {at + 1}"
								{dimension}
								value={row.members[dimension.id] ?? null}
								onchange={(member) => typeof member === 'number' && set(at, { members: { ...row.members, [dimension.id]: member } })}
							/></td
						>
					{/each}
					<td class="py-0.5 pl-2"
						><NumberField
							class="input-sm w-24 text-right"
							label="Weighs, row {at + 1}"
							readonly={!desk.mayWrite}
							value={row.share}
							onchange={(share) => share !== null && set(at, { share })}
						/></td
					>
					<td class="text-soft pl-2 text-right">{total > 0 ? `${Math.round((row.share / total) * 1000) / 10} %` : ''}</td>
					<td class="text-right"
						>{#if desk.mayWrite}<button
								class="text-grey hover:text-base-content px-1"
								aria-label="Delete row {at + 1}"
								onclick={() => onchange(shares.filter((_, place) => place !== at))}>×</button
							>{/if}</td
					>
				</tr>
			{/each}
		</tbody>
	</table>
	{#each faults as fault (fault)}<p class="text-error text-xs">{fault}</p>{/each}
	{#if desk.mayWrite}
		<div class="flex items-baseline gap-3">
			<button
				class="btn btn-xs"
				onclick={() =>
					onchange([
						...shares,
						{ members: Object.fromEntries(own.map(({ id, members }) => [id, members.find(({ leaf }) => leaf)?.id ?? 0])), share: 1 }
					])}>Add a row</button
			>
			<span class="text-grey text-xs">or paste rows of a spreadsheet onto the table: members, then a number</span>
		</div>
	{/if}
{/if}
