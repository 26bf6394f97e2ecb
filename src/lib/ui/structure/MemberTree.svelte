<script lang="ts">
	import type { MemberLine } from '$lib/server/structure';

	interface Props {
		name: string;
		kind: string;
		members: MemberLine[];
	}
	let { name, kind, members }: Props = $props();

	interface Column {
		title: string;
		text: (line: MemberLine) => string;
		mono?: boolean;
	}
	const TIME: Record<string, string> = { flow: 'adds up', closing: 'last period', opening: 'first period', average: 'average', none: '–' };
	const COLUMNS: Record<string, Column[]> = {
		account: [
			{ title: 'Kind', text: ({ account }) => account?.kind ?? '' },
			{ title: 'Value', text: ({ account }) => [account?.valueType, account?.unit].filter(Boolean).join(', ') },
			{ title: 'Over time', text: ({ account }) => (account ? TIME[account.timeBehaviour]! : '') },
			{ title: 'Formula', text: ({ account }) => account?.formula ?? '', mono: true }
		],
		entity: [{ title: 'Currency', text: ({ currency }) => currency ?? '' }],
		scenario: [
			{ title: 'Speaks about', text: ({ scenario }) => scenario?.span ?? '' },
			{ title: 'Takes entries', text: ({ scenario }) => scenario?.entry ?? '' },
			{ title: 'Rates', text: ({ scenario }) => scenario?.rates ?? '' },
			{ title: 'Continues from', text: ({ scenario }) => scenario?.continuesFrom ?? '' }
		],
		period: [{ title: 'Days', text: ({ days }) => days ?? '' }]
	};
	const columns = $derived(COLUMNS[kind] ?? []);
	const weighted = $derived(members.some(({ weight }) => weight !== 1));

	let text = $state('');
	// svelte-ignore state_referenced_locally
	let folded = $state.raw(
		new Set(members.filter((line) => !line.leaf && line.depth >= (members.length > 60 ? 2 : 99)).map(({ id }) => id))
	);
	let at = $state(0);

	/** Lines not under a folded one; with a search text, all that match. */
	const visible = $derived.by(() => {
		const wanted = text.trim().toLowerCase();
		if (wanted) return members.filter((line) => `${line.code} ${line.name}`.toLowerCase().includes(wanted));
		let hiddenBelow = Number.POSITIVE_INFINITY;
		return members.filter((line) => {
			if (line.depth > hiddenBelow) return false;
			hiddenBelow = folded.has(line.id) ? line.depth : Number.POSITIVE_INFINITY;
			return true;
		});
	});

	function toggle(line: MemberLine, open = folded.has(line.id)) {
		if (line.leaf) return;
		const next = new Set(folded);
		if (open) next.delete(line.id);
		else next.add(line.id);
		folded = next;
	}

	function onkeydown(event: KeyboardEvent) {
		const line = visible[at];
		if (event.key === 'ArrowDown') at = Math.min(at + 1, visible.length - 1);
		else if (event.key === 'ArrowUp') at = Math.max(at - 1, 0);
		else if (event.key === 'Home') at = 0;
		else if (event.key === 'End') at = visible.length - 1;
		else if (event.key === 'ArrowRight' && line) toggle(line, true);
		else if (event.key === 'ArrowLeft' && line) toggle(line, false);
		else if (event.key === ' ' && line) toggle(line);
		else return;
		event.preventDefault();
		(event.currentTarget as HTMLElement).querySelector<HTMLElement>(`[data-line="${at}"]`)?.focus();
	}
</script>

<main class="flex min-h-0 flex-col px-4.5 pt-3.5">
	<div class="mb-2.5 flex items-end gap-4">
		<div>
			<h1 class="text-xl font-semibold tracking-tight">{name}</h1>
			<p class="text-grey text-[13px]">
				{kind === 'general' ? 'General' : kind[0]?.toUpperCase() + kind.slice(1)} dimension · {members.length} members, {members.filter(
					({ leaf }) => leaf
				).length} of them leaves
			</p>
		</div>
		<input
			class="input input-sm bg-raised ml-auto w-60"
			type="search"
			placeholder="Find a member"
			aria-label="Find a member"
			bind:value={text}
			oninput={() => (at = 0)}
		/>
	</div>
	<div class="border-rule min-h-0 overflow-auto border-t">
		<!-- svelte-ignore a11y_no_noninteractive_element_to_interactive_role -->
		<table role="treegrid" aria-label="Members of {name}" class="w-full" {onkeydown}>
			<thead>
				<tr>
					<th>Member</th>
					<th>Code</th>
					{#if weighted}<th title="How it counts in the member above">Counts</th>{/if}
					{#each columns as { title } (title)}<th>{title}</th>{/each}
				</tr>
			</thead>
			<tbody>
				{#each visible as line, index (line.id)}
					<tr
						data-line={index}
						tabindex={index === at ? 0 : -1}
						aria-level={line.depth + 1}
						aria-expanded={line.leaf ? undefined : !folded.has(line.id)}
						class="hover:bg-base-200"
						onfocus={() => (at = index)}
					>
						<td style="padding-left: {8 + (text ? 0 : line.depth) * 18}px" class={line.leaf ? '' : 'font-semibold'}>
							{#if line.leaf || text}<span class="twist"></span>{:else}
								<button
									class="twist"
									tabindex="-1"
									aria-label={folded.has(line.id) ? `Open ${line.name}` : `Close ${line.name}`}
									onclick={() => toggle(line)}
								>
									<svg viewBox="0 0 10 10" width="10" height="10" class={[!folded.has(line.id) && 'rotate-90']} aria-hidden="true"
										><path d="M3 1.5 7 5 3 8.5z" fill="currentColor" /></svg
									>
								</button>
							{/if}
							{line.name}
							{#if line.unassigned}<span class="text-grey ml-1 text-xs" title="For numbers this breakdown does not apply to"
									>unassigned</span
								>{/if}
						</td>
						<td class="text-soft font-mono text-[12.5px]">{line.code}</td>
						{#if weighted}<td class={line.weight === -1 ? 'text-error' : 'text-grey'}
								>{line.depth === 0 ? '' : line.weight === -1 ? 'subtracts' : line.weight === 0 ? 'not added' : 'adds'}</td
							>{/if}
						{#each columns as { title, text: cell, mono } (title)}<td class={mono ? 'font-mono text-[12.5px]' : 'text-soft'}
								>{cell(line)}</td
							>{/each}
					</tr>
				{:else}
					<tr><td colspan={3 + columns.length} class="text-grey py-3">No member by that name or code.</td></tr>
				{/each}
			</tbody>
		</table>
	</div>
</main>

<style>
	table {
		border-collapse: separate;
		border-spacing: 0;
		font-size: 13.5px;
	}
	th {
		position: sticky;
		top: 0;
		z-index: 1;
		height: 28px;
		padding: 0 10px 0 8px;
		text-align: left;
		font-size: 12px;
		font-weight: 600;
		color: var(--grey);
		background: var(--color-base-100);
		border-bottom: 1px solid var(--rule);
	}
	td {
		height: 28px;
		padding: 0 10px 0 8px;
		white-space: nowrap;
		border-bottom: 1px solid var(--hairline);
	}
	.twist {
		display: inline-grid;
		place-items: center;
		width: 16px;
		height: 16px;
		vertical-align: -3px;
		color: var(--grey);
	}
</style>
