<script lang="ts">
	import type { SubstituteLine, SubstituteState } from '$lib/server/access';
	import { formatDay } from '../figures/format';
	import type { SetOwn } from './set';

	interface Props {
		person: number;
		substitutes: readonly SubstituteLine[];
		colleagues: readonly { id: number; name: string }[];
		standsInFor: readonly { id: number; name: string; until: string }[];
		locale: string;
		set: SetOwn;
	}
	let { person, substitutes, colleagues, standsInFor, locale, set }: Props = $props();
	const today = new Date().toISOString().slice(0, 10);
	let who = $state('');
	let from = $state(today);
	let until = $state('');

	async function name(event: SubmitEvent) {
		event.preventDefault();
		const after: SubstituteState = { person, substitute: Number(who), from, until };
		const named = colleagues.find(({ id }) => id === after.substitute)?.name ?? '';
		if (await set('substitute', { id: null, before: null, after }, `${named} may work in your place on these days.`)) who = until = '';
	}
	const end = ({ id, state, name: named }: SubstituteLine) =>
		set('substitute', { id, before: state, after: null }, `${named} does not stand in for you any more.`);
	async function standIn(id: number) {
		if (await set('stand-in', { id }, '')) location.assign('/');
	}
</script>

<section class="grid content-start gap-2" aria-labelledby="away">
	<h2 id="away" class="font-semibold">While you are away</h2>
	{#each standsInFor as { id, name: named, until: last } (id)}
		<p class="bg-base-200 border-hairline flex items-baseline gap-3 rounded-md border px-3 py-1.5">
			<span class="grow">{named} named you, until {formatDay(last, locale)}.</span>
			<button class="text-primary text-[13px] font-semibold" onclick={() => standIn(id)}>Work in their place</button>
		</p>
	{/each}
	<p class="text-soft text-[13px]">
		Somebody you name can work in your place on these days, with your rights and your draft; what they do is kept under both names. They
		give no access.
	</p>
	{#if substitutes.length > 0}
		<ul class="border-hairline border-t" aria-label="Substitutes">
			{#each substitutes as line (line.id)}
				<li class="border-hairline flex items-baseline gap-3 border-b py-1">
					<span class="grow"
						>{line.name}<span class="text-soft">, {formatDay(line.state.from, locale)} to {formatDay(line.state.until, locale)}</span></span
					>
					<button class="text-primary text-[13px] font-semibold" onclick={() => end(line)}>End it</button>
				</li>
			{/each}
		</ul>
	{/if}
	<form class="flex flex-wrap items-end gap-2" onsubmit={name} aria-label="Name a substitute">
		<label class="text-grey flex flex-col text-xs"
			>Who<select class="select select-sm text-base-content w-44" bind:value={who} required
				><option value="">choose…</option>{#each colleagues as { id, name: named } (id)}<option value={String(id)}>{named}</option
					>{/each}</select
			></label
		>
		<label class="text-grey text-xs"
			>from<input class="input input-sm text-base-content block w-36" type="date" bind:value={from} min={today} required /></label
		>
		<label class="text-grey text-xs"
			>to<input class="input input-sm text-base-content block w-36" type="date" bind:value={until} min={from} required /></label
		>
		<button class="btn btn-sm">Name them</button>
	</form>
</section>
