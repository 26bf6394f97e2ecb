<script lang="ts">
	import BookOpen from '@lucide/svelte/icons/book-open';
	import { page } from '$app/state';
	import { chapterOf } from '$lib/ui/handbook/chapter-of';
	import { request } from '$lib/ui/request';
	import type { Found } from '$lib/server/insight';
	import { at, atBranch } from '$lib/ui/at';
	import { goto, onNavigate } from '$app/navigation';
	import Legend from '$lib/ui/grid/Legend.svelte';
	import Finder, { type FinderItem } from '$lib/ui/shell/Finder.svelte';
	import Rail from '$lib/ui/shell/Rail.svelte';
	import PlaceTaken from '$lib/ui/shell/PlaceTaken.svelte';
	import RestateQuestion from '$lib/ui/shell/RestateQuestion.svelte';
	import BranchRibbon from '$lib/ui/branch/BranchRibbon.svelte';
	import TopLine from '$lib/ui/shell/TopLine.svelte';
	import { AREAS } from '$lib/ui/shell/areas';
	import { provideShell, Shell } from '$lib/ui/shell/shell.svelte';
	import { onMount } from 'svelte';

	let { data, children } = $props();
	// svelte-ignore state_referenced_locally
	const shell = provideShell(new Shell(data.person.marks));
	// svelte-ignore state_referenced_locally
	let theme = $state(data.person.theme);
	let folded = $state(false);
	let legend: ReturnType<typeof Legend>;
	/** Set once the page answers to the keyboard; tests and screenshots wait for it. */
	let ready = $state(false);
	onMount(() => {
		ready = true;
		folded = localStorage.getItem('rail') === 'folded' || (localStorage.getItem('rail') === null && innerWidth < 1000);
	});
	onMount(() => (data.person.permissions.includes('data.read') ? shell.jobs.listen() : undefined));
	onNavigate(() => {
		shell.actions = [];
	});

	async function switchTheme() {
		theme = theme === 'paper' ? 'night' : 'paper';
		document.documentElement.dataset.theme = theme;
		await request('/api/theme', { theme });
	}
	function fold() {
		folded = !folded;
		localStorage.setItem('rail', folded ? 'folded' : 'open');
	}

	/** Members, figures, boards, notes: what the page has not at hand. */
	async function look(text: string): Promise<FinderItem[]> {
		if (!data.person.permissions.includes('form.read')) return [];
		const reply = await request<{ found: Found[] }>(`/api/insight/search?text=${encodeURIComponent(text)}`);
		return reply.ok ? reply.answer.found.map(({ kind, name, hint, path }) => ({ kind, name, hint, run: () => void goto(at(path)) })) : [];
	}
	const items = $derived<FinderItem[]>([
		...shell.actions,
		...data.forms.map((form) => ({ kind: 'Form', name: form.name, run: () => void goto(at(`/forms/${form.code}`)) })),
		...data.imports.map((item) => ({ kind: 'Import', name: item.name, run: () => void goto(at(`/data-in/${item.code}`)) })),
		...data.runbooks.map(({ id, name }) => ({ kind: 'Runbook', name, run: () => void goto(at(`/rules/${id}`)) })),
		...data.branches.map(({ id, name }) => ({ kind: 'Branch', name, run: () => void goto(atBranch(id, '/branches/' + id)) })),
		...(data.person.permissions.includes('branch.write')
			? [{ kind: 'Action', name: 'Make a branch of the plan', run: () => void goto(atBranch(null, '/branches?make')) }]
			: []),
		...AREAS.filter(({ permission }) => !permission || data.person.permissions.includes(permission)).map(({ name, path }) => ({
			kind: 'Page',
			name,
			run: () => void goto(at(path))
		})),
		{ kind: 'Action', name: theme === 'paper' ? 'Use the night theme' : 'Use the paper theme', run: () => void switchTheme() },
		{ kind: 'Action', name: folded ? 'Unfold the rail' : 'Fold the rail', run: fold },
		{ kind: 'Page', name: 'Handbook', run: () => void goto(at('/handbook')) },
		{ kind: 'Action', name: 'Legend and keys', hint: 'F1', run: () => legend.open() }
	]);
</script>

<svelte:head
	><title
		>{[...shell.trail]
			.reverse()
			.map(({ name }) => name)
			.concat('Noble Lattice')
			.join(' · ')}</title
	></svelte:head
>

<div
	class="bg-base-100 text-base-content grid h-screen grid-cols-[auto_minmax(0,1fr)] grid-rows-[auto_minmax(0,1fr)] overflow-hidden"
	data-ready={ready || undefined}
	data-person={data.person.id}
	data-marks={shell.marks.set}
>
	<Rail
		jobs={shell.jobs}
		attention={{
			'/cycle': data.work.fill.filter(({ days }) => days !== null && days < 0).length + data.work.review.length + data.work.returned.length,
			'/data-in': data.imports.filter(({ attention }) => attention).length,
			'/rules': data.runbooks.filter(({ last }) => last?.state === 'failed').length
		}}
		person={data.person}
		model={data.model}
		models={data.models}
		{theme}
		{folded}
		onfold={fold}
		ontheme={switchTheme}
	/>
	<div class="flex min-w-0 flex-col">
		{#if data.person.acting}<PlaceTaken person={data.person.name} acting={data.person.acting} />{/if}
		{#if data.branch}<BranchRibbon branch={data.branch} locale={data.person.locale} />{/if}
		<TopLine trail={shell.trail}
			><Finder {items} {look} /><a
				class="btn btn-ghost btn-sm btn-square"
				href={at(`/handbook/${chapterOf(page.route.id)}`)}
				aria-label="Handbook, about this page"
				title="Handbook, about this page"><BookOpen size={15} aria-hidden="true" /></a
			><Legend bind:this={legend} /></TopLine
		>
	</div>
	{@render children()}
</div>
<RestateQuestion locale={data.person.locale} />
