<script lang="ts">
	import { asTyped, typedNumber } from '$lib/ui/figures/typed';
	import { invalidateAll } from '$app/navigation';
	import type { MemberTable } from '$lib/server/structure';
	import { request } from '$lib/ui/request';
	import { useShell } from '$lib/ui/shell/shell.svelte';
	import ChangeList from '$lib/ui/structure/ChangeList.svelte';

	let { data } = $props();
	useShell().at({ name: 'Structure', path: '/structure' }, { name: 'Variables' });
	const mayWrite = $derived(data.person.permissions.includes('structure.write'));

	let name = $state('');
	let dimension = $state('');
	let value = $state('');
	let table = $state.raw<MemberTable | null>(null);
	let message = $state<{ text: string; kind: 'info' | 'error' } | null>(null);

	async function choose(code: string) {
		dimension = code;
		value = '';
		table = null;
		if (!code) return;
		const reply = await request<MemberTable>(`/api/structure/dimension/${code}`);
		if (reply.ok) table = reply.answer;
	}
	async function store(event: SubmitEvent) {
		event.preventDefault();
		const wanted = value.trim();
		let body: { name: string; member: number | null; number: number | null };
		if (dimension) {
			const row = table ? table.codes.findIndex((code, index) => code === wanted || table!.names[index] === wanted) : -1;
			if (row < 0) {
				message = { text: `There is no member “${wanted}” in this dimension.`, kind: 'error' };
				return;
			}
			body = { name, member: table!.ids[row]!, number: null };
		} else {
			const number = wanted === '' ? null : typedNumber(wanted);
			if (number === undefined) {
				message = { text: `“${wanted}” is not a number.`, kind: 'error' };
				return;
			}
			body = { name, member: null, number };
		}
		const reply = await request('/api/structure/variables', body);
		message = reply.ok ? { text: `“${name.trim()}” is set.`, kind: 'info' } : { text: reply.message, kind: 'error' };
		if (!reply.ok) return;
		name = '';
		value = '';
		await invalidateAll();
	}
	async function remove(id: number) {
		const reply = await request('/api/structure/variables', { id }, 'DELETE');
		message = reply.ok ? null : { text: reply.message, kind: 'error' };
		await invalidateAll();
	}
	function take(variable: (typeof data.variables)[number]) {
		name = variable.name;
		const found = data.dimensions.find((each) => each.name === variable.dimension);
		void choose(found?.code ?? '').then(() => (value = variable.memberName ?? (variable.number === null ? '' : asTyped(variable.number))));
	}
</script>

<main class="min-h-0 overflow-auto px-4.5 pt-3.5 pb-6">
	<h1 class="text-xl font-semibold tracking-tight">Variables</h1>
	<p class="text-soft mb-3 max-w-2xl">
		A named member or number kept in one place. Forms, rules and loads that use “Current year” follow when it is set to another year here.
	</p>
	{#if message}<p class={['mb-2 text-[13px]', message.kind === 'error' ? 'text-error' : 'text-soft']} role="status">{message.text}</p>{/if}
	<table class="mb-4 w-full max-w-3xl text-[13.5px]">
		<thead class="text-grey border-rule border-b text-left text-xs">
			<tr
				><th class="py-1 font-semibold">Variable</th><th class="font-semibold">Stands for</th><th class="font-semibold">In</th><th
					class="font-semibold">Used by</th
				><th><span class="sr-only">Actions</span></th></tr
			>
		</thead>
		<tbody>
			{#each data.variables as variable (variable.id)}
				<tr class="border-hairline border-b">
					<td class="py-1 font-semibold">{variable.name}</td>
					<td>{variable.memberName ?? variable.number ?? 'nothing yet'}</td>
					<td class="text-grey">{variable.dimension ?? 'number'}</td>
					<td class="text-soft">{variable.forms.join(', ')}</td>
					<td class="text-right">
						{#if mayWrite}
							<button class="underline" onclick={() => take(variable)}>change</button>
							<button class="ml-2 underline" onclick={() => void remove(variable.id)}>delete</button>
						{/if}
					</td>
				</tr>
			{:else}
				<tr><td colspan="5" class="text-grey py-2">No variables yet. “Current year” and “Open month” are good ones to begin with.</td></tr>
			{/each}
		</tbody>
	</table>
	{#if mayWrite}
		<form class="flex flex-wrap items-end gap-2" onsubmit={store}>
			<label class="text-grey grid text-[13px]"
				>Name <input class="input input-sm bg-raised w-48" maxlength="80" placeholder="Current year" bind:value={name} /></label
			>
			<label class="text-grey grid text-[13px]"
				>A member of
				<select class="select select-sm w-40" value={dimension} onchange={(event) => void choose(event.currentTarget.value)}>
					<option value="">none: a number</option>
					{#each data.dimensions as each (each.code)}<option value={each.code}>{each.name}</option>{/each}
				</select></label
			>
			<label class="text-grey grid text-[13px]"
				>{dimension ? 'Member' : 'Number'}
				<input class="input input-sm bg-raised w-56" list={dimension ? 'variable-members' : undefined} bind:value /></label
			>
			<datalist id="variable-members"
				>{#if table}{#each table.codes.slice(0, 3_000) as code, index (code)}<option value={code}>{table.names[index]}</option
						>{/each}{/if}</datalist
			>
			<button class="btn btn-sm btn-primary" disabled={name.trim() === ''}>Set</button>
		</form>
	{/if}
	<ChangeList changes={data.changes} locale={data.person.locale} />
</main>
