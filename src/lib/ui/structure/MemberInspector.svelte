<script lang="ts">
	import { formatMoment } from '../figures/format';
	import { request } from '../request';
	import type { HistoryLine, Use } from '$lib/server/structure';
	import FormulaFields from './FormulaFields.svelte';
	import PeopleField from './PeopleField.svelte';
	import X from '@lucide/svelte/icons/x';
	import type { MemberTableState } from './member-table.svelte';

	interface Props {
		state: MemberTableState;
		mayWrite: boolean;
		locale: string;
		onclose: () => void;
	}
	let { state: members, mayWrite, locale, onclose }: Props = $props();

	const row = $derived(members.row);
	const id = $derived(row === undefined ? undefined : members.table.ids[row]);
	const fields = $derived(members.table.fields);
	let uses = $state.raw<Use[] | null>(null);
	let history = $state.raw<HistoryLine[]>([]);
	let replaceBy = $state('');

	// What is asked of the server follows the member in focus and every change of the dimension.
	$effect(() => {
		const member = id;
		void members.table;
		uses = null;
		if (member === undefined) return;
		let current = true;
		const path = `/api/structure/dimension/${members.code}`;
		void request<Use[]>(`${path}/uses?member=${member}`).then((reply) => {
			if (current && reply.ok) uses = reply.answer;
		});
		void request<HistoryLine[]>(`${path}/history?member=${member}`).then((reply) => {
			if (current && reply.ok) history = reply.answer;
		});
		return () => (current = false);
	});

	const WHAT: Record<Use['kind'], string> = {
		form: 'Form',
		runbook: 'Runbook',
		preset: 'Preset',
		map: 'Map',
		import: 'Import',
		grant: 'Grant',
		lock: 'Lock',
		round: 'Round',
		formula: 'Formula of',
		account: 'Weighs',
		scenario: 'Scenario',
		variable: 'Variable',
		numbers: 'Numbers in',
		choice: 'Chosen in',
		note: 'Beside figures',
		draft: 'Draft',
		branch: 'Branches',
		board: 'Board',
		elsewhere: 'Elsewhere'
	};

	async function change(key: string, value: string, input: HTMLInputElement | HTMLSelectElement) {
		if (row === undefined || members.textAt(row, key) === value.trim()) return;
		const done = await members.set(key, value);
		if (!done && !members.question && row !== undefined) input.value = members.textAt(row, key);
	}
	const namesIn = (value: string) =>
		value
			.split('; ')
			.map((email) => members.table.people[email] ?? email)
			.join(', ');
	async function replace() {
		const by = members.table.codes.indexOf(replaceBy.trim());
		if (by < 0) members.message = { text: `There is no member with the code “${replaceBy}”.`, kind: 'error' };
		else if (await members.remove({ way: 'replace', by: members.table.ids[by]! })) replaceBy = '';
	}
</script>

<aside
	class="border-hairline bg-base-100 w-75 shrink-0 overflow-y-auto border-l px-4 py-3.5 text-[13px]"
	aria-label="Details of the member"
