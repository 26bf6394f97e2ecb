<script lang="ts">
	import type { WiringNode } from '$lib/server/structure';
	import { Handle, Position } from '@xyflow/svelte';
	import FileDown from '@lucide/svelte/icons/file-down';
	import Coins from '@lucide/svelte/icons/coins';
	import ListTree from '@lucide/svelte/icons/list-tree';
	import ListChecks from '@lucide/svelte/icons/list-checks';
	import Sigma from '@lucide/svelte/icons/sigma';
	import Table from '@lucide/svelte/icons/table-properties';

	/** Whether it is chosen, tied to the chosen one, or steps back. */
	type Look = 'plain' | 'chosen' | 'lit' | 'back';
	let { data }: { data: WiringNode & { look: Look; onchoose: () => void } } = $props();
	const ICONS = { import: FileDown, rates: Coins, dimension: ListTree, formula: Sigma, runbook: ListChecks, form: Table };
	const Icon = $derived(ICONS[data.kind]);
</script>

<Handle type="target" position={Position.Left} />
<button
	class={['box nopan', data.trouble && 'trouble', data.look]}
	aria-pressed={data.look === 'chosen'}
	title="{data.name}: {data.trouble ?? data.note}"
	onclick={data.onchoose}
>
	<Icon size={14} strokeWidth={1.6} class="shrink-0" aria-hidden="true" />
	<span class="min-w-0">
		<b class="block truncate font-semibold">{data.name}</b>
		<span class={['block truncate text-xs', data.trouble ? 'text-warning' : 'text-grey']}>{data.trouble ?? data.note}</span>
	</span>
</button>
<Handle type="source" position={Position.Right} />

<style>
	.box {
		display: flex;
		align-items: center;
		gap: 8px;
		width: 172px;
		height: 44px;
		padding: 0 8px;
		text-align: left;
		cursor: pointer;
		border: 1px solid var(--rule);
		border-radius: 6px;
		background: var(--raised);
		color: var(--color-base-content);
		font-size: 13px;
		line-height: 17px;
	}
	.box:hover,
	.box:focus-visible {
		border-color: var(--color-primary);
	}
	.chosen {
		border-color: var(--color-primary);
		box-shadow: 0 0 0 1px var(--color-primary);
	}
	.lit {
		border-color: var(--color-primary);
	}
	.back {
		opacity: 0.4;
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
