<script lang="ts" module>
	/** One thing to do with the cell or the selection. */
	export interface MenuAct {
		name: string;
		keys?: string;
		disabled?: boolean;
		run: () => void;
		/** A line stands above it. */
		begins?: boolean;
	}
</script>

<script lang="ts">
	import { tick } from 'svelte';

	let { acts, onclose }: { acts: MenuAct[]; onclose: () => void } = $props();
	let menu: HTMLDivElement;
	let isOpen = $state(false);
	let place = $state({ x: 0, y: 0 });

	/** Opens the menu at a point of the window: just beneath the pointer, or letting the button go would count as a click outside. */
	export async function open(pointX: number, pointY: number) {
		const [x, y] = [Math.floor(pointX) - 2, Math.floor(pointY) - 2];
		place = { x, y };
		isOpen = true;
		menu.showPopover();
		await tick();
		const { width, height } = menu.getBoundingClientRect();
		place = { x: Math.max(4, Math.min(x, innerWidth - width - 8)), y: Math.max(4, Math.min(y, innerHeight - height - 8)) };
		items()[0]?.focus();
	}

	const items = () => [...menu.querySelectorAll<HTMLButtonElement>('button:not(:disabled)')];

	function onkeydown(event: KeyboardEvent) {
		const all = items();
		const at = all.indexOf(document.activeElement as HTMLButtonElement);
		if (event.key === 'ArrowDown') all[(at + 1) % all.length]?.focus();
		else if (event.key === 'ArrowUp') all[(at - 1 + all.length) % all.length]?.focus();
		else if (event.key === 'Home') all[0]?.focus();
		else if (event.key === 'End') all.at(-1)?.focus();
		else if (event.key === 'Tab' || event.key === 'Escape') menu.hidePopover();
		else return;
		event.preventDefault();
		event.stopPropagation();
	}
	function run(act: MenuAct) {
		menu.hidePopover();
		act.run();
	}
</script>

<div
	bind:this={menu}
	popover="auto"
	role="menu"
	tabindex="-1"
	aria-label="What to do with the cell"
	class="bg-raised border-rule text-base-content fixed m-0 min-w-56 rounded-md border p-1 text-[13px] shadow-lg"
	style="inset: auto; left: {place.x}px; top: {place.y}px"
	{onkeydown}
	ontoggle={(event) => {
		if (event.newState === 'closed' && isOpen) {
			isOpen = false;
			onclose();
		}
	}}
>
	{#each acts as act (act.name)}
		{#if act.begins}<div class="bg-hairline my-1 h-px" role="separator"></div>{/if}
		<button
			role="menuitem"
			tabindex="-1"
			disabled={act.disabled}
			class="focus:bg-base-200 hover:bg-base-200 flex w-full items-baseline gap-6 rounded px-2.5 py-1 text-left disabled:opacity-45"
			onclick={() => run(act)}
		>
			<span class="grow">{act.name}</span>
			{#if act.keys}<span class="text-grey text-xs">{act.keys}</span>{/if}
		</button>
	{/each}
</div>
