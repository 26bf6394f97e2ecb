<script lang="ts">
	import NumberField from '../figures/NumberField.svelte';
	import type { StepDraft } from '$lib/server/runbook';
	import MemberMapFields from './MemberMapFields.svelte';
	import MemberSelect from './MemberSelect.svelte';
	import type { RunbookDesk } from './runbook-desk.svelte';
	import SliceFields from './SliceFields.svelte';

	type Copy = StepDraft & { kind: 'copy' };
	type Onto = Copy['onto'][number];
	let { desk, step }: { desk: RunbookDesk; step: Copy } = $props();

	const dimensions = $derived(desk.vocabulary.dimensions.filter(({ kind }) => kind !== 'period'));
	const numbers = $derived(desk.draft.parameters.filter(({ kind }) => kind === 'number' || kind === 'percent').map(({ name }) => name));
	const membersOf = (dimension: number) =>
		desk.draft.parameters.filter((each) => each.kind === 'member' && each.dimension === dimension).map(({ name }) => name);
	const LEVELS = $derived(desk.vocabulary.levels);

	function setOnto(dimension: number, onto: Onto | null) {
		const rest = Object.fromEntries(Object.entries(step.onto).filter(([of]) => Number(of) !== dimension));
		desk.changeStep({ onto: onto === null ? rest : { ...rest, [dimension]: onto } });
	}
	const accounts = $derived(desk.vocabulary.dimensions.find(({ kind }) => kind === 'account'));
	function setOver(way: string) {
		const over =
			way === 'one period' ? { way, period: 1 } : way === 'season' ? { way, account: null } : way === 'evenly' ? { way } : undefined;
		desk.changeStep({ over } as Partial<Copy>);
	}
	function mapOf(dimension: number) {
		const onto = step.onto[dimension];
		return typeof onto === 'object' && 'map' in onto ? onto.map : undefined;
	}
</script>

<SliceFields {desk} slice={step.from} title="What is copied" whole="The whole model" onchange={(from) => desk.changeStep({ from })} />
<fieldset disabled={!desk.mayWrite}>
	<legend class="text-grey text-xs">Onto these members; where none is chosen, cells stay where they are</legend>
	<div class="mt-0.5 grid grid-cols-2 gap-x-3 gap-y-1.5">
		{#each dimensions as dimension (dimension.id)}
			{@const onto = step.onto[dimension.id]}
			<div>
				<span class="text-soft text-[13px]">{dimension.name}</span>
				<MemberSelect
					label="Onto a member of {dimension.name}"
					{dimension}
					none="stays where it is"
					leaves
					search
					value={typeof onto === 'number' ? onto : null}
					parameter={typeof onto === 'object' && 'variable' in onto ? onto.variable : undefined}
					parameters={membersOf(dimension.id)}
					also={{ words: 'each by a table', isChosen: mapOf(dimension.id) !== undefined }}
					onalso={() => setOnto(dimension.id, { map: { lines: [], others: 'stay' } })}
					onchange={(member) => setOnto(dimension.id, member)}
				/>
			</div>
		{/each}
	</div>
</fieldset>
{#each dimensions as dimension (dimension.id)}
	{@const map = mapOf(dimension.id)}
	{#if map}<MemberMapFields {desk} {dimension} {map} onchange={(next) => setOnto(dimension.id, { map: next })} />{/if}
{/each}
<div class="flex flex-wrap items-end gap-3">
	<label class="text-grey text-xs"
		>Periods later<input
			type="number"
			class="input input-sm text-base-content block w-20"
			value={step.shift?.by ?? 0}
			readonly={!desk.mayWrite}
			onchange={(event) => {
				const by = Math.round(Number(event.currentTarget.value)) || 0;
				desk.changeStep({ shift: by === 0 ? null : { level: step.shift?.level ?? 'year', by } });
			}}
		/></label
	>
	<label class="text-grey flex flex-col text-xs"
		>of level<select
			class="select select-sm text-base-content w-28"
			value={step.shift?.level ?? 'year'}
			disabled={!step.shift || !desk.mayWrite}
			onchange={(event) => step.shift && desk.changeStep({ shift: { ...step.shift, level: event.currentTarget.value } })}
			>{#each LEVELS as level (level)}<option value={level.toLowerCase()}>{level}</option>{/each}</select
		></label
	>
	<label class="text-grey flex flex-col text-xs"
		>Over the year<select
			class="select select-sm text-base-content w-60"
			value={step.over?.way ?? ''}
			disabled={!desk.mayWrite}
			onchange={(event) => setOver(event.currentTarget.value)}
			><option value="">each period keeps its own</option><option value="one period">the year’s total into one period</option><option
				value="evenly">spread evenly over the year</option
			><option value="season">spread by season</option></select
		></label
	>
	{#if step.over?.way === 'one period'}
		<label class="text-grey text-xs"
			>the year’s period no.<input
				type="number"
				min="1"
				class="input input-sm text-base-content block w-20"
				value={step.over.period}
				readonly={!desk.mayWrite}
				onchange={(event) =>
					desk.changeStep({ over: { way: 'one period', period: Math.max(1, Math.round(Number(event.currentTarget.value)) || 1) } })}
			/></label
		>
	{:else if step.over?.way === 'season'}
		<div class="text-grey w-60 text-xs">
			as
			<MemberSelect
				label="The account whose season the year follows"
				dimension={accounts}
				none="the same cells the year before"
				leaves
				search
				value={step.over.account}
				onchange={(member) => desk.changeStep({ over: { way: 'season', account: typeof member === 'number' ? member : null } })}
			/>
		</div>
	{/if}
	<label class="text-grey text-xs"
		>Times<NumberField
			class="input-sm block w-24"
			label="Times"
			readonly={!desk.mayWrite}
			title={numbers.length > 0 ? `A number, or ${numbers.map((name) => `$${name}`).join(', ')}` : 'A number'}
			value={typeof step.factor === 'number' ? step.factor : null}
			otherwise={{
				shown: typeof step.factor === 'number' ? '' : `$${step.factor.parameter}`,
				read: (text) => {
					if (text.startsWith('$')) desk.changeStep({ factor: { parameter: text.slice(1) } });
					return text.startsWith('$');
				}
			}}
			onchange={(factor) => factor !== null && desk.changeStep({ factor })}
		/></label
	>
	<label class="text-grey flex flex-col text-xs"
		>What stands there already<select
			class="select select-sm text-base-content w-64"
			value={step.adds ? 'adds' : step.onlyWhereValues ? 'only where values' : 'sets'}
			disabled={!desk.mayWrite}
			onchange={(event) => {
				const way = event.currentTarget.value;
				desk.changeStep({ adds: way === 'adds', onlyWhereValues: way === 'only where values' });
			}}
			><option value="sets">is set aside, also where nothing is read</option><option value="only where values"
				>is set aside where something is read</option
			><option value="adds">gets it on top</option></select
		></label
	>
	{#if step.factor !== 1}
		<label class="mt-5 flex items-center gap-1 text-[13px]"
			><input
				type="checkbox"
				class="checkbox checkbox-xs"
				checked={step.pricesToo ?? false}
				disabled={!desk.mayWrite}
				onchange={(event) => desk.changeStep({ pricesToo: event.currentTarget.checked })}
			/> prices and percents too</label
		>
	{/if}
</div>
