<script lang="ts">
	import type { AllocationLine, Basis } from '$lib/core';
	import type { StepDraft } from '$lib/server/runbook';
	import NumberField from '../../figures/NumberField.svelte';
	import MemberSelect from '../MemberSelect.svelte';
	import type { RunbookDesk } from '../runbook-desk.svelte';
	import SliceFields from '../SliceFields.svelte';
	import AllocationLook from './AllocationLook.svelte';
	import DriverFields from './DriverFields.svelte';
	import FromPreset from './FromPreset.svelte';
	import PresetFields from './PresetFields.svelte';
	import SharesTable from './SharesTable.svelte';

	type Allocation = StepDraft & { kind: 'allocation' };
	let { desk, step }: { desk: RunbookDesk; step: Allocation } = $props();

	const dimensions = $derived(desk.vocabulary.dimensions);
	const accounts = $derived(dimensions.find(({ kind }) => kind === 'account'));
	const receiving = $derived(dimensions.filter(({ kind }) => kind !== 'period' && kind !== 'scenario').map(({ id }) => id));
	const numbers = $derived(desk.draft.parameters.filter(({ kind }) => kind === 'number' || kind === 'percent').map(({ name }) => name));
	const lines = $derived(step.lines as readonly AllocationLine[]);

	const BASES: Record<Basis['by'], string> = {
		even: 'evenly',
		fixed: 'by fixed shares',
		driver: 'by a driver',
		standard: 'quantities at a standard price'
	};
	const setLine = (at: number, next: { [Key in keyof AllocationLine]?: AllocationLine[Key] | undefined }) => {
		const changed = { lines: lines.map((line, place) => (place === at ? { ...line, ...next } : line)) };
		if ('basis' in next) desk.presets.changeSetting('basis', changed);
		else desk.changeStep(changed);
	};
	function setBy(at: number, by: Basis['by']) {
		const known = lines[at]!.basis;
		const drivers = 'drivers' in known ? known.drivers : [{ account: null, at: {} }];
		const basis: Basis =
			by === 'even' ? { by } : by === 'fixed' ? { by, shares: [] } : by === 'driver' ? { by, drivers } : { by, drivers, rate: 1 };
		setLine(at, { basis });
	}
	function add() {
		const names = new Set(lines.map(({ name }) => name));
		let number = lines.length + 1;
		while (names.has(`Line ${number}`)) number++;
		const last = lines.at(-1);
		desk.changeStep({
			lines: [...lines, { name: `Line ${number}`, pool: last?.pool ?? {}, receivers: {}, basis: { by: 'even' }, share: 100 }]
		});
	}
	const KEPT = [
		['unitCost', 'Cost of a unit, into'],
		['used', 'Units used, into'],
		['unused', 'Units not used, into']
	] as const;
	function keepsOf({ keeps }: AllocationLine, what: (typeof KEPT)[number][0], account: unknown): AllocationLine['keeps'] | undefined {
		const { [what]: _, ...rest } = keeps ?? {};
		const next = typeof account === 'number' ? { ...rest, [what]: account } : rest;
		return Object.keys(next).length > 0 ? next : undefined;
	}
	const idsOf = (line: AllocationLine) => Object.keys(line.receivers).map(Number);
	/** A number, or the name of what is asked. */
	const otherwise = (of: number | { parameter: string }, take: (parameter: { parameter: string }) => void) => ({
		shown: typeof of === 'number' ? '' : `$${of.parameter}`,
		read: (text: string) => {
			if (text.startsWith('$')) take({ parameter: text.slice(1) });
			return text.startsWith('$');
		}
	});
	const orParameter = $derived(numbers.length > 0 ? `A number, or ${numbers.map((name) => `$${name}`).join(', ')}` : 'A number');
	const contra = $derived(typeof step.contra === 'object' ? 'account' : step.contra);
</script>

