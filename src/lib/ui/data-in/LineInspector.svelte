<script lang="ts">
	import type { MapLineInWords, RuleDetails } from '$lib/server/import';
	import { formatCount } from '../figures/format';
	import type { ImportDesk } from './import-desk.svelte';
	import LineFields from './LineFields.svelte';

	interface Props {
		desk: ImportDesk;
		rule: RuleDetails;
		line: MapLineInWords;
		mayWrite: boolean;
		locale: string;
	}
	let { desk, rule, line, mayWrite, locale }: Props = $props();

	const findings = $derived(rule.findings.filter((finding) => finding.line === line.id));
	const rows = $derived(desk.check?.lineRows[line.id] ?? 0);
</script>

<p class="text-grey text-xs">Map line of {rule.name}{rule.map ? `, ${rule.map.name}` : ''}</p>
<h2 class="font-mono text-lg font-semibold break-words">{line.terms}</h2>
{#if desk.check}
	<p class="text-grey text-[13px]">
		{rows === 0 ? 'No row of this file comes here.' : `${formatCount(rows, locale)} ${rows === 1 ? 'row comes' : 'rows come'} here.`}
	</p>
{/if}
{#each findings as finding (finding.message)}
	<p class={['mt-1 text-[13px]', finding.kind === 'tie' ? 'text-error' : 'text-warning']}>
		{finding.message}{#if finding.with !== null}{@const other = finding.with}
			<button class="font-semibold underline" onclick={() => (desk.selection = { kind: 'line', dimension: rule.dimension, line: other })}
				>Show it</button
			>{/if}
	</p>
{/each}
{#if mayWrite}
	<div class="mt-4">
		<LineFields
			{rule}
			headings={desk.check?.headings ?? []}
			line={{ terms: line.line, member: line.line.member, skip: line.line.skip, reverseSign: line.line.reverseSign }}
			memberName={line.member}
			action="Keep the change"
			onsave={async (to) => {
				if (await desk.edit({ act: 'change line', line: line.id, to })) desk.done = { words: 'The line was changed.', undo: null };
			}}
		/>
	</div>
	<button class="text-error mt-4 text-[13px] font-semibold hover:underline" onclick={() => void desk.removeLine(rule.dimension, line.id)}
		>Remove this line</button
	>
{/if}
