<script lang="ts">
	import { goto, invalidateAll } from '$app/navigation';
	import type { AddedDimension, DimensionChoices, DimensionToAdd } from '$lib/server/structure';
	import { at } from '../at';
	import { fromClipboard } from '../grid/clipboard';
	import { request } from '../request';

	interface Props {
		choices: DimensionChoices;
		locale: string;
	}
	let { choices, locale }: Props = $props();
	const count = (number: number, one: string, many: string) => `${number.toLocaleString(locale)} ${number === 1 ? one : many}`;

	const EXAMPLE = ['R01\tWeb', 'R02\tWeb', 'R03\tCounter'].join('\n');
	let from = $state<'new' | 'shared'>('new');
	let name = $state('');
	let shared = $state('');
	let way = $state<'one' | 'attribute' | 'map'>('one');
	let member = $state('');
	/** Dimension and attribute, as one choice. */
	let attribute = $state('');
	let decides = $state('');
	let pasted = $state('');
	let preview = $state<AddedDimension | null>(null);
	let fault = $state<string | null>(null);
	let busy = $state(false);

	const attributes = $derived(
		choices.by.flatMap((dimension) =>
			dimension.attributes.map((each) => ({ key: JSON.stringify([dimension.code, each]), dimension: dimension.name, name: each }))
		)
	);
	const lines = $derived(
		fromClipboard(pasted.trimEnd())
			.map(([one = '', other = '']) => ({ from: one.trim(), to: other.trim() }))
			.filter((line) => line.from !== '' || line.to !== '')
	);
	const faulty = $derived(lines.find((line) => line.from === '' || line.to === ''));
	const wanted = $derived.by((): DimensionToAdd | null => {
		if (from === 'new' ? name.trim() === '' : shared === '') return null;
		const dimension = from === 'new' ? { kind: 'new' as const, name: name.trim() } : { kind: 'shared' as const, code: shared };
		if (way === 'one') return { dimension, by: { kind: 'one', member: from === 'new' || member.trim() === '' ? null : member.trim() } };
		if (way === 'attribute') {
			if (attribute === '') return null;
			const [code, chosen] = JSON.parse(attribute) as [string, string];
			return { dimension, by: { kind: 'attribute', dimension: code, attribute: chosen } };
		}
		if (decides === '' || lines.length === 0 || faulty) return null;
		return { dimension, by: { kind: 'map', dimension: decides, lines } };
	});
	/** What was looked at is what is added: any other choice is looked at again. */
	let looked = $state('');
	const isLooked = $derived(preview !== null && wanted !== null && looked === JSON.stringify(wanted));

	async function ask<Answer>(verb: 'preview' | 'add'): Promise<Answer | undefined> {
		busy = true;
		const reply = await request<Answer>(`/api/structure/dimensions/${verb}`, wanted);
		busy = false;
		fault = reply.ok ? null : reply.message;
		return reply.ok ? reply.answer : undefined;
	}
	async function look(event: SubmitEvent) {
		event.preventDefault();
		if (!wanted) return;
		const asked = JSON.stringify(wanted);
		preview = (await ask<AddedDimension>('preview')) ?? null;
		looked = asked;
	}
	async function add() {
		const added = await ask<AddedDimension & { code: string }>('add');
		if (!added) return;
		await invalidateAll();
		await goto(at(`/structure/dimension/${added.code}`));
	}
</script>

