<script lang="ts">
	import { goto, invalidateAll } from '$app/navigation';
	import { formatAmount, formatCount, formatMoment } from '$lib/ui/figures/format';
	import { useShell } from '$lib/ui/shell/shell.svelte';
	import Upload from '@lucide/svelte/icons/upload';

	let { data } = $props();
	const shell = useShell();
	$effect.pre(() => shell.at({ name: 'Data in', path: '/data-in' }, { name: data.import.name }));
	const locale = $derived(data.person.locale);
	const mayLoad = $derived(data.person.permissions.includes('data.load'));

	/** The server's own limit; checked here too, because a refused upload of this size ends as a broken connection. */
	const MOST_MEGABYTES = 64;
	let picker = $state<HTMLInputElement>();
	let loading = $state<string | null>(null);
	let fault = $state<string | null>(null);
	let over = $state(false);

	async function load(file: File | undefined) {
		fault = null;
		if (!file) return;
		if (file.size === 0) fault = `${file.name} is empty. Nothing was loaded.`;
		else if (file.size > MOST_MEGABYTES * 1024 * 1024)
			fault = `${file.name} is ${formatCount(file.size / 1024 / 1024, locale)} MB; the limit is ${MOST_MEGABYTES} MB. Split it by month or line and load the parts.`;
		if (fault) return;
		loading = file.name;
		try {
			const response = await fetch(`/api/imports/${data.import.code}/load?name=${encodeURIComponent(file.name)}`, {
				method: 'POST',
				body: file,
				headers: { 'content-type': 'text/csv' }
			});
			const answer = (await response.json()) as { message?: string; batch?: number };
			if (!response.ok) fault = answer.message ?? 'The file could not be loaded.';
			else {
				await goto(`/data-in/${data.import.code}?batch=${answer.batch}`, { noScroll: true });
				await invalidateAll();
			}
		} catch {
			fault = 'The server cannot be reached. Nothing was loaded; try again in a moment.';
		} finally {
			loading = null;
			if (picker) picker.value = '';
		}
	}

	function ondrop(event: DragEvent) {
		event.preventDefault();
		over = false;
		if (mayLoad) void load(event.dataTransfer?.files[0]);
	}
	const DELIMITERS: Record<string, string> = { ';': 'semicolons', ',': 'commas', '\t': 'tabs' };
</script>

<main
	class="grid min-h-0 grid-rows-[auto_minmax(0,1fr)]"
	ondragover={(event) => {
		event.preventDefault();
		over = mayLoad;
	}}
	ondragleave={() => (over = false)}
	{ondrop}
