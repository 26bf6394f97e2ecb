<script lang="ts">
	import { at } from '../at';
	import type { WiringNode } from '$lib/server/structure';
	import { Handle, Position } from '@xyflow/svelte';
	import FileDown from '@lucide/svelte/icons/file-down';
	import Coins from '@lucide/svelte/icons/coins';
	import ListTree from '@lucide/svelte/icons/list-tree';
	import ListChecks from '@lucide/svelte/icons/list-checks';
	import Sigma from '@lucide/svelte/icons/sigma';
	import Table from '@lucide/svelte/icons/table-properties';

	let { data }: { data: WiringNode } = $props();
	const ICONS = { import: FileDown, rates: Coins, dimension: ListTree, formula: Sigma, runbook: ListChecks, form: Table };
	const Icon = $derived(ICONS[data.kind]);
</script>

<Handle type="target" position={Position.Left} />
<a href={at(data.path)} class={['box', data.trouble && 'trouble']} title="{data.name}: {data.trouble ?? data.note}">
	<Icon size={15} strokeWidth={1.6} aria-hidden="true" />
	<span class="min-w-0">
		<b class="block truncate font-semibold">{data.name}</b>
		<span class={['block truncate text-xs', data.trouble ? 'text-warning' : 'text-grey']}>{data.trouble ?? data.note}</span>
	</span>
</a>
<Handle type="source" position={Position.Right} />

<style>
	.box {
		display: flex;
		align-items: center;
		gap: 8px;
		width: 200px;
		height: 56px;
		padding: 0 10px;
		border: 1px solid var(--rule);
		border-radius: 6px;
		background: var(--raised);
		color: var(--color-base-content);
		font-size: 13.5px;
		line-height: 18px;
	}
	.box:hover,
	.box:focus-visible {
		border-color: var(--color-primary);
	}
	.trouble {
		border-color: var(--color-warning);
		border-left-width: 4px;
	}
	:global(.svelte-flow .svelte-flow__handle) {
		opacity: 0;
		width: 1px;
		height: 1px;
		min-width: 0;
		min-height: 0;
		border: 0;
		background: transparent;
	}
</style>
