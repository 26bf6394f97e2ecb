<script lang="ts">
	import { request } from '../request';
	import ScriptText from '../rules/ScriptText.svelte';
	import type { Vocabulary } from '$lib/server/engine';
	import type { AccountFormulas, FormulaDraft } from '$lib/server/structure';

	interface Props {
		account: number;
		mayWrite: boolean;
		/** Shows another account. */
		onpick: (account: number) => void;
	}
	let { account, mayWrite, onpick }: Props = $props();

	let stored = $state.raw<AccountFormulas | null>(null);
	let drafts = $state.raw<FormulaDraft[]>([]);
	let fault = $state.raw<string | null>(null);
	let busy = $state(false);
	let shownAs = $state<'text' | 'cards'>('text');

	const isChanged = $derived(stored !== null && JSON.stringify(stored.formulas) !== JSON.stringify(drafts));

	function take(read: AccountFormulas) {
		stored = read;
		drafts = read.formulas;
		fault = null;
	}
	// The names are asked for once somebody may write with them.
	let names = $state.raw<Vocabulary | null>(null);
	$effect(() => {
		if (mayWrite && names === null && drafts.length > 0)
			void request<Vocabulary>('/api/structure/formula/names').then((reply) => {
				if (reply.ok) names = reply.answer;
			});
	});
	$effect(() => {
		let current = true;
		stored = null;
		void request<AccountFormulas>(`/api/structure/formula?account=${account}`).then((reply) => {
			if (current && reply.ok) take(reply.answer);
		});
		return () => (current = false);
	});

	const set = (at: number, next: Partial<FormulaDraft>) =>
		(drafts = drafts.map((draft, place) => (place === at ? { ...draft, ...next } : draft)));
	/** A new one stands where figures are planned: in the scenarios open for that, from the first month that is. */
	function add() {
		const planned = (stored?.scenarios ?? []).filter(({ opens }) => opens !== null);
		const opening = new Set(planned.map(({ opens }) => opens));
		const from = stored?.periods.find(({ id }) => opening.has(id))?.id ?? null;
		drafts = [
			...drafts,
			{
				text: '',
				timing: 'per leaf',
				scenarios: planned.length > 0 ? planned.map(({ id }) => id) : null,
				from,
				to: null,
				mayBeTyped: false
			}
		];
	}

	/** Why the formulas as they are written could not be kept, though each can be read; asked after a pause. */
	let refused = $state<string | null>(null);
	$effect(() => {
		const formulas = drafts.filter(({ text }) => text.trim() !== '');
		refused = null;
		if (!isChanged || formulas.length === 0 || !mayWrite) return;
		let current = true;
		const timer = setTimeout(async () => {
			const reply = await request<{ refused: string | null }>('/api/structure/formula/check', {
				text: formulas[0]!.text,
				keep: { account, formulas }
			});
			if (current && reply.ok) refused = reply.answer.refused;
		}, 600);
		return () => {
			current = false;
			clearTimeout(timer);
		};
	});
	function setWithin(at: number, within: string) {
		const { within: _, ...rest } = drafts[at]!;
		drafts = drafts.with(at, within === '' ? rest : { ...rest, within: within as NonNullable<FormulaDraft['within']> });
	}
	async function store() {
		if (!stored) return;
		busy = true;
		const reply = await request<AccountFormulas>('/api/structure/formula', {
			account,
			formulas: drafts.filter(({ text }) => text.trim() !== ''),
			was: stored.formulas
		});
		busy = false;
		if (reply.ok) take(reply.answer);
		else fault = reply.message;
	}
	const TIMINGS = { 'per leaf': 'at each leaf cell, then added up', 'after totals': 'from totals' } as const;
	const nameOf = (list: readonly { id: number; name: string }[], id: number | null) => list.find((each) => each.id === id)?.name ?? '';
	/** Where a formula stands, in words. */
	const WITHIN = {
		'first period of the year': 'first period of every year',
		'later periods of the year': 'all but the first period of every year'
	} as const;
	function scopeInWords({ timing, scenarios, from, to, within }: FormulaDraft): string {
		if (!stored || timing === 'after totals') return '';
		const where = scenarios === null ? 'all scenarios' : scenarios.map((id) => nameOf(stored!.scenarios, id)).join(', ') || 'no scenario';
		const when = `${from === null ? '' : ` from ${nameOf(stored.periods, from)}`}${to === null ? '' : ` to ${nameOf(stored.periods, to)}`}`;
		return `In ${where}${when}${within ? `, ${WITHIN[within]}` : ''}`;
	}
</script>

