<script lang="ts">
	import type { RuleDetails } from '$lib/server/import';
	import { formatCount } from '../figures/format';
	import type { ImportDesk } from './import-desk.svelte';

	interface Props {
		desk: ImportDesk;
		rule: RuleDetails;
		mayWrite: boolean;
		mayCreate: boolean;
		locale: string;
	}
	let { desk, rule, mayWrite, mayCreate, locale }: Props = $props();

	/** Lines shown before "all". */
	const FEW = 8;
	let all = $state(false);
	let text = $state('');

	const looked = $derived(desk.check?.dimensions.find(({ dimension }) => dimension === rule.dimension));
	const found = $derived(
		text.trim() === ''
			? rule.lines
			: rule.lines.filter(({ terms, member }) => `${terms} ${member}`.toLowerCase().includes(text.trim().toLowerCase()))
	);
	const shown = $derived(all || text !== '' ? found.slice(0, 400) : found.slice(0, FEW));
	const selected = $derived(
		desk.selection && 'dimension' in desk.selection && desk.selection.dimension === rule.dimension ? desk.selection : null
	);
	const findings = $derived(new Map(rule.findings.map((finding) => [finding.line, finding])));
	const rows = $derived(desk.check?.lineRows ?? {});

	const status = $derived.by((): { words: string; tone: string } => {
		if (!rule.rule) return { words: 'not said yet', tone: 'text-error font-semibold' };
		const ties = rule.findings.filter(({ kind }) => kind === 'tie').length;
		if (ties > 0) return { words: `${ties} lines claim the same`, tone: 'text-error' };
		if (looked && looked.unmappedValues > 0)
			return {
				words: `${formatCount(looked.unmappedValues, locale)} ${looked.unmappedValues === 1 ? 'value' : 'values'}, ${formatCount(looked.unmappedRows, locale)} ${looked.unmappedRows === 1 ? 'row' : 'rows'} without a member`,
				tone: 'text-accent'
			};
		if (looked && rule.rule.from === 'column')
			return {
				words: looked.distinct === 1 ? 'its only value' : `all ${formatCount(looked.distinct, locale)} values`,
				tone: 'text-success'
			};
		if (rule.rule.from === 'chosen')
			return desk.chosenNames[rule.dimension]
				? { words: desk.chosenNames[rule.dimension]!, tone: 'text-success' }
				: { words: 'to be chosen', tone: 'text-accent' };
		return { words: rule.words, tone: desk.check ? 'text-success' : 'text-grey' };
	});
</script>