<section aria-labelledby="add-dimension">
	<h2 id="add-dimension" class="text-[15px] font-semibold">Add one</h2>
	<p class="text-soft mb-2.5 max-w-2xl">
		The figures that are there get one more breakdown, with their history, drafts and notes, as if it had always been there. Totals over the
		whole of it stay what they are.
	</p>
	<form class="grid max-w-3xl gap-4" onsubmit={look}>
		<fieldset class="grid gap-1.5">
			<legend class="mb-1 font-semibold">Which</legend>
			<div class="flex items-center gap-2">
				<label class="flex items-center gap-2"
					><input type="radio" class="radio radio-xs" name="from" value="new" bind:group={from} /> A new one, called</label
				>
				<input
					class="input input-sm bg-raised w-56"
					aria-label="Name of the new dimension"
					placeholder="Channel"
					maxlength="80"
					bind:value={name}
					onfocus={() => (from = 'new')}
				/>
			</div>
			{#if choices.shared.length > 0}
				<div class="flex items-center gap-2">
					<label class="flex items-center gap-2"
						><input type="radio" class="radio radio-xs" name="from" value="shared" bind:group={from} /> One that is there:</label
					>
					<select
						class="select select-sm bg-raised w-72"
						aria-label="Dimension that is there"
						bind:value={shared}
						onchange={() => (from = 'shared')}
					>
						<option value="" disabled>choose</option>
						{#each choices.shared as { code, name: title, members, models } (code)}
							<option value={code}
								>{title} · {count(members, 'member', 'members')} {models.length > 0 ? ` · ${models.join(', ')}` : ''}</option
							>
						{/each}
					</select>
				</div>
			{/if}
		</fieldset>
		<fieldset class="grid gap-1.5">
			<legend class="mb-1 font-semibold">Where the figures go in it</legend>
			<div class="flex items-center gap-2">
				<label class="flex items-center gap-2"
					><input type="radio" class="radio radio-xs" name="way" value="one" bind:group={way} /> All to
					{from === 'new' ? 'the member for what it does not apply to' : 'one member:'}</label
				>
				{#if from === 'shared'}
					<input
						class="input input-sm bg-raised w-44"
						aria-label="Code of the member"
						placeholder="code; the one for the rest"
						bind:value={member}
						onfocus={() => (way = 'one')}
					/>
				{/if}
			</div>
			<div class="flex items-center gap-2">
				<label class="flex items-center gap-2"
					><input type="radio" class="radio radio-xs" name="way" value="attribute" bind:group={way} disabled={attributes.length === 0} />
					By an attribute:</label
				>
				{#if attributes.length === 0}
					<span class="text-grey">no dimension of this model has attributes yet</span>
				{:else}
					<select
						class="select select-sm bg-raised w-72"
						aria-label="Attribute"
						bind:value={attribute}
						onchange={() => (way = 'attribute')}
					>
						<option value="" disabled>choose</option>
						{#each attributes as each (each.key)}<option value={each.key}>{each.name} of {each.dimension}</option>{/each}
					</select>
					<span class="text-grey">{from === 'new' ? 'a member is made of each value' : 'a value is the code or name of a member'}</span>
				{/if}
			</div>
			<div class="flex items-center gap-2">
				<label class="flex items-center gap-2"
					><input type="radio" class="radio radio-xs" name="way" value="map" bind:group={way} /> By a list: what is at a member of</label
				>
				<select
					class="select select-sm bg-raised w-44"
					aria-label="Dimension the list goes by"
					bind:value={decides}
					onchange={() => (way = 'map')}
				>
					<option value="" disabled>choose</option>
					{#each choices.by as { code, name: title } (code)}<option value={code}>{title}</option>{/each}
				</select>
			</div>
			{#if way === 'map'}
				<textarea
					class="textarea bg-raised h-32 w-full font-mono text-xs"
					aria-label="List: codes, and where their figures go"
					placeholder={EXAMPLE}
					bind:value={pasted}></textarea>
				<p class="text-grey">
					Two columns, pasted from a spreadsheet or typed with a tab between: a code{from === 'new'
						? ', and the name of the member that is made for it'
						: ', and the code of the member it goes to'}. A group stands for what is under it.
					{#if faulty}<span class="text-error">“{faulty.from || faulty.to}” stands alone in its line.</span>{/if}
				</p>
			{/if}
		</fieldset>
		<div class="flex items-center gap-3">
			<button class={['btn btn-sm', !isLooked && 'btn-primary']} disabled={wanted === null || busy}>Look at what it would do</button>
			{#if fault}<p class="text-error max-w-xl" role="alert">{fault}</p>{/if}
		</div>
	</form>
	{#if preview && isLooked}
		<section class="border-rule bg-base-200 mt-4 grid max-w-3xl gap-2 rounded-md border px-3.5 py-3" aria-label="What it would do">
			<table class="w-full">
				<thead class="text-grey border-rule border-b text-left text-xs">
					<tr
						><th class="py-1 font-semibold">Member of {preview.name}</th><th class="text-right font-semibold">Amounts</th><th
							class="pl-4 font-semibold">From</th
						></tr
					>
				</thead>
				<tbody>
					{#each preview.goes as { member: target, from: names, more, cells } (target)}
						<tr class="border-hairline border-b align-baseline">
							<td class="py-1 font-semibold">{target}</td>
							<td class="text-right tabular-nums">{cells.toLocaleString(locale)}</td>
							<td class="text-soft pl-4"
								>{names.length === 0 ? 'everything' : `${names.join(', ')}${more > 0 ? ` and ${more} more` : ''}`}</td
							>
						</tr>
					{:else}
						<tr><td class="text-grey py-1" colspan="3">There are no figures yet.</td></tr>
					{/each}
				</tbody>
			</table>
			{#if preview.rest.length > 0}
				<p>
					Nothing is said of {preview.rest.join(', ')}{preview.moreRest > 0 ? ` and ${count(preview.moreRest, 'other', 'others')}` : ''}:
					what stands there goes to the member for what the dimension does not apply to.
				</p>
			{/if}
			<p>
				{count(preview.forms, 'form shows', 'forms show')} “{preview.shownAt}”, until laid out otherwise.
				{#if preview.imports.length > 0}
					{count(preview.imports.length, 'import loads', 'imports load')} to one member, until a rule says otherwise: {preview.imports.join(
						', '
					)}.
				{/if}
			</p>
			<p class="text-grey">
				While it is added nobody saves, loads or runs in this model. Ctrl+Z does not take it back; it can be taken out below.
			</p>
			<div><button class="btn btn-sm btn-primary" disabled={busy} onclick={() => void add()}>Add “{preview.name}”</button></div>
		</section>
	{/if}
</section>
