<script lang="ts">
	import { at } from '$lib/ui/at';
	import ExampleBox from '$lib/ui/handbook/ExampleBox.svelte';
	import { useShell } from '$lib/ui/shell/shell.svelte';

	let { data } = $props();
	const shell = useShell();
	const chapter = $derived(data.chapter);
	$effect(() => shell.at({ name: 'Handbook', path: '/handbook' }, { name: chapter.title }));
	const parts = $derived([...new Set(data.contents.map(({ part }) => part))]);
	const place = $derived(data.contents.findIndex(({ code }) => code === chapter.code));
	const next = $derived(data.contents[place + 1]);
</script>

<main class="grid min-h-0 grid-cols-[15rem_minmax(0,1fr)] max-md:grid-cols-1 max-md:overflow-auto">
	<nav class="border-hairline overflow-auto border-r px-4.5 py-3.5 text-[13.5px] max-md:border-r-0 max-md:border-b" aria-label="Chapters">
		{#each parts as part (part)}
			<p class="text-grey mt-3 text-xs font-semibold first:mt-0">{part}</p>
			<ul>
				{#each data.contents.filter((each) => each.part === part) as { code, title } (code)}
					<li>
						<a
							class={['block py-0.5 hover:underline', code === chapter.code && 'text-primary font-semibold']}
							aria-current={code === chapter.code ? 'page' : undefined}
							href={at(`/handbook/${code}`)}>{title}</a
						>
						{#if code === chapter.code && chapter.headings.length > 1}
							<ul class="border-rule text-soft mb-1 ml-1 border-l pl-2.5 text-[13px]">
								{#each chapter.headings as { id, text } (id)}<li><a class="block py-0.5 hover:underline" href="#{id}">{text}</a></li>{/each}
							</ul>
						{/if}
					</li>
				{/each}
			</ul>
		{/each}
	</nav>
	{#key chapter.code}
		<!-- A chapter that is longer than the page is read by the keyboard too. -->
		<!-- svelte-ignore a11y_no_noninteractive_tabindex -->
		<article class="overflow-auto px-6 pt-3.5 pb-10" tabindex="0" aria-labelledby="title">
			<p class="text-grey text-xs">For {chapter.part.toLowerCase()}</p>
			<h1 id="title" class="text-xl font-semibold tracking-tight">{chapter.title}</h1>
			{#each chapter.parts as part, index (index)}
				{#if 'example' in part}<ExampleBox example={part.example} locale={data.person.locale} />
				{:else}
					<!-- Written by us, and part of the application. -->
					<!-- eslint-disable-next-line svelte/no-at-html-tags -->
					<div class="text">{@html part.html}</div>{/if}
			{/each}
			{#if next}<p class="border-rule mt-6 max-w-2xl border-t pt-2 text-[13.5px]">
					Next: <a class="text-primary font-semibold" href={at(`/handbook/${next.code}`)}>{next.title}</a>
				</p>{/if}
		</article>
	{/key}
</main>

<style>
	.text {
		max-width: 42rem;
		line-height: 1.55;
	}
	.text :global(p),
	.text :global(ul),
	.text :global(ol),
	.text :global(table) {
		margin: 0 0 10px;
	}
	.text :global(h2) {
		margin: 20px 0 4px;
		font-size: 16px;
		font-weight: 600;
	}
	.text :global(ul) {
		list-style: disc;
		padding-left: 20px;
	}
	.text :global(ol) {
		list-style: decimal;
		padding-left: 22px;
	}
	.text :global(li) {
		margin: 2px 0;
	}
	.text :global(a) {
		color: var(--color-primary);
		text-decoration: underline;
		text-underline-offset: 2px;
	}
	.text :global(strong) {
		font-weight: 600;
	}
	.text :global(code),
	.text :global(kbd) {
		font-family: var(--font-mono, monospace);
		font-size: 0.92em;
	}
	.text :global(kbd) {
		border: 1px solid var(--color-rule, currentcolor);
		border-radius: 3px;
		padding: 0 4px;
	}
	.text :global(pre) {
		margin: 0 0 10px;
		overflow-x: auto;
		border-left: 2px solid var(--mark);
		padding: 4px 10px;
		font-size: 13px;
	}
	.text :global(th),
	.text :global(td) {
		border-bottom: 1px solid var(--mark);
		padding: 3px 14px 3px 0;
		text-align: left;
		vertical-align: top;
		font-size: 13.5px;
	}
	.text :global(th) {
		font-weight: 600;
	}
	.text :global(img) {
		max-width: 100%;
		border: 1px solid var(--mark);
		border-radius: 4px;
	}
</style>
