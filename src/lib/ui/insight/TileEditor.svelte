<script lang="ts">
	import { CHARTS, type Selection, type Tile, type TileSource } from '$lib/core';
	import type { BoardDeskData } from '$lib/server/insight';
	import MemberPick from '../data-in/MemberPick.svelte';
	import SelectionPicker from '../form-design/SelectionPicker.svelte';
	import { request } from '../request';
	import type { BoardDesk } from './board-desk.svelte';

	interface Props {
		desk: BoardDesk;
		data: BoardDeskData;
		names: ReadonlyMap<number, string>;
		know: (members: readonly { id: number; name: string }[]) => void;
		forms: { code: string; name: string }[];
		runbooks: { id: number; name: string }[];
		tile: Tile;
	}
	let { desk, data, names, know, forms, runbooks, tile }: Props = $props();

	const KINDS: readonly [Tile['kind'], string][] = [
		['figure', 'Figure'],
		['chart', 'Chart'],
		['table', 'Table'],
		['waterfall', 'Why it differs'],
		['view', 'A kept view'],
		['form', 'Form to type in'],
		['checks', 'Checks of a form'],
		['progress', 'Progress of planning'],
		['out of date', 'Runs out of date'],
		['runbook', 'Runbook'],
		['note', 'Note'],
		['picture', 'Picture']
	];
	const account = $derived(data.axes.find(({ kind }) => kind === 'account')!);
	const period = $derived(data.axes.find(({ kind }) => kind === 'period')!);
	const source = $derived(tile.kind === 'figure' || tile.kind === 'chart' || tile.kind === 'table' ? tile.source : undefined);
	const picking = $derived({ names, know, layout: { selectors: desk.content.selectors }, desk: data });
	/** Which of the parts is open to be picked in. */
	let part = $state<'rows' | 'columns'>('rows');

	const set = (next: (tile: Tile) => Tile) => desk.changeTile(tile.id, next);
	const setSource = (next: (source: TileSource) => TileSource) =>
		set((each) =>
			each.kind === 'figure' || each.kind === 'chart' || each.kind === 'table' ? { ...each, source: next(each.source) } : each
		);
	const firstSource = (): TileSource => ({
		rows: { dimension: account.id, selection: { kind: 'these', members: [account.top] } },
		at: {},
		compare: true
	});
	const startOf = (dimension: number): Selection => {
		const axis = data.axes.find(({ id }) => id === dimension)!;
		return axis.kind === 'period' ? { kind: 'leaves', of: 'chosen' } : { kind: 'children', of: axis.top };
	};
	function setKind(kind: Tile['kind']) {
		const { id, title, width, height } = tile;
		const frame = { id, title, width, height };
		const kept = source ?? firstSource();
		const firstForm = forms[0]?.code ?? '';
		const made: Record<Tile['kind'], () => Tile> = {
			figure: () => ({ ...frame, kind: 'figure', source: kept }),
			chart: () => ({
				...frame,
				kind: 'chart',
				chart: 'column',
				source: { ...kept, columns: kept.columns ?? { dimension: period.id, selection: startOf(period.id) } }
			}),
			table: () => ({ ...frame, kind: 'table', source: kept }),
			waterfall: () => ({ ...frame, kind: 'waterfall', account: account.top, by: account.id, at: {} }),
			view: () => ({ ...frame, kind: 'view', code: data.views[0]?.code ?? firstForm }),
			form: () => ({ ...frame, kind: 'form', code: firstForm }),
			checks: () => ({ ...frame, kind: 'checks', code: firstForm }),
			progress: () => ({ ...frame, kind: 'progress' }),
			'out of date': () => ({ ...frame, kind: 'out of date' }),
			runbook: () => ({ ...frame, kind: 'runbook', runbook: runbooks[0]?.id ?? 1, label: '' }),
			note: () => ({ ...frame, kind: 'note', text: '' }),
			picture: () => ({ ...frame, kind: 'picture', picture: 0, alt: '' })
		};
		set(() => made[kind]());
	}
	let fault = $state('');
	/** A picture is kept at once; the tile shows it from when the board is kept. */
	async function keepPicture(event: Event & { currentTarget: HTMLInputElement }) {
		const [file] = event.currentTarget.files ?? [];
		if (!file) return;
		const reply = await request<{ id: number }>(`/api/boards/pictures?board=${desk.board.id}`, file);
		fault = reply.ok ? '' : reply.message;
		if (reply.ok) set((each) => (each.kind === 'picture' ? { ...each, picture: reply.answer.id } : each));
	}
	const kinds = $derived(
		KINDS.filter(
			([kind]) => (kind !== 'runbook' || runbooks.length > 0) && (kind !== 'form' && kind !== 'checks' ? true : forms.length > 0)
		)
	);
	const elsewhere = $derived(
		data.axes.filter(
			({ id }) =>
				!(source && (source.rows.dimension === id || source.columns?.dimension === id)) && !(tile.kind === 'waterfall' && id === account.id)
		)
	);
	const fixed = $derived(source?.at ?? (tile.kind === 'waterfall' ? tile.at : {}));
	function fix(dimension: number, member: number | undefined) {
		const next = (at: Readonly<Record<number, number>>) => {
			const { [dimension]: _, ...rest } = at;
			return member === undefined ? rest : { ...rest, [dimension]: member };
		};
		set((each) =>
			each.kind === 'figure' || each.kind === 'chart' || each.kind === 'table'
				? { ...each, source: { ...each.source, at: next(each.source.at) } }
				: each.kind === 'waterfall'
					? { ...each, at: next(each.at) }
					: each
		);
	}
	const standsAt = (id: number) => {
		if (fixed[id] !== undefined) return names.get(fixed[id]) ?? 'a member';
		return desk.content.selectors.some(({ dimension }) => dimension === id)
			? 'as chosen on the board'
			: (names.get(data.axes.find((axis) => axis.id === id)?.top ?? 0) ?? 'its top');
	};