<PresetFields {desk} />
<ol class="flex flex-col gap-2.5">
	{#each lines as line, at (at)}
		{@const { basis } = line}
		<li class="border-hairline flex flex-col gap-2 rounded-md border p-2.5" aria-label="Line {line.name}">
			<div class="flex items-end gap-2">
				{#if lines.length > 1}
					<label class="text-grey min-w-0 grow text-xs"
						>Line<input
							class="input input-sm text-base-content block w-full"
							value={line.name}
							maxlength="200"
							readonly={!desk.mayWrite}
							onchange={(event) => setLine(at, { name: event.currentTarget.value })}
						/></label
					>
				{/if}
				<label class="text-grey text-xs"
					>Shares out, in percent of the pool<NumberField
						class="input-sm block w-24"
						label="Percent of the pool, {line.name}"
						readonly={!desk.mayWrite}
						title={orParameter}
						value={typeof line.share === 'number' ? line.share : null}
						otherwise={otherwise(line.share, (share) => setLine(at, { share }))}
						onchange={(share) => share !== null && setLine(at, { share })}
					/></label
				>
				{#if desk.mayWrite && lines.length > 1}<button
						class="text-grey hover:text-base-content mb-1.5 ml-auto px-1"
						aria-label="Delete {line.name}"
						onclick={() => desk.changeStep({ lines: lines.filter((_, place) => place !== at) })}>×</button
					>{/if}
			</div>
			<SliceFields
				{desk}
				slice={line.pool}
				title={lines.length > 1 ? `Pool of ${line.name}` : 'Pool'}
				whole="Nothing yet: name the accounts, and where they stand"
				onchange={(pool) => setLine(at, { pool })}
			/>
			<SliceFields
				{desk}
				slice={line.receivers}
				title={lines.length > 1 ? `Receivers of ${line.name}` : 'Receivers'}
				whole="Nobody yet: name the dimension that changes; all others stay as in the pool"
				only={receiving}
				onchange={(receivers) => setLine(at, { receivers })}
			/>
			<div class="flex flex-col text-xs">
				<label class="text-grey flex flex-col"
					>Basis<select
						class="select select-sm text-base-content w-64"
						aria-label="Basis of {line.name}"
						value={basis.by}
						disabled={!desk.mayWrite}
						onchange={(event) => setBy(at, event.currentTarget.value as Basis['by'])}
						>{#each Object.entries(BASES) as [by, words] (by)}<option value={by}>{words}</option>{/each}</select
					></label
				><FromPreset {desk} setting="basis" />
			</div>
			{#if basis.by === 'fixed'}
				<SharesTable
					{desk}
					shares={basis.shares}
					dimensions={idsOf(line)}
					label="Fixed shares of {line.name}"
					onchange={(shares) => setLine(at, { basis: { ...basis, shares } })}
				/>
			{:else if basis.by === 'driver' || basis.by === 'standard'}
				{#if basis.by === 'standard'}
					<div class="flex items-end gap-2">
						<label class="text-grey flex flex-col text-xs"
							>Price<select
								class="select select-sm text-base-content w-44"
								aria-label="Price of {line.name}"
								value={typeof basis.rate === 'object' && 'at' in basis.rate ? 'account' : 'number'}
								disabled={!desk.mayWrite}
								onchange={(event) =>
									setLine(at, { basis: { ...basis, rate: event.currentTarget.value === 'account' ? { account: null, at: {} } : 1 } })}
								><option value="number">a number</option><option value="account">of an account</option></select
							></label
						>
						{#if typeof basis.rate === 'number' || 'parameter' in basis.rate}
							<NumberField
								class="input-sm w-28"
								label="Price of {line.name}, a number"
								readonly={!desk.mayWrite}
								title={orParameter}
								value={typeof basis.rate === 'number' ? basis.rate : null}
								otherwise={otherwise(basis.rate, (rate) => setLine(at, { basis: { ...basis, rate } }))}
								onchange={(rate) => rate !== null && setLine(at, { basis: { ...basis, rate } })}
							/>
						{/if}
					</div>
					{#if typeof basis.rate === 'object' && 'at' in basis.rate}
						<DriverFields
							{desk}
							driver={basis.rate}
							label="Account of the price"
							onchange={(rate) => setLine(at, { basis: { ...basis, rate } })}
						/>
					{/if}
					<span class="text-grey text-xs">Quantities</span>
				{:else}
					<span class="text-grey text-xs">Driver{basis.drivers.length > 1 ? 's, added up' : ''}</span>
				{/if}
				{#each basis.drivers as driver, place (place)}
					<DriverFields
						{desk}
						{driver}
						label={basis.drivers.length > 1 ? `Driver ${place + 1}` : 'Driver'}
						onchange={(next) =>
							setLine(at, { basis: { ...basis, drivers: basis.drivers.map((each, other) => (other === place ? next : each)) } })}
						onremove={basis.drivers.length > 1
							? () => setLine(at, { basis: { ...basis, drivers: basis.drivers.filter((_, other) => other !== place) } })
							: undefined}
					/>
				{/each}
				<div class="flex flex-wrap items-center gap-3">
					{#if desk.mayWrite}<button
							class="btn btn-xs"
							onclick={() => setLine(at, { basis: { ...basis, drivers: [...basis.drivers, { account: null, at: {} }] } })}
							>Add up another</button
						>{/if}
					{#if basis.by === 'driver'}
						<label class="flex items-center gap-1 text-[13px]"
							><input
								type="checkbox"
								class="checkbox checkbox-xs"
								checked={basis.atNamed ?? false}
								disabled={!desk.mayWrite}
								onchange={(event) => setLine(at, { basis: { ...basis, atNamed: event.currentTarget.checked } })}
							/> weigh what is beneath each named receiver together, and share it evenly there</label
						>
					{/if}
				</div>
			{/if}
			{#if basis.by === 'driver'}
				<details open={line.capacity !== undefined || line.keeps !== undefined}>
					<summary class="text-soft cursor-pointer text-[13px]">What a unit of it costs</summary>
					<div class="mt-1.5 grid grid-cols-3 gap-2">
						{#each KEPT as [what, words] (what)}
							<div class="text-grey text-xs">
								{words}
								<MemberSelect
									label="{words}, {line.name}"
									dimension={accounts}
									leaves
									search
									value={line.keeps?.[what] ?? null}
									onchange={(account) => setLine(at, { keeps: keepsOf(line, what, account) })}
								/>
							</div>
						{/each}
					</div>
					{#if line.capacity}
						<DriverFields
							{desk}
							driver={line.capacity}
							label="Capacity"
							onchange={(capacity) => setLine(at, { capacity })}
							onremove={() => setLine(at, { capacity: undefined })}
						/>
					{:else if desk.mayWrite}<button
							class="btn btn-xs mt-1.5"
							title="Only what is used of it goes out; what is not stays with the pool"
							onclick={() => setLine(at, { capacity: { account: null, at: {} } })}>Set a capacity</button
						>{/if}
				</details>
			{/if}
		</li>
	{/each}
</ol>
{#if desk.mayWrite}<button class="btn btn-xs self-start" onclick={add}>Add a line</button>{/if}

<label class="flex items-start gap-1.5 text-[13px]"
	><input
		type="checkbox"
		class="checkbox checkbox-xs mt-0.5"
		checked={step.together ?? false}
		disabled={!desk.mayWrite}
		onchange={(event) => desk.changeStep({ together: event.currentTarget.checked || undefined })}
	/><span
		>solved together with the allocations next to it that are marked so too: their pools serve one another, each shares out its own and what
		it gets from the others</span
	></label
>

<div class="flex flex-wrap items-end gap-3">
	<div class="flex flex-col text-xs">
		<label class="text-grey flex flex-col"
			>Contra<select
				class="select select-sm text-base-content w-52"
				value={contra}
				disabled={!desk.mayWrite}
				onchange={(event) => {
					const way = event.currentTarget.value;
					desk.presets.changeSetting('contra', { contra: way === 'account' ? { account: null } : way });
				}}
				><option value="same account">taken out where it stands</option><option value="account">on another account</option><option
					value="none">none: the pool stays</option
				></select
			></label
		><FromPreset {desk} setting="contra" />
	</div>
	{#if typeof step.contra === 'object'}
		<div class="w-52">
			<MemberSelect
				label="Account of the contra"
				dimension={accounts}
				leaves
				search
				value={step.contra.account}
				onchange={(account) => desk.presets.changeSetting('contra', { contra: { account: typeof account === 'number' ? account : null } })}
			/>
		</div>
	{/if}
	<div class="flex flex-col text-xs">
		<label class="text-grey flex flex-col"
			>Where nothing weighs<select
				class="select select-sm text-base-content w-44"
				value={step.noDriver}
				disabled={!desk.mayWrite}
				onchange={(event) => desk.presets.changeSetting('noDriver', { noDriver: event.currentTarget.value })}
				><option value="stranded">leave it stranded</option><option value="evenly">share evenly</option><option value="stop"
					>stop the run</option
				></select
			></label
		><FromPreset {desk} setting="noDriver" />
	</div>
	<div class="flex flex-col text-xs">
		<label class="text-grey flex flex-col"
			>Drivers below 0<select
				class="select select-sm text-base-content w-44"
				value={step.negative}
				disabled={!desk.mayWrite}
				onchange={(event) => desk.presets.changeSetting('negative', { negative: event.currentTarget.value })}
				><option value="refuse">refuse</option><option value="absolute">by absolute size</option></select
			></label
		><FromPreset {desk} setting="negative" />
	</div>
	{#if desk.vocabulary.currencies.length > 1}
		<div class="flex flex-col text-xs">
			<label class="text-grey flex flex-col"
				>Compared and proven in<select
					class="select select-sm text-base-content w-40"
					value={step.currency ?? ''}
					disabled={!desk.mayWrite}
					onchange={(event) => desk.presets.changeSetting('currency', { currency: event.currentTarget.value || null })}
					><option value="">the reporting currency</option>{#each desk.vocabulary.currencies as currency (currency)}<option value={currency}
							>{currency}</option
						>{/each}</select
				></label
			><FromPreset {desk} setting="currency" />
		</div>
	{/if}
</div>

<AllocationLook {desk} {step} />
