<script lang="ts">
	import type { AccessJournalLine, AccessNames } from '$lib/server/access';
	import { formatMoment } from '../figures/format';
	import type { AccessDesk } from './access-desk.svelte';

	interface Props {
		desk: AccessDesk;
		changes: readonly AccessJournalLine[];
		names: AccessNames;
		mayWrite: boolean;
		locale: string;
	}
	let { desk, changes, names, mayWrite, locale }: Props = $props();

	const KINDS: Record<AccessJournalLine['kind'], string> = {
		person: 'Person',
		group: 'Group',
		role: 'Role',
		grant: 'Grant',
		guarded: 'Model',
		'attribute grant': 'Grant',
		substitute: 'Substitute',
		place: 'Person',
		factor: 'Person',
		draft: 'Person',
		token: 'Program'
	};
	const WORDS: Readonly<Record<string, string>> = {
		holder: 'for',
		members: 'members',
		level: 'may',
		roles: 'roles',
		dimensions: 'guarded'
	};
	/** What was done, rather than set. */
	const NOT_TAKEN_BACK = new Set<AccessJournalLine['kind']>(['place', 'factor', 'draft', 'token']);
	const isTakeable = ({ kind, latest }: AccessJournalLine) => latest && !NOT_TAKEN_BACK.has(kind);
	type Numbered = { id: number; name: string };
	const nameIn = (list: readonly Numbered[], id: number) => list.find((each) => each.id === id)?.name ?? 'what is gone';
	/** A part of a state as people call it: numbers of people, groups, roles, models and members by their names. */
	function inWords(value: unknown, key: string, kind: AccessJournalLine['kind'], named: Readonly<Record<string, string>>): string {
		if (value === undefined || value === null) return 'nothing';
		if (typeof value === 'string') return `“${value}”`;
		if (typeof value === 'number' && (key === 'person' || key === 'substitute')) return nameIn(names.people, value);
		if (typeof value === 'number') return named[`${key === 'by' ? 'a' : 'd'}${value}`] ?? 'what is gone';
		if (typeof value === 'boolean') return value ? 'yes' : 'no';
		if (key === 'holder') {
			const { person, group } = value as { person?: number; group?: number };
			return person === undefined ? `the group ${nameIn(names.groups, group!)}` : nameIn(names.people, person);
		}
		if (!Array.isArray(value)) return JSON.stringify(value);
		if (value.length === 0) return key === 'members' && kind === 'grant' ? 'everywhere' : 'none';
		if (key === 'roles')
			return (value as { role: number; model: number | null }[])
				.map(({ role, model }) => nameIn(names.roles, role) + (model === null ? '' : ` in ${nameIn(names.models, model)}`))
				.join(', ');
		return value
			.map((each: unknown) =>
				typeof each !== 'number' ? String(each) : kind === 'group' ? nameIn(names.people, each) : (named[each] ?? 'what is gone')
			)
			.join(', ');
	}
	/** What of a state is other than in another one, one line each. */
	function differences({ before, after, kind, named }: AccessJournalLine): string[] {
		const [was, is] = [before ?? {}, after ?? {}] as Record<string, unknown>[];
		const plain = (value: unknown, key: string) => inWords(value, key, kind, named);
		return [...new Set([...Object.keys(was!), ...Object.keys(is!)])]
			.filter((key) => JSON.stringify(was![key]) !== JSON.stringify(is![key]))
			.map((key) => `${WORDS[key] ?? key}: ${plain(was![key], key)} → ${plain(is![key], key)}`);
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
				<ul class="text-soft mt-1 text-[13px] break-words">
					{#each differences(change) as line (line)}<li>{line}</li>{/each}
				</ul>
			</details>
			{#if mayWrite && isTakeable(change)}<button class="text-primary text-[13px] font-semibold" onclick={() => desk.takeBack(change.id)}
					>Take back</button
				>{/if}
		</li>
	{:else}<li class="text-soft py-2">Nothing has been changed yet.</li>{/each}
</ul>