{#snippet neighbours(words: string, list: readonly { id: number; name: string }[])}
	{#if list.length > 0}
		<p class="mt-1">
			<span class="text-grey">{words}</span>
			{#each list as each, at (each.id)}{at > 0 ? ', ' : ' '}<button class="underline" onclick={() => onpick(each.id)}>{each.name}</button
				>{/each}
		</p>
	{/if}
{/snippet}

<section aria-label="Live formulas">
	{#if stored}
		{#each drafts as draft, at (at)}
			<div class="border-hairline mb-2 border-b pb-2">
				{#if mayWrite}
					{#if names}
						<div
							onkeydowncapture={(event) => {
								if (event.key !== 'Enter' || !(event.ctrlKey || event.metaKey)) return;
								event.preventDefault();
								event.stopPropagation();
								void store();
							}}
						>
							<div class="mb-1 flex text-[13px]" role="radiogroup" aria-label="Shown as">
								{#each [['text', 'Text'], ['cards', 'Cards']] as const as [form, words] (form)}
									<button
										role="radio"
										aria-checked={shownAs === form}
										class={['border-b-2 px-2 pb-0.5', shownAs === form ? 'border-primary font-semibold' : 'text-soft border-transparent']}
										onclick={() => (shownAs = form)}>{words}</button
									>
								{/each}
							</div>
							<ScriptText
								{shownAs}
								text={draft.text}
								label={drafts.length > 1 ? `Live formula ${at + 1}` : 'Live formula'}
								parameters={[]}
								limits={{}}
								vocabulary={names}
								readonly={false}
								formula
								refused={refused !== null}
								onchange={(text) => set(at, { text })}
							/>
						</div>
					{/if}
					<select
						class="select select-xs mt-1.5 w-full"
						aria-label="Computed {drafts.length > 1 ? at + 1 : ''}"
						value={draft.timing}
						onchange={(event) => set(at, { timing: event.currentTarget.value as FormulaDraft['timing'] })}
						>{#each Object.entries(TIMINGS) as [timing, words] (timing)}<option value={timing}>{words}</option>{/each}</select
					>
					{#if draft.timing === 'per leaf'}
						<details class="mt-1">
							<summary class="cursor-pointer">{scopeInWords(draft)}</summary>
							<fieldset class="mt-1 max-h-32 overflow-y-auto">
								<legend class="sr-only">Scenarios in which it stands</legend>
								{#each stored.scenarios as { id, name } (id)}
									<label class="flex items-center gap-1.5"
										><input
											type="checkbox"
											class="checkbox checkbox-xs"
											checked={draft.scenarios === null || draft.scenarios.includes(id)}
											onchange={(event) => {
												const all = stored!.scenarios.map((each) => each.id);
												const chosen = (draft.scenarios ?? all).filter((each) => each !== id);
												const next = event.currentTarget.checked ? [...chosen, id] : chosen;
												set(at, { scenarios: next.length === all.length ? null : all.filter((each) => next.includes(each)) });
											}}
										/>
										{name}</label
									>
								{/each}
							</fieldset>
							<div class="mt-1 grid grid-cols-2 gap-1.5">
								{#each [['from', 'From'], ['to', 'To']] as const as [end, words] (end)}
									<label class="text-grey text-xs"
										>{words}<select
											class="select select-xs text-base-content w-full"
											value={String(draft[end] ?? '')}
											onchange={(event) => set(at, { [end]: event.currentTarget.value === '' ? null : Number(event.currentTarget.value) })}
											><option value="">{end === 'from' ? 'the beginning' : 'the end'}</option
											>{#each stored.periods as { id, name } (id)}<option value={String(id)}>{name}</option>{/each}</select
										></label
									>
								{/each}
								<label class="text-grey col-span-2 text-xs"
									>Of each year<select
										class="select select-xs text-base-content w-full"
										value={draft.within ?? ''}
										onchange={(event) => setWithin(at, event.currentTarget.value)}
										><option value="">all periods</option>{#each Object.entries(WITHIN) as [within, words] (within)}<option value={within}
												>{words}</option
											>{/each}</select
									></label
								>
							</div>
						</details>
					{/if}
					{#if draft.timing === 'per leaf'}
						<label class="mt-1 flex items-start gap-1.5"
							><input
								type="checkbox"
								class="checkbox checkbox-xs mt-0.5"
								checked={draft.mayBeTyped}
								onchange={(event) => set(at, { mayBeTyped: event.currentTarget.checked })}
							/> may be typed over: a figure then stands above the result</label
						>
					{/if}
					<button class="text-grey text-xs underline" onclick={() => (drafts = drafts.toSpliced(at, 1))}>Delete this formula</button>
				{:else}
					<p class="font-mono text-xs whitespace-pre-wrap">{draft.text}</p>
					<p class="text-grey text-xs">{TIMINGS[draft.timing]}. {scopeInWords(draft)}{draft.mayBeTyped ? '. It may be typed over.' : ''}</p>
				{/if}
			</div>
		{:else}
			<p class="text-grey">None: it is typed, loaded, or computed by runbooks.</p>
		{/each}
		{#if fault ?? refused}<p class="text-error" role="alert">{fault ?? `This could not be kept. ${refused}`}</p>{/if}
		{#if mayWrite}
			<div class="flex gap-1.5">
				{#if isChanged}
					<button class="btn btn-xs btn-primary" disabled={busy} onclick={store}>Keep the formula</button>
					<button
						class="btn btn-xs"
						onclick={() => {
							drafts = stored!.formulas;
							fault = null;
						}}>Discard</button
					>
				{/if}
				{#if !drafts.some(({ timing }) => timing === 'after totals')}<button class="btn btn-xs" onclick={add}
						>{drafts.length === 0 ? 'Compute it' : 'Another, elsewhere'}</button
					>{/if}
			</div>
		{/if}
		{@render neighbours('Fed by', stored.feeds)}
		{@render neighbours('Feeds', stored.fed)}
		{#if stored.runbooks.length > 0}
			<p class="mt-1">
				<span class="text-grey">In runbooks</span>
				{#each stored.runbooks as { name, path }, place (path)}{place > 0 ? ', ' : ' '}<a class="underline" href={path}>{name}</a>{/each}
			</p>
		{/if}
	{/if}
</section>
