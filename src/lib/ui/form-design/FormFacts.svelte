<script lang="ts">
	import type { FormCheck, FormLayout } from '$lib/core';
	import MemberPick from '../data-in/MemberPick.svelte';
	import Markdown from '../Markdown.svelte';
	import type { DesignDesk } from './design-desk.svelte';

	let { desk }: { desk: DesignDesk } = $props();
	const design = $derived(desk.design);
	const layout = $derived(desk.layout);
	let faults = $state<Record<string, string>>({});
	let showsInstructions = $state(false);
	const id = $props.id();

	const set = (change: Partial<FormLayout>) =>
		desk.arrange(
			(before) =>
				Object.fromEntries(Object.entries({ ...before, ...change }).filter(([, value]) => value !== undefined)) as unknown as FormLayout
		);
	const toggleCurrency = (code: string, on: boolean) =>
		set({ currencies: on ? [...layout.currencies, code] : layout.currencies.filter((each) => each !== code) });
	const checks = $derived(layout.checks ?? []);
	const setCheck = (index: number, change: Partial<FormCheck>) =>
		set({ checks: checks.map((check, at) => (at === index ? { ...check, ...change } : check)) });
	async function setSide(index: number, side: 'left' | 'right', text: string) {
		const place = `check ${index} ${side}`;
		const read = await desk.readExpression(place, text);
		faults = { ...faults, [place]: typeof read === 'string' ? read : '' };
		if (typeof read !== 'string') setCheck(index, { [side]: read });
	}
	function addCheck() {
		const accounts = desk.desk.dimensions.find(({ kind }) => kind === 'account')!;
		const first = { kind: 'account' as const, member: desk.desk.tops[accounts.id] ?? 0 };
		const name = desk.names.get(first.member) ?? '';
		desk.texts = { ...desk.texts, [`check ${checks.length} left`]: `"${name}"`, [`check ${checks.length} right`]: `"${name}"` };
		set({ checks: [...checks, { label: 'Check', left: first, compare: '=', right: first, bars: false }] });
	}
	const general = $derived(desk.desk.dimensions.filter(({ kind }) => kind === 'general' || kind === 'account'));
</script>