</script>

<aside class="border-hairline bg-base-100 w-96 shrink-0 overflow-y-auto border-l px-4 py-3 text-[13px]" aria-label="The tile">
	<div class="flex items-center gap-2">
		<h2 class="grow text-sm font-semibold">{tile.title || 'Tile without a title'}</h2>
		<button class="btn btn-xs" onclick={() => desk.remove(tile.id)}>Take off</button>
		<button class="btn btn-xs" onclick={() => (desk.picked = null)}>Done</button>
	</div>
	<div class="mt-2 grid gap-2.5">
		<label class="grid gap-0.5"
			>Title<input
				class="input input-sm w-full"
				maxlength="120"
				value={tile.title}
				oninput={(event) => set((each) => ({ ...each, title: event.currentTarget.value }))}
			/></label
		>
		<div class="flex gap-2">
			<label class="grid grow gap-0.5"
				>Shows<select
					class="select select-sm w-full"
					aria-label="Shows"
					value={tile.kind}
					onchange={(event) => setKind(event.currentTarget.value as Tile['kind'])}
					>{#each kinds as [kind, name] (kind)}<option value={kind}>{name}</option>{/each}</select
				></label
			>
			{#if tile.kind === 'chart'}
				<label class="grid grow gap-0.5"
					>As<select
						class="select select-sm w-full"
						aria-label="Drawn as"
						value={tile.chart}
						onchange={(event) => {
							const chart = event.currentTarget.value as (typeof CHARTS)[number];
							set((each) => (each.kind === 'chart' ? { ...each, chart } : each));
						}}
						>{#each CHARTS as kind (kind)}<option value={kind}>{kind[0]!.toUpperCase() + kind.slice(1)}</option>{/each}</select
					></label
				>
			{/if}
		</div>
		<div class="flex items-center gap-2">
			<span class="text-grey text-xs font-semibold">Size</span>
			<span class="join"
				><button class="btn btn-xs join-item" onclick={() => desk.resize(tile.id, -1, 0)}>Narrower</button><button
					class="btn btn-xs join-item"
					onclick={() => desk.resize(tile.id, 1, 0)}>Wider</button
				></span
			>
			<span class="join"
				><button class="btn btn-xs join-item" onclick={() => desk.resize(tile.id, 0, -1)}>Lower</button><button
					class="btn btn-xs join-item"
					onclick={() => desk.resize(tile.id, 0, 1)}>Higher</button
				></span
			>
		</div>
		{#if source}
			<label class="flex items-center gap-2"
				><input
					type="checkbox"
					class="checkbox checkbox-xs"
					checked={source.compare}
					onchange={(event) => {
						const compare = event.currentTarget.checked;
						setSource((each) => ({ ...each, compare }));
					}}
				/> Compared with what the board is held against</label
			>
			<div class="join" role="group" aria-label="What is picked">
				<button
					class={['btn btn-xs join-item', part === 'rows' && 'btn-primary']}
					aria-pressed={part === 'rows'}
					onclick={() => (part = 'rows')}>{tile.kind === 'chart' ? 'Series' : 'Down'}</button
				>
				{#if tile.kind !== 'figure'}<button
						class={['btn btn-xs join-item', part === 'columns' && 'btn-primary']}
						aria-pressed={part === 'columns'}
						onclick={() => (part = 'columns')}>Across</button
					>{/if}
			</div>
			{#if part === 'rows' || tile.kind === 'figure'}
				<label class="grid gap-0.5"
					>{tile.kind === 'figure' ? 'The first of' : 'Members of'}<select
						class="select select-sm w-full"
						aria-label="Dimension down"
						value={source.rows.dimension}
						onchange={(event) => {
							const dimension = Number(event.currentTarget.value);
							setSource((each) => ({ ...each, rows: { dimension, selection: startOf(dimension) } }));
						}}
						>{#each data.axes as { id, name } (id)}<option value={id} disabled={source.columns?.dimension === id}>{name}</option
							>{/each}</select
					></label
				>
				<SelectionPicker
					desk={picking}
					dimension={source.rows.dimension}
					selection={source.rows.selection}
					road="/api/views"
					onchange={(selection) => setSource((each) => ({ ...each, rows: { ...each.rows, selection } }))}
				/>
			{:else}
				<label class="grid gap-0.5"
					>Across<select
						class="select select-sm w-full"
						aria-label="Dimension across"
						value={source.columns?.dimension ?? 0}
						onchange={(event) => {
							const dimension = Number(event.currentTarget.value);
							setSource(({ columns: _, ...each }) =>
								dimension === 0 ? each : { ...each, columns: { dimension, selection: startOf(dimension) } }
							);
						}}
						><option value={0}>The chosen period alone</option>{#each data.axes as { id, name } (id)}<option
								value={id}
								disabled={source.rows.dimension === id}>{name}</option
							>{/each}</select
					></label
				>
				{#if source.columns}
					<SelectionPicker
						desk={picking}
						dimension={source.columns.dimension}
						selection={source.columns.selection}
						road="/api/views"
						onchange={(selection) => setSource((each) => (each.columns ? { ...each, columns: { ...each.columns, selection } } : each))}
					/>
				{/if}
			{/if}
		{:else if tile.kind === 'waterfall'}
			<div>
				<p class="text-grey text-xs font-semibold">The figure: {names.get(tile.account) ?? 'an account'}</p>
				<MemberPick
					dimension={account.id}
					label="Find the account"
					of="all"
					onpick={(member) => {
						know([member]);
						set((each) => (each.kind === 'waterfall' ? { ...each, account: member.id } : each));
					}}
				/>
			</div>
			<label class="grid gap-0.5"
				>Taken apart by<select
					class="select select-sm w-full"
					aria-label="Taken apart by"
					value={tile.by}
					onchange={(event) => {
						const by = Number(event.currentTarget.value);
						set((each) => (each.kind === 'waterfall' ? { ...each, by } : each));
					}}
					>{#each data.axes.filter(({ kind }) => kind !== 'scenario') as { id, name } (id)}<option value={id}>{name}</option>{/each}</select
				></label
			>
		{:else if tile.kind === 'view' || tile.kind === 'form' || tile.kind === 'checks'}
			<label class="grid gap-0.5"
				>{tile.kind === 'view' ? 'View or form' : 'Form'}<select
					class="select select-sm w-full"
					aria-label={tile.kind === 'view' ? 'View or form' : 'Form'}
					value={tile.code}
					onchange={(event) => {
						const code = event.currentTarget.value;
						set((each) => ('code' in each ? { ...each, code } : each));
					}}
					>{#if tile.kind === 'view'}{#each data.views as { code, name } (code)}<option value={code}>{name}</option
							>{/each}{/if}{#each forms as { code, name } (code)}<option value={code}>{name}</option>{/each}</select
				></label
			>
		{:else if tile.kind === 'runbook'}
			<label class="grid gap-0.5"
				>Runbook<select
					class="select select-sm w-full"
					aria-label="Runbook"
					value={tile.runbook}
					onchange={(event) => {
						const runbook = Number(event.currentTarget.value);
						set((each) => (each.kind === 'runbook' ? { ...each, runbook } : each));
					}}
					>{#each runbooks as { id, name } (id)}<option value={id}>{name}</option>{/each}</select
				></label
			>
			<label class="grid gap-0.5"
				>On the button<input
					class="input input-sm w-full"
					maxlength="80"
					value={tile.label}
					oninput={(event) => {
						const label = event.currentTarget.value;
						set((each) => (each.kind === 'runbook' ? { ...each, label } : each));
					}}
				/></label
			>
		{:else if tile.kind === 'picture'}
			<label class="grid gap-0.5"
				>Picture<input
					type="file"
					class="file-input file-input-sm w-full"
					accept="image/png,image/jpeg,image/webp,image/gif"
					onchange={keepPicture}
				/></label
			>
			{#if fault}<p class="text-error" role="alert">{fault}</p>{/if}
			<label class="grid gap-0.5"
				>What it shows, for who cannot see it<input
					class="input input-sm w-full"
					maxlength="300"
					value={tile.alt}
					oninput={(event) => {
						const alt = event.currentTarget.value;
						set((each) => (each.kind === 'picture' ? { ...each, alt } : each));
					}}
				/></label
			>
		{:else if tile.kind === 'note'}
			<label class="grid gap-0.5"
				>Text<textarea
					class="textarea h-40 w-full text-[13px]"
					maxlength="5000"
					value={tile.text}
					oninput={(event) => {
						const text = event.currentTarget.value;
						set((each) => (each.kind === 'note' ? { ...each, text } : each));
					}}></textarea></label
			>
		{/if}
		{#if source || tile.kind === 'waterfall'}
			<details>
				<summary class="text-grey cursor-pointer text-xs font-semibold">Where it stands in the other dimensions</summary>
				<div class="mt-1 grid gap-1.5">
					{#each elsewhere as { id, name } (id)}
						<div>
							<p class="flex gap-1.5">
								<span class="grow">{name}: <b class="font-semibold">{standsAt(id)}</b></span>{#if fixed[id] !== undefined}<button
										class="text-primary font-semibold"
										onclick={() => fix(id, undefined)}>As on the board</button
									>{/if}
							</p>
							<MemberPick
								dimension={id}
								label="Stay at a member of {name}"
								of="all"
								placeholder="Always at…"
								onpick={(member) => {
									know([member]);
									fix(id, member.id);
								}}
							/>
						</div>
					{/each}
				</div>
			</details>
		{/if}
	</div>
</aside>
