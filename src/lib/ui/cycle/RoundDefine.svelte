<script lang="ts">
	import { goto } from '$app/navigation';
	import type { Namer, PlannedUnit, Round, RoundDefinition } from '$lib/server/cycle';
	import { at } from '../at';
	import { formatDay } from '../figures/format';
	import { request } from '../request';
	import type { RoundChoices } from './round-choices';

	interface Props {
		round: Round | null;
		choices: RoundChoices;
		locale: string;
	}
	let { round, choices, locale }: Props = $props();
	// svelte-ignore state_referenced_locally
	const first = choices.scenarios.find(({ isOpen }) => isOpen) ?? choices.scenarios[0];
	// svelte-ignore state_referenced_locally
	const entity = choices.dimensions.find(({ kind }) => kind === 'entity') ?? choices.dimensions[0];
	// svelte-ignore state_referenced_locally
	let draft = $state<RoundDefinition>(
		round
			? {
					name: round.name,
					scenario: round.scenario,
					from: round.from,
					to: round.to,
					settings: { ...round.settings, snapshots: round.settings.snapshots ?? 'never' }
				}
			: {
					name: first ? `${first.name}, first round` : '',
					scenario: first?.id ?? 0,
					from: first?.from ?? choices.periods[0]?.id ?? 0,
					to: first?.to ?? choices.periods.at(-1)?.id ?? 0,
					settings: {
						dimensions: entity ? [entity.id] : [],
						leaveOut: [],
						owners: choices.namers
							.filter(({ by, dimension }) => by === 'owner' && dimension === entity?.id)
							.map(({ dimension, by }) => ({ dimension, by })),
						reviews: [
							choices.namers
								.filter(({ by, dimension }) => by === 'reviewers' && dimension === entity?.id)
								.map(({ dimension, by }) => ({ dimension, by }))
						],
						named: [],
						due: [],
						remind: 2,
						snapshots: 'never',
						forms: [],
						alsoChecked: [],
						checks: 'bar',
						compared: null,
						instructions: ''
					}
				}
	);
	// svelte-ignore state_referenced_locally
	let version = $state(round?.version ?? 0);
	let id = $derived(round?.id ?? null);
	let preview = $state.raw<{ units: PlannedUnit[]; people: { id: number; name: string }[] } | null>(null);
	let told = $state.raw<{ words: string; isFault: boolean } | null>(null);
	let busy = $state(false);
	const settings = $derived(draft.settings);
	const depths = $derived([...new Set(preview?.units.map(({ depth }) => depth) ?? [])].sort((one, other) => one - other));
	const lacking = $derived(preview?.units.filter(({ owner }) => owner === null) ?? []);
	const unreviewed = $derived(preview?.units.filter(({ reviewers }) => (reviewers[0] ?? []).length === 0) ?? []);
	const nameOf = (person: number) =>
		preview?.people.find((each) => each.id === person)?.name ?? choices.people.find((each) => each.id === person)?.name ?? '';
	const keyOf = ({ dimension, by }: Namer) => JSON.stringify([dimension, by]);

	let asked = 0;
	$effect(() => {
		const body = $state.snapshot(draft);
		const mine = ++asked;
		void request<{ units: PlannedUnit[]; people: { id: number; name: string }[] }>('/api/cycle/preview', body).then((reply) => {
			if (mine !== asked) return;
			if (reply.ok) preview = reply.answer;
			else {
				preview = null;
				told = { words: reply.message, isFault: true };
			}
		});
	});

	async function save(starts: boolean) {
		busy = true;
		const reply = await request<{ id: number; version: number }>('/api/cycle/save', { id, version, ...$state.snapshot(draft) });
		if (!reply.ok) {
			busy = false;
			told = { words: reply.message, isFault: true };
			return;
		}
		version = reply.answer.version;
		if (starts) {
			const started = await request<{ units: number }>('/api/cycle/start', { id: reply.answer.id });
			busy = false;
			if (started.ok) await goto(at(`/cycle/${reply.answer.id}`));
			else {
				told = { words: started.message, isFault: true };
				if (id === null) await goto(at(`/cycle/${reply.answer.id}/define`));
			}
			return;
		}
		busy = false;
		told = { words: 'Saved. It begins when it is started.', isFault: false };
		if (id === null) await goto(at(`/cycle/${reply.answer.id}/define`), { replaceState: true });
	}
	function toggle<Value>(list: Value[], value: Value, same: (one: Value) => boolean): Value[] {
		return list.some(same) ? list.filter((each) => !same(each)) : [...list, value];
	}
	function setDue(depth: number, on: string) {
		const rest = settings.due.filter((each) => each.depth !== depth);
		draft.settings.due = on ? [...rest, { depth, on }].sort((one, other) => one.depth - other.depth) : rest;
	}
	function setOwner(unit: string, owner: string) {
		const rest = settings.named.filter((each) => each.unit !== unit);
		const before = settings.named.find((each) => each.unit === unit);
		draft.settings.named = owner
			? [...rest, { unit, owner: Number(owner), reviewers: before?.reviewers ?? [] }]
			: before && before.reviewers.length > 0
				? [...rest, { ...before, owner: null }]
				: rest;
	}
	function setReviewer(unit: string, reviewer: string) {
		const rest = settings.named.filter((each) => each.unit !== unit);
		const before = settings.named.find((each) => each.unit === unit);
		draft.settings.named = [...rest, { unit, owner: before?.owner ?? null, reviewers: reviewer ? [Number(reviewer)] : [] }];
	}
	const depthName = (depth: number) =>
		preview?.units
			.filter((unit) => unit.depth === depth)
			.slice(0, 3)
			.map(({ name }) => name)
			.join(', ') ?? '';
