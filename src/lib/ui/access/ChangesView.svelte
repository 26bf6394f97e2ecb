<script lang="ts">
	import type { AccessJournalLine } from '$lib/server/access';
	import { formatMoment } from '../figures/format';
	import type { AccessDesk } from './access-desk.svelte';

	interface Props {
		desk: AccessDesk;
		changes: readonly AccessJournalLine[];
		mayWrite: boolean;
		locale: string;
	}
	let { desk, changes, mayWrite, locale }: Props = $props();

	const KINDS = { person: 'Person', group: 'Group', role: 'Role', grant: 'Grant', guarded: 'Model' };
	/** What of a state is other than in another one, one line each. */
	function differences({ before, after }: AccessJournalLine): string[] {
		const [was, is] = [before ?? {}, after ?? {}] as Record<string, unknown>[];
		const plain = (value: unknown) => (value === undefined ? 'nothing' : typeof value === 'string' ? `“${value}”` : JSON.stringify(value));
		return [...new Set([...Object.keys(was!), ...Object.keys(is!)])]
			.filter((key) => JSON.stringify(was![key]) !== JSON.stringify(is![key]))
			.map((key) => `${key}: ${plain(was![key])} → ${plain(is![key])}`);
	}
</script>

<ul class="border-rule min-h-0 max-w-4xl overflow-auto border-t" aria-label="Changes of access">
	{#each changes as change (change.id)}
		<li class="border-hairline grid grid-cols-[9rem_1fr_auto] gap-3 border-b py-1.5 text-[13.5px]">
			<span class="text-soft">{formatMoment(change.at, locale)}<span class="block text-xs">{change.person ?? ''}</span></span>
			<details>
				<summary class="cursor-pointer"
					><span class="text-grey">{KINDS[change.kind]}</span> <b class="font-semibold">{change.name}</b>: {change.words}</summary
				>
				<ul class="text-soft mt-1 font-mono text-xs break-words">
					{#each differences(change) as line (line)}<li>{line}</li>{/each}
				</ul>
			</details>
			{#if mayWrite && change.latest}<button class="text-primary text-[13px] font-semibold" onclick={() => desk.takeBack(change.id)}
					>Take back</button
				>{/if}
		</li>
	{:else}<li class="text-soft py-2">Nothing has been changed yet.</li>{/each}
</ul>
