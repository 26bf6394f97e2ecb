<script lang="ts">
	import { addSelection, conditionPart, dropSide, joinPart, quoted, removeSelection, replaceSpan, type PartCard } from '$lib/core';
	import MemberSelect from '../MemberSelect.svelte';
	import { firstRead, isCondition, useCards } from './card-desk.svelte';
	import { selectionInCards } from './card-words';
	import PlaceFields from './PlaceFields.svelte';
	import SelectionFields from './SelectionFields.svelte';

	interface Props {
		part: PartCard;
		around: PartCard | undefined;
		/** The path of the part; parts after an edit are found by it. */
		path: string;
	}
	let { part, around, path }: Props = $props();
	const desk = useCards();

	const condition = $derived(isCondition(part));
	const kind = $derived(
		part.kind === 'read'
			? 'account'
			: part.kind === 'number'
				? 'number'
				: part.kind === 'parameter'
					? 'asked'
					: condition
						? 'test'
						: 'other'
	);
	const put = (text: string) => desk.change(replaceSpan(desk.text, part, text));
	const own = $derived(desk.text.slice(part.from, part.to));
	const read = $derived(firstRead(part, desk.text) ?? firstRead(around, desk.text) ?? desk.anAccount);
	const isWhole = $derived(around === undefined || around.kind === 'when' || around.kind === 'group');

	// — Another kind of part

	function setKind(next: string) {
		if (next === 'account') put(firstRead(part, desk.text) ?? desk.anAccount);
		else if (next === 'number') put('0');
		else if (next === 'asked') put(`$${desk.numbers[0]}`);
		else if (next.endsWith('()') && next !== 'days()') put(`${next.slice(0, -2)}(${own}${MORE[next] ?? ''})`);
		else if (next === 'days()') put('days()');
	}
	/** What a function asks for beside the part it is used on. */
	const MORE: Record<string, string> = { 'min()': ', 0', 'max()': ', 0', 'coalesce()': ', 0', 'round()': ', 0' };
	const USES = ['round()', 'max()', 'min()', 'abs()', 'coalesce()', 'floor()', 'ceil()'];

	// — Tests

	type Test = 'compares' | 'member' | 'holds' | 'empty';
	const test = $derived<Test>(part.kind === 'in' ? 'member' : part.kind === 'is' ? 'holds' : part.kind === 'call' ? 'empty' : 'compares');
	function setTest(next: Test) {
		const place = desk.places.find(({ kind }) => kind !== 'period') ?? desk.places[0]!;
		if (next === 'compares') put(`${read} > 0`);
		else if (next === 'empty') put(`empty(${read})`);
		else if (next === 'member') put(`${quoted(place.name)} in ${place.members[0]!.written}`);
		else put(`${desk.aLevel} is ${desk.places.find(({ kind }) => kind === 'period')!.members[0]!.written}`);
	}
	/** What a member test looks at. */
	const looksAt = $derived(part.kind === 'in' || part.kind === 'is' ? desk.text.slice(part.of.from, part.of.to) : '');
	const tested = $derived(
		part.kind === 'in' || part.kind === 'is'
			? part.of.kind === 'read'
				? (desk.dimension(part.of.name.word) ?? desk.places.find((each) => each.kind === 'period'))
				: undefined
			: undefined
	);

	// — An account and where it is read

	const account = $derived(part.kind === 'read' ? desk.member(part.name) : undefined);

	/** Another selection behind those of a test; one that stands without brackets is put into some. */
	function alsoAskFor({ selections }: PartCard & { kind: 'in' }) {
		const more = tested?.members[0]?.written ?? '0';
		const [first] = selections;
		const isInBrackets = /\(\s*$/.test(desk.text.slice(0, first!.from));
		if (isInBrackets) return desk.change(addSelection(desk.text, selections, more));
		desk.change(replaceSpan(desk.text, first!, `(${desk.text.slice(first!.from, first!.to)}, ${more})`));
	}

	// — Around it

	function join(operator: string) {
		const added = ['and', 'or'].includes(operator) ? `${read} > 0` : '0';
		desk.change(joinPart(desk.text, part, operator, added, around));
		desk.picked = null;
	}
	function remove() {
		if (around?.kind === 'operation') {
			desk.change(dropSide(desk.text, around, around.left === part ? 'left' : 'right'));
			desk.picked = null;
		} else if (part.kind === 'when') {
			put(desk.text.slice(part.cases[0]!.value.from, part.cases[0]!.value.to));
			desk.picked = null;
		} else if (part.kind === 'group' || part.kind === 'negative' || part.kind === 'not') put(desk.text.slice(part.of.from, part.of.to));
		else if (part.kind === 'call' && part.args[0]) put(desk.text.slice(part.args[0].from, part.args[0].to));
	}
	const mayRemove = $derived(
		around?.kind === 'operation' ||
			['when', 'group', 'negative', 'not'].includes(part.kind) ||
			(part.kind === 'call' && part.args.length > 0)
	);
	function addCase() {
		if (part.kind !== 'when') return;
		const last = part.cases.at(-1)!;
		desk.change(replaceSpan(desk.text, { from: last.value.to, to: last.value.to }, ` when ${read} > 0 then 0`));
	}
	function addOtherwise() {
		if (part.kind === 'when') desk.change(replaceSpan(desk.text, { from: part.to, to: part.to }, ' else 0'));
	}
</script>

<div class="border-hairline bg-base-200 flex flex-col gap-2 rounded-md border p-2" role="group" aria-label="The picked part">
	<div class="flex flex-wrap items-end gap-2">
		{#if condition}
			<label class="text-grey flex flex-col text-xs"
				>A condition that<select
					class="select select-sm text-base-content w-52"
					value={test}
					onchange={(event) => setTest(event.currentTarget.value as Test)}
				>
					<option value="compares">compares two values</option>
					<option value="member">asks for some members</option>
					<option value="holds">asks for one member, or a choice</option>
					<option value="empty">asks whether nothing is there</option>
				</select></label
			>
		{:else}
			<label class="text-grey flex flex-col text-xs"
				>Is<select class="select select-sm text-base-content w-30" value={kind} onchange={(event) => setKind(event.currentTarget.value)}>
					<option value="account">an account</option>
					<option value="number">a number</option>
					{#if desk.numbers.length > 0 || part.kind === 'parameter'}<option value="asked">what is asked</option>{/if}
					{#if kind === 'other'}<option value="other">computed</option>{/if}
					<optgroup label="Used in">
						{#each USES as use (use)}<option value={use}>{use.slice(0, -2)} of this</option>{/each}
						<option value="days()">days of the period</option>
					</optgroup>
				</select></label
			>
		{/if}
		{#if part.kind === 'read'}
			<div class="w-44">
				<MemberSelect
					label="Account"
					dimension={desk.accounts}
					value={account?.member.id ?? null}
					also={desk.isLive ? undefined : { words: 'The account that is written', isChosen: desk.isValue(part.name) }}
					onalso={() => part.kind === 'read' && desk.change(replaceSpan(desk.text, part.name, 'value'))}
					onchange={(id) => typeof id === 'number' && desk.change(replaceSpan(desk.text, part.name, desk.write(desk.accounts, id)))}
				/>
			</div>
			<PlaceFields of={part} />
		{:else if part.kind === 'number'}
			<input
				class="input input-sm w-32"
				aria-label="Number"
				value={part.text}
				onchange={(event) => {
					const text = event.currentTarget.value.trim();
					if (/^\d[\d_]*(\.\d+)?%?$/.test(text)) put(text);
					else if (/^-\d[\d_]*(\.\d+)?%?$/.test(text)) put(`(${text})`);
					else event.currentTarget.value = part.text;
				}}
			/>
		{:else if part.kind === 'parameter'}
			<select
				class="select select-sm w-40"
				aria-label="Asked as"
				value={part.name}
				onchange={(event) => put(`$${event.currentTarget.value}`)}
				>{#each desk.numbers as name (name)}<option value={name}>${name}</option>{/each}</select
			>
		{/if}
	</div>
	{#if part.kind === 'in' || part.kind === 'is'}
		<div class="flex flex-wrap items-end gap-2">
			<label class="text-grey flex flex-col text-xs"
				>Looks at<select
					class="select select-sm text-base-content w-36"
					value={tested ? String(tested.id) : ''}
					onchange={(event) => {
						const chosen = desk.places.find(({ id }) => String(id) === event.currentTarget.value);
						if (!chosen) return;
						const front = chosen.kind === 'period' ? desk.aLevel : quoted(chosen.name);
						put(`${front} ${part.kind} ${chosen.members[0]!.written}`);
					}}
					>{#if !tested}<option value="">{looksAt}</option>{/if}{#each desk.places as each (each.id)}<option value={String(each.id)}
							>{each.name}</option
						>{/each}</select
				></label
			>
			{#if part.kind === 'in'}
				{#each part.selections as selection, at (at)}
					<div class="flex items-end gap-1">
						<SelectionFields
							label={at === 0 ? 'Members that are asked for' : `Members that are asked for, ${at + 1}`}
							{selection}
							of={tested?.name}
							onchange={(text) => desk.change(replaceSpan(desk.text, selection, text))}
						/>
						{#if part.selections.length > 1}
							<button
								class="text-grey hover:text-base-content px-1 pb-1.5"
								aria-label="Ask no more for {selectionInCards(selection, desk)}"
								onclick={() => desk.change(removeSelection(desk.text, part.selections, at))}>×</button
							>
						{/if}
					</div>
				{/each}
				<button class="btn btn-xs mb-1" onclick={() => alsoAskFor(part)}>Or for…</button>
			{:else if part.kind === 'is'}
				<select
					class="select select-sm w-60"
					aria-label="Member or choice"
					value={desk.text.slice(part.member.from, part.member.to)}
					onchange={(event) => desk.change(replaceSpan(desk.text, part.member, event.currentTarget.value))}
				>
					<option value={desk.text.slice(part.member.from, part.member.to)}>{desk.shown(part.member.name)}</option>
					<optgroup label="Members">
						{#each tested?.members ?? [] as member (member.id)}<option value={member.written}>{member.name}</option>{/each}
					</optgroup>
					<optgroup label="What an account of choice holds">
						{#each desk.accounts.members.filter(({ leaf }) => leaf) as member (member.id)}<option value={member.written}
								>{member.name}</option
							>{/each}
					</optgroup>
				</select>
			{/if}
		</div>
	{/if}
	<div class="flex flex-wrap items-center gap-1.5">
		<select
			class="select select-xs w-30"
			aria-label="Join it with another part"
			value=""
			onchange={(event) => {
				const operator = event.currentTarget.value;
				event.currentTarget.value = '';
				join(operator);
			}}
		>
			<option value="" disabled>Join with…</option>
			{#if condition}<option value="and">and another condition</option><option value="or">or another condition</option>
			{:else}<option value="+">plus</option><option value="-">minus</option><option value="*">times</option><option value="/"
					>divided by</option
				><option value="^">to the power of</option>{/if}
		</select>
		{#if !condition && part.kind !== 'when'}<button
				class="btn btn-xs"
				onclick={() => {
					desk.change(conditionPart(desk.text, part, `${read} > 0`, isWhole));
					desk.picked = isWhole ? `${path}.if0` : null;
				}}>Only when…</button
			>{/if}
		{#if part.kind === 'when'}
			<button class="btn btn-xs" onclick={addCase} disabled={part.otherwise !== undefined}>Another case</button>
			<button class="btn btn-xs" onclick={addOtherwise} disabled={part.otherwise !== undefined}>Otherwise…</button>
		{/if}
		{#if part.kind !== 'group'}<button class="btn btn-xs" onclick={() => put(`(${own})`)}>In brackets</button>{/if}
		{#if condition && part.kind !== 'not'}<button class="btn btn-xs" onclick={() => put(`not (${own})`)}>Turn round</button>{/if}
		{#if mayRemove}<button class="btn btn-xs" onclick={remove}>Delete</button>{/if}
		<button class="btn btn-xs ml-auto" onclick={() => (desk.picked = null)}>Done</button>
	</div>
</div>
