<script lang="ts">
	import type { LineToAdd, RuleDetails } from '$lib/server/import';
	import { untrack } from 'svelte';
	import MemberPick from './MemberPick.svelte';

	interface Props {
		rule: RuleDetails;
		headings: readonly string[];
		line: Omit<LineToAdd, 'terms'> & { terms: LineToAdd['terms'] };
		memberName: string;
		action: string;
		onsave: (line: LineToAdd) => Promise<void>;
	}
	let { rule, headings, line, memberName, action, onsave }: Props = $props();

	type Kind = LineToAdd['terms']['kind'];
	const KINDS: Record<Kind, string> = {
		single: 'one value',
		'any of': 'each of a list',
		span: 'from one to another, both included',
		pattern: '* any characters, ? one',
		joint: 'conditions on several columns'
	};
	const first = untrack(() => line);
	let kind = $state<Kind>(first.terms.kind);
	let value = $state(first.terms.kind === 'single' ? first.terms.value : '');
	let list = $state(first.terms.kind === 'any of' ? first.terms.values.join('\n') : '');
	let from = $state(first.terms.kind === 'span' ? first.terms.from : '');
	let to = $state(first.terms.kind === 'span' ? first.terms.to : '');
	let pattern = $state(first.terms.kind === 'pattern' ? first.terms.pattern : '');
	const ownColumn = untrack(() => (rule.rule?.from === 'column' ? rule.rule.columns[0]! : ''));
	let conditions = $state(
		first.terms.kind === 'joint'
			? first.terms.conditions.map((condition) => ({ ...condition }))
			: [
					{ column: ownColumn, pattern: '' },
					{ column: '', pattern: '' }
				]
	);
	let goes = $state<'member' | 'code' | 'skip'>(
		first.skip ? 'skip' : first.member === null && first.terms.kind === 'pattern' ? 'code' : 'member'
	);
	let member = $state.raw<{ id: number; name: string } | null>(
		first.member === null ? null : { id: first.member, name: untrack(() => memberName) }
	);
	let reverseSign = $state(first.reverseSign);
	let busy = $state(false);

	const terms = $derived.by((): LineToAdd['terms'] => {
		switch (kind) {
			case 'single':
				return { kind, value };
			case 'any of':
				return {
					kind,
					values: list
						.split(/[\n,;]/)
						.map((each) => each.trim())
						.filter((each) => each !== '')
				};
			case 'span':
				return { kind, from, to };
			case 'pattern':
				return { kind, pattern };
			case 'joint':
				return { kind, conditions: conditions.filter(({ column }) => column !== '') };
			default:
				return kind satisfies never;
		}
	});
	const complete = $derived(
		(goes !== 'member' || member !== null) &&
			(terms.kind !== 'joint' || (terms.conditions.length > 0 && terms.conditions.every(({ pattern }) => pattern.trim() !== ''))) &&
			(terms.kind !== 'any of' || terms.values.length > 0) &&
			(terms.kind !== 'pattern' || terms.pattern !== '') &&
			(goes !== 'code' || terms.kind === 'pattern')
	);

	async function save(event: SubmitEvent) {
		event.preventDefault();
		busy = true;
		await onsave({ terms, member: goes === 'member' ? (member?.id ?? null) : null, skip: goes === 'skip', reverseSign });
		busy = false;
	}
</script>

<form class="grid gap-2" onsubmit={save}>
	<label class="grid gap-0.5"
		><span class="text-grey text-xs">Matches</span>
		<select class="select select-sm w-full" bind:value={kind}>
			{#each Object.entries(KINDS) as [each, words] (each)}<option value={each}>{each}: {words}</option>{/each}
		</select></label
	>
	{#if kind === 'single'}
		<input class="input input-sm w-full font-mono" aria-label="Value" placeholder="4010" bind:value />
	{:else if kind === 'any of'}
		<textarea
			class="textarea textarea-sm w-full font-mono"
			rows="4"
			aria-label="Values, a line each"
			placeholder="a value a line"
			bind:value={list}></textarea>
	{:else if kind === 'span'}
		<div class="grid grid-cols-2 gap-2">
			<input class="input input-sm w-full font-mono" aria-label="From" placeholder="from" bind:value={from} />
			<input class="input input-sm w-full font-mono" aria-label="To" placeholder="to" bind:value={to} />
		</div>
	{:else if kind === 'pattern'}
		<input class="input input-sm w-full font-mono" aria-label="Pattern" placeholder="N-*" bind:value={pattern} />
	{:else}
		{#each conditions as condition, index (index)}
			<div class="grid grid-cols-2 gap-2">
				<select class="select select-sm w-full" aria-label="Column {index + 1}" bind:value={condition.column}>
					<option value="">(no column)</option>
					{#each new Set([...headings, ...(condition.column === '' ? [] : [condition.column])]) as heading (heading)}<option
							>{heading}</option
						>{/each}
				</select>
				<input class="input input-sm w-full font-mono" aria-label="Pattern {index + 1}" bind:value={condition.pattern} />
			</div>
		{/each}
		<button
			type="button"
			class="text-primary justify-self-start text-[13px] font-semibold"
			onclick={() => conditions.push({ column: '', pattern: '' })}>One more condition</button
		>
	{/if}
	<label class="grid gap-0.5"
		><span class="text-grey text-xs">Leads to</span>
		<select class="select select-sm w-full" bind:value={goes}>
			<option value="member">a member</option>
			{#if kind === 'pattern'}<option value="code">the member of that code, or of what * stands for</option>{/if}
			<option value="skip">nothing: leave the rows out</option>
		</select></label
	>
	{#if goes === 'member'}
		<MemberPick
			dimension={rule.dimension}
			label="Member the line leads to"
			chosen={member?.name ?? ''}
			onpick={(picked) => (member = picked)}
		/>
	{/if}
	{#if goes !== 'skip'}
		<label class="flex items-center gap-1.5"
			><input type="checkbox" class="checkbox checkbox-xs" bind:checked={reverseSign} /> Reverse sign</label
		>
	{/if}
	<button class="btn btn-sm" disabled={busy || !complete}>{action}</button>
</form>
