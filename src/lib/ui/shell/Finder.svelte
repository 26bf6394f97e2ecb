<script lang="ts" module>
	/** Something the finder can go to or do. */
	export interface FinderItem {
		kind: string;
		name: string;
		hint?: string;
		run: () => void;
	}
</script>

<script lang="ts">
	import Search from '@lucide/svelte/icons/search';

	interface Props {
		items: FinderItem[];
		/** Looks for what the page does not know of; by kind, name and hint. */
		look: (text: string) => Promise<FinderItem[]>;
	}
	let { items, look }: Props = $props();
	let dialog: HTMLDialogElement;
	let text = $state('');
	let at = $state(0);

	/** What the server has found for the text. */
	let further = $state.raw<{ text: string; items: FinderItem[] }>({ text: '', items: [] });
	let used = $state.raw<Record<string, number>>({});
	let timer: ReturnType<typeof setTimeout> | undefined;
	const PAUSE_MILLISECONDS = 150;
	const MOST = 14;
	const keyOf = ({ kind, name }: FinderItem) => `${kind} ${name}`;

	/** Items whose name holds every typed word, those that were chosen before first; then what the server knows. */
	const found = $derived.by(() => {
		const words = text.toLowerCase().split(/\s+/).filter(Boolean);
		const own = items.filter((item) => words.every((word) => keyOf(item).toLowerCase().includes(word)));
		const beyond = further.text === text ? further.items : [];
		const all = [...own, ...beyond].map((item, place) => ({ item, place, uses: used[keyOf(item)] ?? 0 }));
		// Some room for what the server found, however many pages and actions fit.
		const kept = new Set([
			...all.slice(0, own.length).slice(0, beyond.length > 0 ? MOST - Math.min(6, beyond.length) : MOST),
			...all.slice(own.length)
		]);
		return [...kept]
			.sort((one, other) => other.uses - one.uses || one.place - other.place)
			.slice(0, MOST)
			.map(({ item }) => item);
	});
	$effect(() => {
		const asked = text;
		clearTimeout(timer);
		if (asked.trim().length < 2) return;
		timer = setTimeout(() => {
			void look(asked.trim()).then((answer) => {
				if (asked === text) further = { text: asked, items: answer };
			});
		}, PAUSE_MILLISECONDS);
	});

	const STORE = 'finder';
	function readUses(): Record<string, number> {
		try {
			return JSON.parse(localStorage.getItem(STORE) ?? '{}') as Record<string, number>;
		} catch {
			return {};
		}
	}

	export function open() {
		used = readUses();
		text = '';
		at = 0;
		dialog.showModal();
	}

	function choose(item: FinderItem | undefined) {
		if (!item) return;
		dialog.close();
		const next = { ...used, [keyOf(item)]: (used[keyOf(item)] ?? 0) + 1 };
		// Those of long ago go: a list of the most used needs no more.
		localStorage.setItem(
			STORE,
			JSON.stringify(
				Object.fromEntries(
					Object.entries(next)
						.sort(([, one], [, other]) => other - one)
						.slice(0, 200)
				)
			)
		);
		item.run();
	}

	function onkeydown(event: KeyboardEvent) {
		if (event.key === 'ArrowDown') at = Math.min(at + 1, found.length - 1);
		else if (event.key === 'ArrowUp') at = Math.max(at - 1, 0);
		else if (event.key === 'Enter') choose(found[at]);
		else return;
		event.preventDefault();
	}
</script>

<svelte:window
	onkeydown={(event) => {
		if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'k') {
			event.preventDefault();
			open();
		}
	}}
/>

<button
	class="border-rule bg-raised text-grey hover:border-mark flex w-60 items-center gap-2 rounded-md border px-2.5 py-1 text-left text-[13px]"
	onclick={open}
>
	<Search size={14} strokeWidth={1.6} aria-hidden="true" />
	<span class="grow truncate">Find a figure, form or page</span>
	<kbd class="font-sans text-xs">Ctrl K</kbd>
</button>

<dialog
	bind:this={dialog}
	class="bg-raised border-rule text-base-content m-auto mt-24 w-[34rem] rounded-md border p-0 shadow-xl backdrop:bg-black/25"
	aria-label="Find"
>
	<input
		type="text"
		role="combobox"
		aria-expanded="true"
		aria-controls="finder-list"
		aria-activedescendant={found[at] ? `finder-${at}` : undefined}
		aria-label="What to find"
		placeholder="Type a name"
		class="border-hairline w-full border-b bg-transparent px-4 py-3 text-base outline-none"
		bind:value={text}
		oninput={() => (at = 0)}
		{onkeydown}
	/>
	<ul id="finder-list" role="listbox" aria-label="Found" class="max-h-80 overflow-auto p-1.5">
		{#each found as item, index (`${index} ${item.kind} ${item.name}`)}
			<!-- The keys are the field's: an option is not a button of its own. -->
			<!-- svelte-ignore a11y_click_events_have_key_events -->
			<li
				id="finder-{index}"
				role="option"
				tabindex="-1"
				aria-selected={index === at}
				class={['flex cursor-pointer items-baseline gap-3 rounded-md px-2.5 py-1.5', index === at && 'bg-base-200']}
				onclick={() => choose(item)}
				onpointermove={() => (at = index)}
			>
				<span class="text-grey w-16 shrink-0 text-xs">{item.kind}</span>
				<span class="grow">{item.name}</span>
				{#if item.hint}<span class="text-grey text-xs">{item.hint}</span>{/if}
			</li>
		{:else}
			<li class="text-grey px-2.5 py-2" role="presentation">Nothing by that name.</li>
		{/each}
	</ul>
</dialog>
