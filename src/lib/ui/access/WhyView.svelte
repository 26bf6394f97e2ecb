<script lang="ts">
	import type { AccessNames, WhoMay, Why } from '$lib/server/access';
	import { at } from '$lib/ui/at';
	import MemberPick from '../data-in/MemberPick.svelte';
	import { request } from '../request';

	interface Props {
		dimensions: readonly { id: number; name: string; isPeriod: boolean; first: { id: number; name: string } | null }[];
		names: AccessNames;
		person: number;
		catalogue: readonly { area: string; permissions: readonly { permission: string; words: string }[] }[];
		forms: readonly { code: string; name: string }[];
	}
	let { dimensions, names, person, catalogue, forms }: Props = $props();
	let action = $state('');
	let actionWhy = $state.raw<{ name: string; what: string; lines: Why['read'] } | null>(null);

	async function askAction() {
		why = everybody = null;
		const [kind, what] = [action.slice(0, action.indexOf(' ')), action.slice(action.indexOf(' ') + 1)];
		const reply = await request<NonNullable<typeof actionWhy>>('/api/access/why-action', {
			person: of,
			action: kind === 'form' ? { form: what } : { permission: what }
		});
		fault = reply.ok ? null : reply.message;
		actionWhy = reply.ok ? reply.answer : null;
	}

	// svelte-ignore state_referenced_locally
	let of = $state(person);
	// svelte-ignore state_referenced_locally
	let chosen = $state.raw<Record<number, { id: number; name: string }>>(
		Object.fromEntries(dimensions.flatMap(({ id, first }) => (first ? [[id, first]] : [])))
	);
	let why = $state.raw<Why | null>(null);
	let fault = $state<string | null>(null);

	let everybody = $state.raw<{ people: readonly WhoMay[]; file: string } | null>(null);
	const figure = () => ({
		members: dimensions.filter(({ isPeriod }) => !isPeriod).map(({ id }) => chosen[id]?.id ?? 0),
		period: chosen[dimensions.find(({ isPeriod }) => isPeriod)!.id]?.id ?? 0
	});

	async function ask() {
		everybody = actionWhy = null;
		const reply = await request<Why>('/api/access/why', { person: of, ...figure() });
		fault = reply.ok ? null : reply.message;
		why = reply.ok ? reply.answer : null;
	}
	async function askOfAll() {
		why = actionWhy = null;
		const asked = figure();
		const reply = await request<{ people: WhoMay[] }>('/api/access/who', asked);
		fault = reply.ok ? null : reply.message;
		everybody = reply.ok
			? { people: reply.answer.people, file: at(`/api/access/report?members=${asked.members.join('.')}&period=${asked.period}`) }
			: null;
	}
</script>

