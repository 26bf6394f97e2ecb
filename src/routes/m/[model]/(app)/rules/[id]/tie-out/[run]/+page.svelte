<script lang="ts">
	import { at } from '$lib/ui/at';
	import { formatMoment } from '$lib/ui/figures/format';
	import TieOut from '$lib/ui/rules/allocation/TieOut.svelte';
	import { useShell } from '$lib/ui/shell/shell.svelte';

	let { data } = $props();
	const { locale } = $derived(data.person);
	const shell = useShell();
	$effect(() => shell.at({ name: 'Rules', path: '/rules' }, { name: data.run.name, path: `/rules/${data.runbook}` }, { name: 'Tie-out' }));
	const file = (as: 'xlsx' | 'csv') => at(`/api/runs/${data.run.id}/tie-out?as=${as}`);
</script>

<main class="min-h-0 overflow-auto px-4.5 pt-3.5 pb-6">
	<div class="flex items-start gap-3">
		<div class="grow">
			<h1 class="text-xl font-semibold tracking-tight">Tie-out of “{data.run.name}”</h1>
			<p class="text-soft mb-3">
				Run of {formatMoment(data.run.at, locale)}{data.run.revision === null ? '' : `, revision ${data.run.revision}`}{data.run.state ===
				'taken back'
					? ', taken back since'
					: data.run.outOfDate
						? ', out of date: something beneath it changed since'
						: ''}
			</p>
		</div>
		<a class="btn btn-sm" href={at(`/rules/${data.runbook}/flow`)}>Flow</a>
		<a class="btn btn-sm" href={file('xlsx')} download>XLSX</a>
		<a class="btn btn-sm" href={file('csv')} download>CSV</a>
	</div>
	<TieOut run={data.run.id} log={data.run.log} {locale} />
</main>
