<script lang="ts">
	import type { MemberMap } from '$lib/core';
	import type { Vocabulary } from '$lib/server/engine';
	import { findMember, readPairs } from './member-pairs';
	import type { RunbookDesk } from './runbook-desk.svelte';

	interface Props {
		desk: RunbookDesk;
		dimension: Vocabulary['dimensions'][number];
		map: MemberMap;
		onchange: (map: MemberMap) => void;
	}
	let { desk, dimension, map, onchange }: Props = $props();
	const id = $props.id();

	/** Suggestions beneath a field; a longer list is of no help and slow. */
	const MOST_OFFERED = 2_000;
	const offered = $derived(dimension.members.slice(0, MOST_OFFERED));
	/** What was typed or pasted and is no member. */
	let unknown = $state<string[]>([]);
	/** A line that is being begun: it counts once both of its members are known. */
	let begun = $state<{ from: number | null; to: number | null }>();

	const rows = $derived([...map.lines, ...(begun ? [{ ...begun, reverse: false }] : [])]);
	const nameOf = (member: number | null) => (member === null ? '' : (desk.names.get(member) ?? '?'));

	function setEnd(at: number, end: 'from' | 'to', field: HTMLInputElement) {
		const found = findMember(dimension.members, field.value);
		const fits = found && (end === 'from' || found.leaf);
		unknown = fits
			? []
			: [
					found ? `“${found.name}” adds up others: choose one without any beneath it.` : `${dimension.name} has no “${field.value.trim()}”.`
				];
		if (!fits) return;
		if (at < map.lines.length)
			return onchange({ ...map, lines: map.lines.map((line, index) => (index === at ? { ...line, [end]: found.id } : line)) });
		const next = { from: begun?.from ?? null, to: begun?.to ?? null, [end]: found.id };
		if (next.from === null || next.to === null) begun = next;
		else {
			begun = undefined;
			onchange({ ...map, lines: [...map.lines, { from: next.from, to: next.to, reverse: false }] });
		}
	}
	/** Two columns from a spreadsheet become lines; what is no member is said. */
	function paste(event: ClipboardEvent) {
		const text = event.clipboardData?.getData('text/plain') ?? '';
		if (!text.trim().includes('\n') && !text.includes('\t')) return;
		event.preventDefault();
		const read = readPairs(dimension.members, text);
		unknown = read.faults;
		begun = undefined;
		const replaced = new Set(read.lines.map(({ from }) => from));
		if (read.lines.length > 0) onchange({ ...map, lines: [...map.lines.filter(({ from }) => !replaced.has(from)), ...read.lines] });
	}
	function remove(at: number) {
		if (at < map.lines.length) onchange({ ...map, lines: map.lines.toSpliced(at, 1) });
		else begun = undefined;
	}
</script>

<fieldset disabled={!desk.mayWrite} class="border-hairline rounded-md border px-3 py-2" onpaste={paste}>
	<legend class="text-grey px-1 text-xs">{dimension.name}: which becomes which</legend>
	<datalist id="{id}-members"
		>{#each offered as { id: member, name, code } (member)}<option value={name}>{code}</option>{/each}</datalist
	>
	{#if rows.length > 0}
		<div class="max-h-60 overflow-y-auto">
			<table class="w-full">
				<thead
					><tr class="text-grey text-left text-xs"
						><th class="font-normal">What stands in</th><th class="font-normal">goes to</th><th class="font-normal">Sign</th><th
							><span class="sr-only">Delete</span></th
						></tr
					></thead
				>
				<tbody>
					{#each rows as line, at (at)}
						<tr>
							{#each ['from', 'to'] as const as end (end)}
								<td class="pr-2 pb-1"
									><input
										class="input input-sm w-full"
										list="{id}-members"
										aria-label="{end === 'from' ? 'From' : 'To'} member of {dimension.name}, line {at + 1}"
										placeholder="Name or code"
										value={nameOf(line[end])}
										onchange={(event) => setEnd(at, end, event.currentTarget)}
									/></td
								>
							{/each}
							<td class="pr-2 pb-1"
								><label class="flex items-center gap-1 text-[13px]"
									><input
										type="checkbox"
										class="checkbox checkbox-xs"
										checked={line.reverse}
										disabled={at >= map.lines.length}
										onchange={(event) => {
											const reverse = event.currentTarget.checked;
											onchange({ ...map, lines: map.lines.map((each, index) => (index === at ? { ...each, reverse } : each)) });
										}}
									/> turned</label
								></td
							>
							<td
								><button class="text-grey hover:text-base-content" aria-label="Take line {at + 1} away" onclick={() => remove(at)}>×</button
								></td
							>
						</tr>
					{/each}
				</tbody>
			</table>
		</div>
	{/if}
	{#if unknown.length > 0}
		<ul class="text-warning text-[13px]" role="alert">
			{#each unknown.slice(0, 5) as fault, index (index)}<li>{fault}</li>{/each}
			{#if unknown.length > 5}<li>And {unknown.length - 5} more.</li>{/if}
		</ul>
	{/if}
	<div class="mt-1 flex flex-wrap items-center gap-3">
		<button class="btn btn-xs" disabled={begun !== undefined} onclick={() => (begun = { from: null, to: null })}>Add a line</button>
		<textarea
			class="textarea textarea-xs h-7 min-h-7 w-52 resize-none leading-tight"
			aria-label="Paste two columns from a spreadsheet"
			placeholder="Paste two columns here"
			oninput={(event) => (event.currentTarget.value = '')}></textarea>
		<label class="text-grey flex items-center gap-1.5 text-xs"
			>All others<select
				class="select select-xs text-base-content w-36"
				value={map.others}
				onchange={(event) => onchange({ ...map, others: event.currentTarget.value === 'stay' ? 'stay' : 'left out' })}
				><option value="stay">stay where they are</option><option value="left out">are left out</option></select
			></label
		>
	</div>
</fieldset>
