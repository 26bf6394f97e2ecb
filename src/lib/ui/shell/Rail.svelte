<script lang="ts">
	import { at } from '$lib/ui/at';
	import { page } from '$app/state';
	import Moon from '@lucide/svelte/icons/moon';
	import PanelLeft from '@lucide/svelte/icons/panel-left';
	import SignOut from '@lucide/svelte/icons/log-out';
	import Sun from '@lucide/svelte/icons/sun';
	import { LOCALES } from '$lib/core';
	import { request } from '../request';
	import { AREAS } from './areas';
	import Mark from './Mark.svelte';

	import type { Jobs } from './jobs.svelte';

	interface Props {
		jobs: Jobs;
		/** How many things need attention, by the area's path. */
		attention: Readonly<Record<string, number>>;
		person: { name: string; title: string; locale: string; permissions: string[] };
		model: { code: string; name: string };
		models: { code: string; name: string }[];
		theme: string;
		folded: boolean;
		onfold: () => void;
		ontheme: () => void;
	}
	let { jobs, attention, person, model, models, theme, folded, onfold, ontheme }: Props = $props();

	const areas = $derived(AREAS.filter(({ permission }) => permission === undefined || person.permissions.includes(permission)));
	/** Every page belongs to a model: begin at the desk of the other one. */
	const choose = (code: string) => location.assign(`/m/${encodeURIComponent(code)}/desk`);
	async function chooseStyle(locale: string) {
		// Everything on the page is written in it.
		if ((await request('/api/locale', { locale })).ok) location.reload();
	}
	const styleInWords = (locale: string) =>
		`${new Intl.NumberFormat(locale).format(12_345.6)} · ${new Intl.DateTimeFormat(locale, { timeZone: 'UTC' }).format(new Date(Date.UTC(2028, 0, 31)))} · ${locale.slice(-2)}`;
	const initials = $derived(
		person.name
			.split(' ')
			.map((part) => part[0])
			.join('')
			.slice(0, 2)
	);
</script>

<nav
	aria-label="Areas"
	class={['bg-base-200 border-hairline row-span-full flex flex-col gap-0.5 border-r px-2.5 py-2.5', folded ? 'w-14 items-center' : 'w-52']}
>
	<a
		href={at('/desk')}
		class={['flex items-center gap-2.5 px-1 py-0.5', folded && 'mb-2']}
		aria-label={folded ? 'Noble Lattice, to the desk' : undefined}
	>
		<Mark />
		{#if !folded}<span class="text-[15px] font-[650] tracking-tight">Noble Lattice</span>{/if}
	</a>
	{#if !folded}
		{#if models.length > 1}
			<select class="switcher" aria-label="Model" value={model.code} onchange={(event) => choose(event.currentTarget.value)}>
				{#each models as each (each.code)}<option value={each.code}>{each.name}</option>{/each}
			</select>
		{:else}<span class="text-grey mb-2 px-1 text-xs">{model.name}</span>{/if}
	{/if}
	{#each areas as { path, name, icon: Icon } (path)}
		{@const current = page.url.pathname.startsWith(at(path))}
		<a
			href={at(path)}
			title={folded ? name : undefined}
			aria-label={folded ? (attention[path] ? `${name} ${attention[path]} need attention` : name) : undefined}
			aria-current={current ? 'page' : undefined}
			class={[
				'flex items-center gap-2.5 rounded-md px-2 py-1.5',
				current ? 'bg-raised text-primary border-primary -ml-0.5 border-l-2 font-semibold' : 'text-soft hover:bg-base-300'
			]}
		>
			<Icon size={17} strokeWidth={1.6} aria-hidden="true" />
			{#if !folded}{name}{#if attention[path]}<span class="text-accent ml-auto text-xs font-semibold"
						>{attention[path]}<span class="sr-only">&nbsp;need attention</span></span
					>{/if}{/if}
		</a>
	{/each}
	<div class="mt-auto" aria-live="polite">
		{#each jobs.list.slice(0, 3) as job (job.id)}
			<p
				class={['border-hairline truncate border-t px-1 py-1 text-xs', job.state === 'failed' ? 'text-error' : 'text-grey']}
				title="{job.title}: {job.words}"
			>
				{#if folded}<span class="loading loading-spinner loading-xs"></span><span class="sr-only">{job.title} {job.words}</span>
				{:else}<span class="text-soft block truncate">{job.title}</span>{job.state === 'waiting'
						? 'waiting'
						: job.state === 'running'
							? `${job.words || 'running'}${job.of ? ` ${Math.round((job.done / job.of) * 100)} %` : ''}`
							: job.words}{/if}
			</p>
		{/each}
	</div>
	<div class={['border-hairline flex border-t pt-2', folded ? 'flex-col items-center gap-1' : 'items-center justify-between']}>
		<button
			class="text-soft hover:bg-base-300 rounded-md p-1.5"
			onclick={onfold}
			aria-label={folded ? 'Unfold the rail' : 'Fold the rail'}
			title={folded ? 'Unfold' : 'Fold'}
		>
			<PanelLeft size={16} strokeWidth={1.6} aria-hidden="true" />
		</button>
		<button
			class="text-soft hover:bg-base-300 rounded-md p-1.5"
			onclick={ontheme}
			aria-label={theme === 'paper' ? 'Use the night theme' : 'Use the paper theme'}
			title="Theme"
		>
			{#if theme === 'paper'}<Moon size={16} strokeWidth={1.6} aria-hidden="true" />{:else}<Sun
					size={16}
					strokeWidth={1.6}
					aria-hidden="true"
				/>{/if}
		</button>
		<form method="POST" action="/sign-out">
			<button class="text-soft hover:bg-base-300 rounded-md p-1.5" aria-label="Sign out" title="Sign out"
				><SignOut size={16} strokeWidth={1.6} aria-hidden="true" /></button
			>
		</form>
	</div>
	<div class="flex items-center gap-2.5 px-1 py-1.5">
		<span
			class="bg-secondary text-secondary-content grid size-6 shrink-0 place-items-center rounded-full text-[11px] font-semibold"
			aria-hidden="true">{initials}</span
		>
		{#if !folded}
			<span class="min-w-0 leading-4">
				<a class="block truncate hover:underline" href={at('/account')} title="Your sign-in">{person.name}</a>
				<span class="text-grey block truncate text-xs" title={person.title}>{person.title}</span>
				<select
					class="style"
					aria-label="How numbers and dates are written"
					value={person.locale}
					onchange={(event) => chooseStyle(event.currentTarget.value)}
				>
					{#each LOCALES as locale (locale)}<option value={locale}>{styleInWords(locale)}</option>{/each}
				</select>
			</span>
		{/if}
	</div>
</nav>

<style>
	.style {
		max-width: 160px;
		color: var(--grey);
		background: transparent;
		font-size: 11px;
		cursor: pointer;
	}
	.switcher {
		margin-bottom: 8px;
		padding: 2px 4px;
		border: 1px solid var(--hairline);
		border-radius: 6px;
		background: transparent;
		color: var(--soft);
		font-size: 12.5px;
		cursor: pointer;
	}
	.switcher:hover {
		border-color: var(--mark);
	}
</style>