>
	<div class="flex items-start">
		<h2 class="text-grey grow text-xs font-semibold">Member</h2>
		<button class="text-grey hover:text-base-content -mt-1 -mr-1 p-1" aria-label="Close the details" onclick={onclose}
			><X size={15} aria-hidden="true" /></button
		>
	</div>
	{#if row === undefined || id === undefined}
		<p class="text-grey mt-2">Choose a member to see what it says and where it is used.</p>
	{:else}
		<p class="text-lg leading-6 font-semibold tracking-tight">{members.table.names[row]}</p>
		<p class="text-soft font-mono text-xs">{members.table.codes[row]}</p>
		<div class="mt-3 grid grid-cols-[minmax(0,1fr)] gap-2">
			{#each fields as field (field.key)}
				{@const value = members.textAt(row, field.key)}
				{@const options = field.choices ?? (field.to ? members.table.choices[field.to] : undefined)}
				<svelte:element
					this={field.to === 'people' ? 'div' : 'label'}
					class="grid grid-cols-[7rem_minmax(0,1fr)] items-center gap-2"
					title={field.help}
				>
					<span class="text-grey">{field.title}</span>
					{#if !mayWrite}<span>{(field.to === 'people' ? namesIn(value) : (members.table.dimensionNames[value] ?? value)) || '–'}</span>
					{:else if field.choices}
						<select class="field" {value} onchange={(event) => void change(field.key, event.currentTarget.value, event.currentTarget)}>
							<option value=""></option>
							{#each field.choices as choice (choice)}<option value={choice}>{choice}</option>{/each}
						</select>
					{:else if field.to === 'dimensions'}
						<select class="field" {value} onchange={(event) => void change(field.key, event.currentTarget.value, event.currentTarget)}>
							<option value=""></option>
							{#each Object.entries(members.table.dimensionNames) as [code, name] (code)}<option value={code}>{name}</option>{/each}
						</select>
					{:else if field.to === 'people'}
						<PeopleField
							title={field.title}
							{value}
							several={field.several ?? false}
							people={members.table.people}
							onchange={(next) => members.set(field.key, next)}
						/>
					{:else}
						<input
							class="field"
							{value}
							list={options ? `choices-${field.to}` : undefined}
							type={field.type === 'date' ? 'date' : 'text'}
							onchange={(event) => void change(field.key, event.currentTarget.value, event.currentTarget)}
						/>
					{/if}
				</svelte:element>
			{/each}
		</div>
		{#each Object.entries(members.table.choices) as [what, codes] (what)}
			<datalist id="choices-{what}"
				>{#each codes as code (code)}<option value={code}></option>{/each}</datalist
			>
		{/each}

		{#if members.table.kind === 'account'}
			<h3>Live formulas</h3>
			<FormulaFields account={id} {mayWrite} onpick={(account) => members.reveal(account)} />
		{/if}

		<h3>Used in</h3>
		{#if uses === null}<p class="text-grey">Looking…</p>
		{:else}
			{#each uses as use (`${use.kind} ${use.name}`)}
				<p class="flex gap-1.5">
					<span class="text-grey">{WHAT[use.kind]}</span>
					{#if use.path}<a class="truncate underline" href={use.path}>{use.name}</a>{:else}<span class="truncate">{use.name}</span>{/if}
					{#if use.count}<b class="ml-auto font-semibold">{use.count.toLocaleString(locale)}</b>{/if}
				</p>
			{:else}<p class="text-grey">Nowhere by name. Forms that select a whole tree hold it too.</p>{/each}
		{/if}

		{#if mayWrite && members.table.kind !== 'period'}
			<h3>Take it out of use</h3>
			<div class="flex flex-wrap gap-1.5">
				{#if members.table.marks[row]! & 2}
					<button class="btn btn-xs" onclick={() => void members.set('retired', 'no')}>Take back into use</button>
				{:else}
					<button class="btn btn-xs" onclick={() => void members.remove({ way: 'retire' })}>Retire</button>
				{/if}
				<button class="btn btn-xs" onclick={() => void members.remove({ way: 'delete' })}>Delete</button>
				{#if members.hierarchy !== undefined}
					<button class="btn btn-xs" onclick={() => void members.edit([{ act: 'take out', member: id, hierarchy: members.hierarchy }])}
						>Take out of {members.hierarchy}</button
					>
				{/if}
			</div>
			<form
				class="mt-1.5 flex gap-1.5"
				onsubmit={(event) => {
					event.preventDefault();
					void replace();
				}}
			>
				<input
					class="field min-w-0 grow"
					placeholder="Code of another member"
					aria-label="Code of the member that takes its place"
					bind:value={replaceBy}
				/>
				<button class="btn btn-xs" disabled={replaceBy.trim() === ''}>Replace by it</button>
			</form>
		{/if}

		<h3>History</h3>
		{#each history as line (line.id)}
			<div class={['mb-1.5', line.undone && 'text-grey line-through']}>
				<p>{line.words}</p>
				{#each line.changes as change (change.title)}
					<p class="text-soft">{change.title}: {change.before || 'empty'} → {change.after || 'empty'}</p>
				{/each}
				<p class="text-grey text-xs">{formatMoment(line.at, locale)}{line.person ? `, ${line.person}` : ''}</p>
			</div>
		{:else}<p class="text-grey">Not changed since it was made.</p>{/each}
	{/if}
</aside>

<style>
	h3 {
		margin: 16px 0 4px;
		color: var(--grey);
		font-size: 12px;
		font-weight: 600;
	}
	.field {
		width: 100%;
		min-width: 0;
		height: 24px;
		padding: 0 6px;
		border: 1px solid var(--rule);
		border-radius: 4px;
		background: var(--raised);
		color: inherit;
	}
</style>