<div class="grid min-h-0 max-w-5xl gap-8 overflow-auto md:grid-cols-[22rem_1fr]">
	<form
		class="grid content-start gap-1.5"
		aria-label="Figure and person"
		onsubmit={(event) => {
			event.preventDefault();
			void ask();
		}}
	>
		<label class="text-grey text-xs"
			>Who<select class="select select-sm text-base-content w-full" bind:value={of}
				>{#each names.people as { id, name } (id)}<option value={id}>{name}</option>{/each}</select
			></label
		>
		{#each dimensions as { id, name } (id)}
			<div class="grid grid-cols-[7rem_1fr] items-center gap-2">
				<span class="text-[13px]">{name}</span>
				<MemberPick
					dimension={id}
					of="all"
					label="{name} of the figure"
					chosen={chosen[id]?.name ?? ''}
					placeholder="choose"
					onpick={(member) => (chosen = { ...chosen, [id]: member })}
				/>
			</div>
		{/each}
		<div class="mt-1 flex gap-2">
			<button class="btn btn-primary btn-sm">Why?</button>
			<button type="button" class="btn btn-sm" onclick={askOfAll}>Who may?</button>
		</div>
		<p class="text-grey mt-3 text-xs">Or something to do, or a form</p>
		<div class="flex gap-2">
			<select class="select select-sm grow" aria-label="What they do" bind:value={action}>
				<option value="">choose…</option>
				{#each catalogue as { area, permissions } (area)}
					<optgroup label={area}>
						{#each permissions as { permission, words } (permission)}<option value="may {permission}">{words}</option>{/each}
					</optgroup>
				{/each}
				<optgroup label="Forms of this model">
					{#each forms as { code, name } (code)}<option value="form {code}">{name}</option>{/each}
				</optgroup>
			</select>
			<button type="button" class="btn btn-sm" disabled={action === ''} onclick={askAction}>Why that?</button>
		</div>
	</form>
	<section aria-live="polite" aria-label="Explanation">
		{#if fault}<p class="text-error" role="alert">{fault}</p>{/if}
		{#if why}
			{#each [['read', why.read], ['write', why.write]] as const as [what, lines] (what)}
				{@const may = lines.every(({ holds }) => holds)}
				<h2 class="mt-3 font-semibold first:mt-0">{why.name} {may ? 'may' : 'may not'} {what} it</h2>
				<ol class="border-rule mt-1 ml-1 border-l pl-3">
					{#each lines as { words, holds }, place (place)}
						<li class={['py-0.5', holds ? '' : 'text-accent font-semibold']}>{words}</li>
					{/each}
				</ol>
			{/each}
		{:else if actionWhy}
			{@const may = actionWhy.lines.every(({ holds }) => holds)}
			<h2 class="font-semibold">{actionWhy.name} {may ? 'may' : 'may not'} {actionWhy.what}</h2>
			<ol class="border-rule mt-1 ml-1 border-l pl-3">
				{#each actionWhy.lines as { words, holds }, place (place)}
					<li class={['py-0.5', holds ? '' : 'text-accent font-semibold']}>{words}</li>
				{/each}
			</ol>
		{/if}
		{#if why || actionWhy}
			<p class="mt-3 text-[13px]">
				To change it: <a class="text-primary font-semibold" href={at('/access?view=people')}>people</a>,
				<a class="text-primary font-semibold" href={at('/access?view=roles')}>roles</a>,
				<a class="text-primary font-semibold" href={at('/access?view=grants')}>grants</a>{#if why}; what is closed stands in the
					<a class="text-primary font-semibold" href={at('/structure/calendar')}>calendar</a>{/if}.
			</p>
		{:else if everybody}
			<div class="mb-1 flex items-baseline gap-2">
				<h2 class="grow font-semibold">
					{everybody.people.filter(({ read }) => read).length} may read it, {everybody.people.filter(({ write }) => write).length} may write it
				</h2>
				<a class="btn btn-sm" href="{everybody.file}&as=xlsx" download>XLSX</a>
				<a class="btn btn-sm" href="{everybody.file}&as=csv" download>CSV</a>
			</div>
			<table class="w-full text-[13.5px]" aria-label="Who may read and write it">
				<thead
					><tr class="text-grey border-rule border-b text-left text-xs"
						><th class="py-1 font-normal">Person</th><th class="font-normal">Reads</th><th class="font-normal">Writes</th></tr
					></thead
				>
				<tbody>
					{#each everybody.people as { id, name, title, read, write, because } (id)}
						<tr class="border-hairline border-b align-top">
							<td class="py-1 pr-3">{name}<span class="text-grey block text-xs">{title}</span></td>
							<td class="py-1 pr-3">{read ? 'yes' : 'no'}<span class="text-soft block text-xs">{because[0]}</span></td>
							<td class="py-1">{write ? 'yes' : 'no'}<span class="text-soft block text-xs">{because[1]}</span></td>
						</tr>
					{/each}
				</tbody>
			</table>
		{:else if !fault}<p class="text-soft">
				Choose a person and a figure: what lets them read and write it, or keeps them from it, is told sentence by sentence.
			</p>{/if}
	</section>
</div>
