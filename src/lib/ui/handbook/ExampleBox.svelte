<script lang="ts">
	import type { Example } from '$lib/server/handbook';

	let { example, locale }: { example: Example; locale: string } = $props();
	// svelte-ignore state_referenced_locally
	let inputs = $state(example.inputs.map((input) => ({ ...input })));
	// svelte-ignore state_referenced_locally
	let formula = $state(example.formula);
	/** Comes when it is wanted: the language is more than a page of text needs. */
	let work = $state.raw<typeof import('./example').worked>();
	const isChanged = $derived(formula !== example.formula || inputs.some(({ value }, at) => value !== example.inputs[at]?.value));
	const said = $derived(work ? work({ inputs, formula }, locale) : { result: example.result });
	const id = $props.id();

	$effect(() => {
		void import('./example').then(({ worked }) => (work = worked));
	});
	function begin() {
		inputs = example.inputs.map((input) => ({ ...input }));
		formula = example.formula;
	}
</script>

<div class="border-rule my-3 max-w-2xl rounded-md border px-3 py-2.5 text-[13.5px]" role="group" aria-label="An example to try">
	{#if inputs.length > 0}
		<div class="flex flex-wrap gap-x-4 gap-y-1">
			{#each inputs as input, at (at)}
				<label class="text-soft grid text-xs"
					>{input.name}<input class="input input-sm w-28 text-right tabular-nums" placeholder="empty" bind:value={input.value} /></label
				>
			{/each}
		</div>
	{/if}
	<label class="text-soft mt-1.5 grid text-xs" for={id}>Formula</label>
	<textarea
		{id}
		class="textarea textarea-sm min-h-0! w-full font-mono text-[13px]"
		rows={formula.split('\n').length}
		spellcheck="false"
		bind:value={formula}></textarea>
	<p class="mt-1.5 flex items-baseline gap-3" aria-live="polite">
		{#if 'fault' in said}<span class="text-error">{said.fault}</span>
		{:else}<span class="text-soft">comes to</span><b class="text-base font-semibold tabular-nums"
				>{said.result === '' ? 'nothing' : said.result}</b
			>{/if}
		{#if isChanged}<button class="text-primary ml-auto text-[13px] font-semibold" onclick={begin}>As it was</button>{/if}
	</p>
</div>