</script>

<div class="flex flex-wrap items-start justify-between gap-3">
	<h1 class="text-xl font-semibold tracking-tight">{round ? round.name : 'A new round'}</h1>
	<div class="flex gap-2">
		<button class="btn btn-sm" disabled={busy || draft.name.trim() === ''} onclick={() => save(false)}>Save</button>
		<button
			class="btn btn-primary btn-sm"
			disabled={busy || draft.name.trim() === '' || !preview || lacking.length > 0}
			onclick={() => save(true)}>Start it{preview ? ` for ${preview.units.length} units` : ''}</button
		>
	</div>
</div>
{#if told}<p class={['my-1', told.isFault ? 'text-error' : 'text-success']} role={told.isFault ? 'alert' : 'status'}>{told.words}</p>{/if}
<div class="mt-3 grid gap-x-8 gap-y-4 lg:grid-cols-[26rem_1fr]">
	<div class="grid content-start gap-3">
		<label class="field">Name<input class="input input-sm" maxlength="120" bind:value={draft.name} /></label>
		<label class="field"
			>Scenario<select class="select select-sm" bind:value={draft.scenario}
				>{#each choices.scenarios as { id: value, name } (value)}<option {value}>{name}</option>{/each}</select
			></label
		>
		<div class="flex gap-3">
			<label class="field grow"
				>From<select class="select select-sm" bind:value={draft.from}
					>{#each choices.periods as { id: value, name } (value)}<option {value}>{name}</option>{/each}</select
				></label
			>
			<label class="field grow"
				>To<select class="select select-sm" bind:value={draft.to}
					>{#each choices.periods as { id: value, name } (value)}<option {value}>{name}</option>{/each}</select
				></label
			>
		</div>
		<fieldset class="field">
			<legend>Units are members of</legend>
			<div class="flex gap-2">
				<select
					class="select select-sm grow"
					aria-label="First dimension of the units"
					value={settings.dimensions[0]}
					onchange={(event) =>
						(draft.settings.dimensions = [
							Number(event.currentTarget.value),
							...settings.dimensions.slice(1).filter((each) => each !== Number(event.currentTarget.value))
						])}
					>{#each choices.dimensions as { id: value, name } (value)}<option {value}>{name}</option>{/each}</select
				>
				<select
					class="select select-sm grow"
					aria-label="Second dimension of the units"
					value={settings.dimensions[1] ?? ''}
					onchange={(event) =>
						(draft.settings.dimensions = [
							settings.dimensions[0]!,
							...(event.currentTarget.value ? [Number(event.currentTarget.value)] : [])
						])}
					><option value="">that alone</option
					>{#each choices.dimensions.filter(({ id: each }) => each !== settings.dimensions[0]) as { id: value, name } (value)}<option
							{value}>and {name}</option
						>{/each}</select
				>
			</div>
		</fieldset>
		<fieldset class="field">
			<legend>Owner: the first that names somebody</legend>
			<div class="flex flex-wrap gap-x-4">
				{#each choices.namers as namer (keyOf(namer))}<label class="tick"
						><input
							type="checkbox"
							class="checkbox checkbox-xs"
							checked={settings.owners.some((each) => keyOf(each) === keyOf(namer))}
							onchange={() =>
								(draft.settings.owners = toggle(
									settings.owners,
									{ dimension: namer.dimension, by: namer.by },
									(each) => keyOf(each) === keyOf(namer)
								))}
						/>{namer.words}</label
					>{/each}
			</div>
		</fieldset>
		{#each settings.reviews as review, place (place)}
			<fieldset class="field">
				<legend>{settings.reviews.length > 1 ? `Review ${place + 1}` : 'Reviewed by'}</legend>
				<div class="flex flex-wrap items-center gap-x-4">
					{#each choices.namers as namer (keyOf(namer))}<label class="tick"
							><input
								type="checkbox"
								class="checkbox checkbox-xs"
								checked={review.some((each) => keyOf(each) === keyOf(namer))}
								onchange={() =>
									(draft.settings.reviews = settings.reviews.map((each, at) =>
										at === place ? toggle(each, { dimension: namer.dimension, by: namer.by }, (one) => keyOf(one) === keyOf(namer)) : each
									))}
							/>{namer.words}</label
						>{/each}
					{#if place > 0}<button
							class="text-primary text-xs"
							onclick={() => (draft.settings.reviews = settings.reviews.filter((_, at) => at !== place))}>leave it out</button
						>{/if}
				</div>
			</fieldset>
		{/each}
		{#if settings.reviews.length < 4}<button
				class="text-primary justify-self-start text-[13px] font-semibold"
				onclick={() => (draft.settings.reviews = [...settings.reviews, []])}>One more review</button
			>{/if}
		<fieldset class="field">
			<legend>Forms to fill</legend>
			<div class="flex flex-wrap gap-x-4">
				{#each choices.forms as { id: value, name } (value)}<label class="tick"
						><input
							type="checkbox"
							class="checkbox checkbox-xs"
							checked={settings.forms.includes(value)}
							onchange={() => (draft.settings.forms = toggle(settings.forms, value, (each) => each === value))}
						/>{name}</label
					>{/each}
			</div>
		</fieldset>
		<fieldset class="field">
			<legend>Forms whose checks must hold too</legend>
			<div class="flex flex-wrap gap-x-4">
				{#each choices.forms.filter(({ id, checks }) => checks > 0 && !settings.forms.includes(id)) as { id: value, name } (value)}<label
						class="tick"
						><input
							type="checkbox"
							class="checkbox checkbox-xs"
							checked={settings.alsoChecked.includes(value)}
							onchange={() => (draft.settings.alsoChecked = toggle(settings.alsoChecked, value, (each) => each === value))}
						/>{name}</label
					>{:else}<span class="text-soft text-[13px]">No other form has checks.</span>{/each}
			</div>
		</fieldset>
		<label class="field"
			>A check of these forms that does not hold<select class="select select-sm" bind:value={draft.settings.checks}
				><option value="bar">bars the submission</option><option value="warn">warns</option></select
			></label
		>
		<label class="field"
			>As many figures are expected as<select class="select select-sm" bind:value={draft.settings.compared}
				><option value={null}>there are</option>{#each choices.scenarios as { id: value, name } (value)}<option {value}>{name} has</option
					>{/each}</select
			></label
		>
		<label class="field"
			>Reminded so many days before<input
				class="input input-sm w-20"
				type="number"
				min="0"
				max="30"
				bind:value={draft.settings.remind}
			/></label
		>
		<label class="field"
			>A snapshot of the whole is taken<select class="select select-sm" bind:value={draft.settings.snapshots}
				><option value="never">never</option><option value="submitted">when it is submitted</option><option value="approved"
					>when it is approved</option
				><option value="both">when it is submitted, and when it is approved</option></select
			></label
		>
		<label class="field"
			>Instructions<textarea class="textarea textarea-sm" rows="4" maxlength="20000" bind:value={draft.settings.instructions}
			></textarea></label
		>
	</div>
	<section aria-label="Who gets what" class="min-w-0">
		<h2 class="font-semibold">Who gets what</h2>
		{#if preview}
			{#if lacking.length > 0}<p class="text-error text-[13px]">
					{lacking.length} without an owner: name one, or leave {lacking.length === 1 ? 'it' : 'them'} out.
				</p>{/if}
			{#if unreviewed.length > 0}<p class="text-accent text-[13px]">
					{unreviewed.length} without a reviewer: whoever leads the round approves {unreviewed.length === 1 ? 'it' : 'them'}.
				</p>{/if}
			<div class="my-2 flex flex-wrap gap-3">
				{#each depths as depth (depth)}<label class="text-soft grid text-xs"
						>{depthName(depth)}{preview.units.filter((unit) => unit.depth === depth).length > 3 ? '…' : ''} due
						<input
							class="input input-sm w-38"
							type="date"
							value={settings.due.find((each) => each.depth === depth)?.on ?? ''}
							onchange={(event) => setDue(depth, event.currentTarget.value)}
						/></label
					>{/each}
			</div>
			<table class="w-full text-[13px]">
				<thead
					><tr class="border-rule text-soft border-b text-left"
						><th class="py-1 font-normal">Unit</th><th class="font-normal">Owner</th><th class="font-normal">First reviewer</th><th
							class="font-normal">Due</th
						><td></td></tr
					></thead
				>
				<tbody>
					{#each preview.units.slice(0, 400) as { key, depth, name, owner, reviewers, due } (key)}
						<tr class="border-hairline border-b">
							<td class="py-0.5" style:padding-left="{depth * 14}px">{name}</td>
							<td
								><select
									class={['select select-xs w-40', owner === null && 'border-error']}
									aria-label="Owner of {name}"
									value={settings.named.find((each) => each.unit === key)?.owner ?? ''}
									onchange={(event) => setOwner(key, event.currentTarget.value)}
									><option value="">{owner === null ? 'nobody' : nameOf(owner)}</option
									>{#each choices.people as { id: value, name: who } (value)}<option {value}>{who}</option>{/each}</select
								></td
							>
							<td
								><select
									class="select select-xs w-40"
									aria-label="Reviewer of {name}"
									value={settings.named.find((each) => each.unit === key)?.reviewers[0] ?? ''}
									onchange={(event) => setReviewer(key, event.currentTarget.value)}
									><option value="">{reviewers[0]?.map(nameOf).join(', ') || 'nobody'}</option
									>{#each choices.people as { id: value, name: who } (value)}<option {value}>{who}</option>{/each}</select
								></td
							>
							<td class="text-soft">{due ? formatDay(due, locale) : ''}</td>
							<td class="text-right"
								><button
									class="text-primary"
									aria-label="Leave out {name}"
									onclick={() => (draft.settings.leaveOut = [...settings.leaveOut, key])}>leave out</button
								></td
							>
						</tr>
					{/each}
				</tbody>
			</table>
			{#if preview.units.length > 400}<p class="text-soft text-xs">and {preview.units.length - 400} more</p>{/if}
			{#if settings.leaveOut.length > 0}<button
					class="text-primary mt-1 text-[13px] font-semibold"
					onclick={() => (draft.settings.leaveOut = [])}
					>{settings.leaveOut.length} left out: take {settings.leaveOut.length === 1 ? 'it' : 'them'} in again</button
				>{/if}
		{/if}
	</section>
</div>

<style>
	.field {
		display: grid;
		gap: 2px;
		color: var(--soft);
		font-size: 12px;
	}
	.tick {
		display: flex;
		align-items: center;
		gap: 5px;
		color: var(--color-base-content);
		font-size: 13px;
	}
</style>