<section class="border-hairline bg-raised mb-2 rounded-md border" aria-label="{rule.name} map">
	<button
		class={[
			'hover:bg-base-200 flex w-full items-baseline justify-between gap-3 rounded-t-md px-2.5 py-2 text-left',
			selected?.kind === 'rule' && 'bg-base-200'
		]}
		onclick={() => (desk.selection = { kind: 'rule', dimension: rule.dimension })}
	>
		<b class="font-semibold whitespace-nowrap">{rule.name}</b><span class={['text-right text-xs', status.tone]}>{status.words}</span>
	</button>
	{#if rule.rule?.from === 'column'}
		{#if rule.lines.length > FEW}
			<div class="border-hairline border-t px-2.5 py-1">
				<input
					type="search"
					class="w-full bg-transparent text-[13px] outline-none"
					placeholder="Find among {rule.lines.length} lines"
					aria-label="Find a line of {rule.name}"
					bind:value={text}
				/>
			</div>
		{/if}
		<ul>
			{#each shown as line (line.id)}
				{@const finding = findings.get(line.id)}
				<li class="border-hairline border-t">
					<button
						class={['line', selected?.kind === 'line' && selected.line === line.id && 'bg-base-200']}
						onclick={() => (desk.selection = { kind: 'line', dimension: rule.dimension, line: line.id })}
						title={finding?.message ?? (desk.check ? `${rows[line.id] ?? 0} rows` : undefined)}
					>
						<span class={['text-xs', finding ? (finding.kind === 'tie' ? 'text-error' : 'text-warning') : 'text-grey']}>{line.kind}</span>
						<span class="min-w-0 font-mono text-[12.5px] break-words">{line.terms}</span>
						<span class="text-grey">→</span>
						<span
							class={['min-w-0', line.gone ? 'text-error' : line.line.skip || line.line.member === null ? 'text-grey' : 'font-semibold']}
							>{line.member}{#if line.line.reverseSign}<span class="text-grey ml-1.5 text-xs font-normal whitespace-nowrap"
									>reverse sign</span
								>{/if}</span
						>
						{#if finding}<span class={['col-span-4 text-xs', finding.kind === 'tie' ? 'text-error' : 'text-warning']}
								>{finding.message}</span
							>{/if}
					</button>
				</li>
			{/each}
		</ul>
		{#if found.length > shown.length && text === ''}
			<button
				class="border-hairline text-primary w-full border-t px-2.5 py-1.5 text-left text-[13px] font-semibold"
				onclick={() => (all = true)}>Show all {rule.lines.length} lines</button
			>
		{/if}
		{#each looked?.unmapped.slice(0, all ? 200 : 12) ?? [] as value (value.value)}
			{@const best = value.suggestions[0]}
			<div class={['unmapped border-hairline border-t', selected?.kind === 'value' && selected.value === value.value && 'selected']}>
				<button
					class="text-accent text-left text-xs"
					onclick={() => (desk.selection = { kind: 'value', dimension: rule.dimension, value: value.value })}
					>{formatCount(value.rows, locale)} {value.rows === 1 ? 'row' : 'rows'}</button
				>
				<button
					class="text-left font-mono text-[12.5px] break-words"
					onclick={() => (desk.selection = { kind: 'value', dimension: rule.dimension, value: value.value })}
					>{value.value === '' ? '(empty)' : value.value}{#if value.label}<span class="text-grey block font-sans text-xs"
							>{value.label}</span
						>{/if}</button
				>
				<span class="text-grey">→</span>
				<span class="flex flex-wrap gap-x-2">
					{#if mayWrite}
						{#if best}<button
								class="text-primary font-semibold hover:underline"
								title={best.reason}
								onclick={() => void desk.mapValue(rule.dimension, value.value, best.member, best.name)}>{best.name}?</button
							>{/if}
						<button
							class="hover:underline"
							onclick={() => (desk.selection = { kind: 'value', dimension: rule.dimension, value: value.value })}
							>{mayCreate ? 'Choose or create' : 'Choose'}</button
						>
						<button
							class="hover:underline"
							onclick={() => void desk.skipValue(rule.dimension, value.value)}
							aria-label="Skip rows with {value.value || 'an empty value'}">Skip</button
						>
					{:else}no member{/if}
				</span>
			</div>
		{/each}
		{#if looked && looked.unmappedValues > (all ? 200 : 12)}
			<button class="border-hairline text-grey w-full border-t px-2.5 py-1.5 text-left text-[13px]" onclick={() => (all = true)}
				>and {formatCount(looked.unmappedValues - (all ? 200 : 12), locale)} more values</button
			>
		{/if}
	{/if}
</section>

<style>
	.line,
	.unmapped {
		display: grid;
		grid-template-columns: 3.2rem minmax(0, 0.75fr) 0.9rem minmax(0, 1.25fr);
		gap: 0 8px;
		align-items: baseline;
		width: 100%;
		padding: 4px 10px;
		text-align: left;
	}
	.line:hover {
		background: var(--color-base-200);
	}
	.unmapped {
		background: color-mix(in oklab, var(--color-accent) 9%, transparent);
	}
	.unmapped.selected {
		background: color-mix(in oklab, var(--color-accent) 18%, transparent);
	}
</style>
