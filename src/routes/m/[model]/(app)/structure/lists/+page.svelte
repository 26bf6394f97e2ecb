<script lang="ts">
	import { goto, invalidateAll } from '$app/navigation';
	import { at } from '$lib/ui/at';
	import { request } from '$lib/ui/request';
	import { useShell } from '$lib/ui/shell/shell.svelte';
	import ChangeList from '$lib/ui/structure/ChangeList.svelte';

	let { data } = $props();
	useShell().at({ name: 'Structure', path: '/structure' }, { name: 'Lists of choices' });
	const mayWrite = $derived(data.person.permissions.includes('structure.write'));

	const EXAMPLE = ['Idea', 'Agreed', 'Under way', 'Done'].join('\n');
	let name = $state('');
	let text = $state('');
	let message = $state<{ text: string; kind: 'info' | 'error' } | null>(null);
	/** One a line; of pasted rows the first cell. */
	const choices = $derived(
		text
			.split('\n')
			.map((line) => line.split('\t')[0]!.trim())
			.filter(Boolean)
	);
	const count = (number: number) => `${number.toLocaleString(data.person.locale)} ${number === 1 ? 'choice' : 'choices'}`;

	async function make(event: SubmitEvent) {
		event.preventDefault();
		const reply = await request<{ code: string }>('/api/structure/lists', { name, choices });
		if (!reply.ok) {
			message = { text: reply.message, kind: 'error' };
			return;
		}
		message = { text: `“${name.trim()}” can be named now as Choices of an account whose type is choice.`, kind: 'info' };
		name = '';
		text = '';
		await invalidateAll();
	}
	async function remove(code: string, title: string) {
		const reply = await request('/api/structure/lists', { code }, 'DELETE');
		message = reply.ok ? { text: `“${title}” is deleted.`, kind: 'info' } : { text: reply.message, kind: 'error' };
		await invalidateAll();
	}
	const open = (code: string) => void goto(at(`/structure/dimension/${code}`));
</script>

<main class="min-h-0 overflow-auto px-4.5 pt-3.5 pb-6">
	<h1 class="text-xl font-semibold tracking-tight">Lists of choices</h1>
	<p class="text-soft mb-3 max-w-2xl">
		What people may pick in an account whose type is choice: a state of a project, a kind of contract. An account may also choose from the
		leaves of any dimension; a list is for what is nothing else in the model.
	</p>
	{#if message}<p class={['mb-2 text-[13px]', message.kind === 'error' ? 'text-error' : 'text-soft']} role="status">{message.text}</p>{/if}
	<table class="mb-5 w-full max-w-4xl text-[13.5px]">
		<thead class="text-grey border-rule border-b text-left text-xs">
			<tr
				><th class="py-1 font-semibold">List</th><th class="font-semibold">Choices</th><th class="font-semibold">Begins with</th><th
					class="font-semibold">Chosen in</th
				><th><span class="sr-only">Actions</span></th></tr
			>
		</thead>
		<tbody>
			{#each data.lists as list (list.code)}
				<tr class="border-hairline border-b align-baseline">
					<td class="py-1 pr-3 font-semibold"
						><a class="hover:underline" href={at(`/structure/dimension/${list.code}`)}>{list.name}</a>
						{#if list.of}<span class="text-grey font-normal">of {list.of}</span>{/if}</td
					>
					<td class="pr-3 tabular-nums">{list.choices.toLocaleString(data.person.locale)}</td>
					<td class="text-soft pr-3">{list.first.join(', ')}{list.choices > list.first.length ? ' …' : ''}</td>
					<td class="text-soft pr-3">{list.accounts.join(', ') || 'no account yet'}</td>
					<td class="text-right whitespace-nowrap">
						{#if mayWrite}
							<button class="underline" onclick={() => open(list.code)}>change</button>
							{#if list.accounts.length === 0 && !list.of}
								<button class="ml-2 underline" onclick={() => void remove(list.code, list.name)}>delete</button>
							{/if}
						{/if}
					</td>
				</tr>
			{:else}
				<tr><td colspan="5" class="text-grey py-2">No lists yet.</td></tr>
			{/each}
		</tbody>
	</table>
	{#if mayWrite}
		<form class="grid max-w-xl gap-2" onsubmit={make}>
			<h2 class="text-[15px] font-semibold">Make a list</h2>
			<label class="text-grey grid text-[13px]"
				>Name <input class="input input-sm bg-raised w-64" maxlength="80" placeholder="State of a project" bind:value={name} /></label
			>
			<label class="text-grey grid text-[13px]"
				>Choices, one a line, typed or pasted
				<textarea class="textarea bg-raised h-32 w-full text-[13px]" placeholder={EXAMPLE} bind:value={text}></textarea></label
			>
			<div class="flex items-center gap-3">
				<button class="btn btn-sm btn-primary" disabled={name.trim() === '' || choices.length === 0}>Make the list</button>
				<span class="text-grey text-[13px]">{choices.length === 0 ? '' : count(choices.length)}</span>
			</div>
		</form>
	{/if}
	<ChangeList changes={data.changes} locale={data.person.locale} />
</main>