>
	<div class={['border-hairline flex items-start gap-4 border-b px-4.5 py-3.5', over && 'bg-base-200']}>
		<div class="min-w-0">
			<h1 class="text-xl font-semibold tracking-tight">{data.import.name}</h1>
			<p class="text-grey text-[13px]">{data.import.description}</p>
			{#if fault}<p class="text-error mt-1.5" role="alert">{fault}</p>{/if}
		</div>
		{#if mayLoad}
			<div class="ml-auto shrink-0 text-right">
				<input
					bind:this={picker}
					type="file"
					accept=".csv,.txt,text/csv"
					class="sr-only"
					aria-label="File to load"
					onchange={(event) => load(event.currentTarget.files?.[0])}
					tabindex="-1"
				/>
				<button class="btn btn-primary btn-sm" disabled={loading !== null} onclick={() => picker?.click()}>
					<Upload size={15} aria-hidden="true" />
					{loading ? `Loading ${loading}…` : 'Load a file'}
				</button>
				<p class="text-grey mt-1 text-xs">or drop it on this page; up to {MOST_MEGABYTES} MB</p>
			</div>
		{/if}
	</div>

	<div class="grid min-h-0 grid-cols-[minmax(15rem,0.85fr)_minmax(0,1.3fr)] overflow-hidden">
		<section class="border-hairline overflow-auto border-r px-4.5 py-3" aria-labelledby="recipe">
			<h2 id="recipe" class="font-semibold">How rows become figures</h2>
			<p class="text-grey mb-2 text-[13px]">
				{DELIMITERS[data.import.source.delimiter] ?? data.import.source.delimiter} between columns, {data.import.source.encoding.toUpperCase()};
				amounts in the column {data.import.source.amountColumn}
			</p>
			{#each data.import.rules as rule (rule.dimension)}
				<details class="border-hairline border-t py-1.5">
					<summary class={['flex items-baseline gap-2', rule.lines.length > 0 ? 'cursor-pointer' : 'pointer-events-none list-none']}>
						<b class="w-24 shrink-0 font-semibold">{rule.dimension}</b>
						<span class="text-soft grow text-[13px]">{rule.words}</span>
						{#if rule.lines.length > 0}<span class="text-primary text-xs font-semibold whitespace-nowrap"
								>{rule.lines.length} map lines</span
							>{/if}
					</summary>
					{#if rule.lines.length > 0}
						<table class="mt-1 w-full text-[13px]">
							<tbody>
								{#each rule.lines as line, index (index)}
									<tr class="border-hairline border-t">
										<td class="text-grey py-0.5">{line.kind}</td>
										<td class="font-mono text-[12.5px]">{line.terms}</td>
										<td aria-label="becomes" class="text-grey px-1">→</td>
										<td class="font-semibold">{line.member}</td>
										<td class="text-accent text-right text-xs">{line.reverseSign ? 'reverse sign' : ''}</td>
									</tr>
								{/each}
							</tbody>
						</table>
					{/if}
				</details>
			{/each}
		</section>

		<section class="overflow-auto px-4.5 py-3" aria-label="Batches">
			{#if data.batch}
				{@const { batch, reasons, rejects } = data.batch}
				<h2 class="font-semibold">Batch {batch.id}: {batch.fileName}</h2>
				<p class="text-grey text-[13px]">
					{formatMoment(batch.at, locale)} by {batch.person ?? 'the system'} · replaced {batch.extent}{batch.revision
						? ` · revision ${batch.revision}`
						: ' · nothing was written'}
				</p>
				<dl class="my-3 grid max-w-lg grid-cols-3 gap-3">
					<div>
						<dt class="text-grey text-xs">In the file</dt>
						<dd><b class="figure">{formatCount(batch.rowsRead, locale)}</b> rows<br />{formatAmount(batch.amountRead, locale)}</dd>
					</div>
					<div>
						<dt class="text-grey text-xs">Loaded</dt>
						<dd>
							<b class="figure text-success">{formatCount(batch.rowsLoaded, locale)}</b> rows<br />{formatAmount(
								batch.amountLoaded,
								locale
							)}
						</dd>
					</div>
					<div>
						<dt class="text-grey text-xs">Rejected</dt>
						<dd>
							<b class={['figure', batch.rowsRejected > 0 && 'text-error']}>{formatCount(batch.rowsRejected, locale)}</b> rows<br
							/>{formatAmount(batch.amountRejected, locale)}
						</dd>
					</div>
				</dl>
				{#if batch.rowsRejected > 0}
					<h3 class="text-grey mt-3 text-xs font-semibold">Why rows were rejected</h3>
					<table class="w-full text-[13.5px]">
						<tbody>
							{#each reasons as reason (reason.message)}
								<tr class="border-hairline border-b align-baseline">
									<td class="w-16 py-1 font-semibold whitespace-nowrap">{reason.rows} {reason.rows === 1 ? 'row' : 'rows'}</td>
									<td>{reason.message}</td>
									<td class="text-grey text-right text-[13px] whitespace-nowrap"
										>line {reason.lines.join(', ')}{reason.rows > reason.lines.length ? ' …' : ''}</td
									>
								</tr>
							{/each}
						</tbody>
					</table>
					<h3 class="text-grey mt-4 text-xs font-semibold">The rows as they came</h3>
					<div class="overflow-x-auto">
						<table class="w-full font-mono text-[12.5px]">
							<thead class="text-grey text-left"
								><tr
									><th class="pr-3 font-normal">line</th>{#each Object.keys(rejects[0]?.values ?? {}) as heading (heading)}<th
											class="pr-3 font-normal">{heading}</th
										>{/each}</tr
								></thead
							>
							<tbody>
								{#each rejects as reject (reject.line)}
									<tr class="border-hairline border-t" title={reject.message}
										><td class="text-grey pr-3">{reject.line}</td>{#each Object.entries(reject.values) as [heading, value] (heading)}<td
												class="py-0.5 pr-3 whitespace-nowrap">{value}</td
											>{/each}</tr
									>
								{/each}
							</tbody>
						</table>
					</div>
				{/if}
				{#if data.import.batches.length > 1}
					<h3 class="text-grey mt-5 text-xs font-semibold">All batches</h3>
					<ul>
						{#each data.import.batches as line (line.id)}
							<li class="border-hairline border-b">
								<a
									href="/data-in/{data.import.code}?batch={line.id}"
									class="hover:bg-base-200 flex gap-3 py-1"
									aria-current={line.id === batch.id ? 'true' : undefined}
								>
									<span class={['w-8', line.id === batch.id && 'text-primary font-semibold']}>{line.id}</span><span class="grow"
										>{line.fileName}</span
									>
									<span class="text-soft"
										>{formatCount(line.rowsLoaded, locale)} loaded, {formatCount(line.rowsRejected, locale)} rejected</span
									><span class="text-grey">{formatMoment(line.at, locale)}</span>
								</a>
							</li>
						{/each}
					</ul>
				{/if}
			{:else}
				<h2 class="font-semibold">Nothing loaded here yet</h2>
				<p class="text-soft mt-1 max-w-md">
					The demo brings a file for this import: <code class="font-mono text-[13px]">demo/files/{data.import.code}-2026-09.csv</code>. Load
					it, see what is rejected and why, and find September filled in the form Route contribution.
				</p>
			{/if}
		</section>
	</div>
</main>

<style>
	.figure {
		font-size: 20px;
		font-weight: 600;
		letter-spacing: -0.2px;
	}
</style>
