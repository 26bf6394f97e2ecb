<!-- Where the lines between two columns come together. -->
<script lang="ts">
	import { Handle, Position, type NodeProps } from '@xyflow/svelte';

	const { isConnectable }: NodeProps = $props();
</script>

<Handle type="target" {isConnectable} position={Position.Left} />
<span class="block size-0.5" aria-hidden="true"></span>
<Handle type="source" position={Position.Right} />
