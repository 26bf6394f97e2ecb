<script lang="ts">
	import { formatAt } from '$lib/ui/grid/grid-state.svelte';
	import { ShownForm } from '$lib/ui/grid/shown-form';
	import { formatFigure, formatMoment } from '$lib/ui/figures/format';
	import { onMount } from 'svelte';

	let { data } = $props();
	const form = $derived(new ShownForm(data.opened.form));
	const chosen = $derived(
		form.selectors.map(({ name, chosen, choices }) => [name, choices.find(({ member }) => member === chosen)?.name ?? ''])
	);
	/** What stands over runs of columns: a block's heading, a quarter. */
	const groups = $derived.by(() => {
		const found: { name: string; span: number; from: number }[] = [];
		form.columns.forEach(({ group }, from) => {
			const last = found.at(-1);
			if (last && last.name === group) last.span++;
			else found.push({ name: group, span: 1, from });
		});
		return found;
	});
	const rowsName = $derived(form.rows.some(({ account }) => account !== null) ? 'Account' : 'Line');
	let now = $state('');
	onMount(() => {
		now = new Date().toISOString();
		setTimeout(() => window.print(), 300);
	});
</script>

<svelte:head><title>{data.opened.name} · Noble Lattice</title></svelte:head>

<main class="sheet">
	<header>
		<h1>{data.opened.name}</h1>
		<p>
			{#each chosen as [name, value] (name)}<span>{name}: <b>{value}</b></span>{/each}
			<span>In <b>{form.currency === 'local' ? 'local currency' : form.currency}</b></span>
		</p>
		<button class="no-print" onclick={() => window.print()}>Print or keep as PDF</button>
	</header>
	<table>
		<thead>
			{#if groups.some(({ name }) => name !== '')}
				<tr
					><td></td>{#each groups as { name, span, from } (from)}<th colspan={span} class="group">{name}</th>{/each}</tr
				>
			{/if}
			<tr
				><th scope="col">{rowsName}</th>{#each form.columns as column, index (index)}<th scope="col">{column.label}</th>{/each}</tr
			>
		</thead>
		<tbody>
			{#each form.rows as line, row (row)}
				<tr class:parent={line.parent || line.kind === 'text'}>
					<th style="padding-left: {4 + line.depth * 12}px">{line.label}</th>
					{#each form.columns.keys() as at (at)}
						<td class:draft={form.drafted.has(form.cell(row, at))}
							>{form.flag(row, at) & 1 ? '≈ ' : ''}{form.word(row, at) ??
								formatFigure(form.value(row, at), formatAt(form, row, at), data.locale)}</td
						>
					{/each}
				</tr>
			{/each}
		</tbody>
	</table>
	<footer>
		Revision {form.revision}{form.draftSize > 0 ? ', with unsaved entries of one’s own (in italics)' : ''}{form.trial
			? `, as “${form.trial.name}” would leave it`
			: ''}{form.restricted ? '; totals are of what the reader may read' : ''}. {data.person}{now
			? `, ${formatMoment(now, data.locale)}`
			: ''}.
	</footer>
</main>

<style>
	.sheet {
		padding: 12mm;
		background: #fff;
		color: #20242e;
		font-size: 10px;
		font-variant-numeric: tabular-nums lining-nums;
		min-height: 100vh;
	}
	h1 {
		font-size: 18px;
		font-weight: 600;
	}
	header p {
		display: flex;
		flex-wrap: wrap;
		gap: 2px 14px;
		margin: 4px 0 10px;
		font-size: 11px;
	}
	header button {
		margin-bottom: 8px;
		padding: 3px 10px;
		border: 1px solid #8c826f;
		border-radius: 6px;
	}
	table {
		width: 100%;
		border-collapse: collapse;
	}
	thead {
		display: table-header-group;
	}
	tr {
		break-inside: avoid;
	}
	th,
	td {
		padding: 2px 4px;
		border-bottom: 0.5px solid #cfc8b8;
		text-align: right;
		white-space: nowrap;
	}
	th:first-child {
		text-align: left;
		font-weight: 400;
	}
	thead th {
		border-bottom-color: #20242e;
		font-weight: 600;
	}
	thead th.group {
		text-align: left;
		border-bottom-color: #cfc8b8;
	}
	.parent th,
	.parent td {
		font-weight: 600;
	}
	.draft {
		font-style: italic;
	}
	footer {
		margin-top: 10px;
		font-size: 9px;
		color: #4c4f5a;
	}
	@page {
		size: A4 landscape;
		margin: 8mm;
	}
	@media print {
		.no-print {
			display: none;
		}
		.sheet {
			padding: 0;
		}
	}
</style>