<h2 class="text-grey text-xs font-semibold">The form</h2>
<div class="mt-1 grid gap-2">
	<label
		><span>Name</span><input
			class="input input-sm w-full"
			value={design.name}
			oninput={(event) => desk.change({ name: event.currentTarget.value }, 'name')}
		/></label
	>
	<label
		><span>Folder</span><input
			class="input input-sm w-full"
			list="{id}-folders"
			value={design.folder}
			oninput={(event) => desk.change({ folder: event.currentTarget.value }, 'folder')}
		/></label
	>
	<datalist id="{id}-folders"
		>{#each desk.desk.folders as folder (folder)}<option value={folder}></option>{/each}</datalist
	>
	<label
		><span>Description</span><input
			class="input input-sm w-full"
			value={design.description}
			oninput={(event) => desk.change({ description: event.currentTarget.value }, 'description')}
		/></label
	>
	<label
		><span>Instructions, in Markdown</span><textarea
			class="textarea textarea-sm w-full"
			rows="3"
			value={design.instructions}
			oninput={(event) => desk.change({ instructions: event.currentTarget.value }, 'instructions')}></textarea></label
	>
	{#if design.instructions}
		<button class="justify-self-start text-xs underline" onclick={() => (showsInstructions = !showsInstructions)}
			>{showsInstructions ? 'Hide how they look' : 'See how they look'}</button
		>
		{#if showsInstructions}<div class="border-rule border-l-2 pl-2"><Markdown text={design.instructions} /></div>{/if}
	{/if}
</div>

<h3>Who sees it</h3>
<p class="text-grey text-xs">{design.roles.length === 0 ? 'Everybody who may open forms.' : 'Only these roles, and who designs forms.'}</p>
<div class="mt-1 flex flex-wrap gap-x-3 gap-y-1">
	{#each desk.desk.roles as role (role.id)}
		<label class="flex items-center gap-1.5"
			><input
				type="checkbox"
				class="checkbox checkbox-xs"
				checked={design.roles.includes(role.id)}
				onchange={(event) =>
					desk.change({
						roles: event.currentTarget.checked ? [...design.roles, role.id] : design.roles.filter((each) => each !== role.id)
					})}
			/>
			{role.name}</label
		>
	{/each}
</div>

<h3>Figures</h3>
<div class="flex flex-wrap gap-x-3 gap-y-1">
	{#each [...desk.desk.currencies, 'local'] as code (code)}
		<label class="flex items-center gap-1.5"
			><input
				type="checkbox"
				class="checkbox checkbox-xs"
				checked={layout.currencies.includes(code)}
				disabled={layout.currencies.length === 1 && layout.currencies.includes(code)}
				onchange={(event) => toggleCurrency(code, event.currentTarget.checked)}
			/>
			{code === 'local' ? 'local currency' : code}</label
		>
	{/each}
</div>
<div class="mt-2 grid grid-cols-2 gap-2">
	<label
		><span>Shown in</span><select
			class="select select-sm w-full"
			value={layout.scale ?? 1}
			onchange={(event) => {
				const scale = Number(event.currentTarget.value) as 1 | 1_000 | 1_000_000;
				set({ scale: scale === 1 ? undefined : scale });
			}}><option value={1}>Units</option><option value={1000}>Thousands</option><option value={1000000}>Millions</option></select
		></label
	>
	<label
		><span>Spreads</span><select
			class="select select-sm w-full"
			value={layout.spread ?? 'in proportion'}
			onchange={(event) => set({ spread: event.currentTarget.value as FormLayout['spread'] })}
			><option value="in proportion">in proportion</option><option value="evenly">evenly</option><option value="same value"
				>the same value</option
			></select
		></label
	>
</div>
<div class="mt-2 grid gap-1">
	{#each [['hideEmptyRows', 'Hide empty rows at first'], ['hideEmptyColumns', 'Hide empty columns at first'], ['methods', 'Rows may be filled by a method'], ['methodsLive', 'and are filled again when what their method reads moves']] as const as [field, words] (field)}
		<label class="flex items-center gap-2"
			><input
				type="checkbox"
				class="checkbox checkbox-xs"
				checked={layout[field] ?? false}
				onchange={(event) => set({ [field]: event.currentTarget.checked ? true : undefined })}
			/>
			{words}</label
		>
	{/each}
</div>

{#if desk.desk.runbooks.length > 0}
	<h3>Runbooks</h3>
	{#each layout.runs ?? [] as run, at (at)}
		{@const setRun = (change: Partial<typeof run>) =>
			set({ runs: (layout.runs ?? []).map((each, index) => (index === at ? { ...each, ...change } : each)) })}
		<div class="mt-1 grid grid-cols-[1fr_auto] gap-1">
			<select
				class="select select-xs w-full"
				aria-label="Runbook {at + 1}"
				value={run.runbook}
				onchange={(event) => setRun({ runbook: Number(event.currentTarget.value) })}
				>{#each desk.desk.runbooks as { id: runbook, name } (runbook)}<option value={runbook}>{name}</option>{/each}</select
			>
			<button
				class="text-grey px-1"
				aria-label="Take runbook {at + 1} off the form"
				onclick={() => set({ runs: (layout.runs ?? []).length > 1 ? layout.runs!.toSpliced(at, 1) : undefined })}>×</button
			>
			<input
				class="input input-xs w-full"
				aria-label="Words on the button of runbook {at + 1}"
				placeholder="Words on the button"
				maxlength="80"
				value={run.label}
				oninput={(event) => setRun({ label: event.currentTarget.value })}
			/>
			<select
				class="select select-xs w-32"
				aria-label="When runbook {at + 1} runs"
				value={run.when}
				onchange={(event) => setRun({ when: event.currentTarget.value as typeof run.when })}
				><option value="button">by a button</option><option>before opening</option><option>after saving</option></select
			>
		</div>
	{/each}
	<button
		class="btn btn-xs mt-1"
		onclick={() => set({ runs: [...(layout.runs ?? []), { runbook: desk.desk.runbooks[0]!.id, label: '', when: 'button' }] })}
		>Run a runbook from this form</button
	>
{/if}

<h3>Lines of one’s own</h3>
<label
	><span>Planners may add members in</span><select
		class="select select-sm w-full"
		value={layout.ownLines?.dimension ?? ''}
		onchange={(event) => {
			const dimension = Number(event.currentTarget.value);
			set({ ownLines: dimension ? { dimension, parent: desk.desk.tops[dimension] ?? 0 } : undefined });
		}}
		><option value="">nothing</option>{#each general as { id: dimension, name } (dimension)}<option value={dimension}>{name}</option
			>{/each}</select
	></label
>
{#if layout.ownLines}
	{@const own = layout.ownLines}
	<p class="text-grey mt-2 text-xs">Under</p>
	<MemberPick
		dimension={own.dimension}
		label="The member that own lines stand under"
		of="all"
		chosen={typeof own.parent === 'number' ? (desk.names.get(own.parent) ?? '') : 'the one chosen'}
		onpick={(member) => {
			desk.know([member]);
			set({ ownLines: { ...own, parent: member.id } });
		}}
	/>
{/if}

<h3>Checks that must hold</h3>
{#each checks as check, index (index)}
	<div class="border-rule mb-2 border-l-2 pl-2">
		<div class="flex gap-1">
			<input
				class="input input-xs grow"
				aria-label="Name of the check"
				value={check.label}
				oninput={(event) => setCheck(index, { label: event.currentTarget.value })}
			/>
			<button
				class="text-grey"
				aria-label="Remove {check.label}"
				onclick={() => set({ checks: checks.length > 1 ? checks.filter((_, at) => at !== index) : undefined })}>×</button
			>
		</div>
		<input
			class="input input-xs mt-1 w-full font-mono"
			aria-label="Left side"
			value={desk.texts[`check ${index} left`] ?? ''}
			oninput={(event) => setSide(index, 'left', event.currentTarget.value)}
		/>
		<div class="mt-1 flex gap-1">
			<select
				class="select select-xs w-14"
				aria-label="Must be"
				value={check.compare}
				onchange={(event) => setCheck(index, { compare: event.currentTarget.value as FormCheck['compare'] })}
				><option>=</option><option>&lt;=</option><option>&gt;=</option></select
			>
			<input
				class="input input-xs grow font-mono"
				aria-label="Right side"
				value={desk.texts[`check ${index} right`] ?? ''}
				oninput={(event) => setSide(index, 'right', event.currentTarget.value)}
			/>
		</div>
		{#each ['left', 'right'] as side (side)}
			{#if faults[`check ${index} ${side}`]}<p class="text-error text-xs" role="alert">{faults[`check ${index} ${side}`]}</p>{/if}
		{/each}
		<label class="mt-1 flex items-center gap-2 text-xs"
			><input
				type="checkbox"
				class="checkbox checkbox-xs"
				checked={check.bars}
				onchange={(event) => setCheck(index, { bars: event.currentTarget.checked })}
			/> Bars submission while it fails</label
		>
	</div>
{/each}
<button class="btn btn-xs" onclick={addCheck}>Add a check</button>

<style>
	h3 {
		margin: 16px 0 4px;
		font-size: 12px;
		font-weight: 600;
		color: var(--grey);
	}
	label > span {
		display: block;
		font-size: 12px;
		color: var(--grey);
	}
</style>
