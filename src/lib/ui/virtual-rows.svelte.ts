import { elementScroll, observeElementOffset, observeElementRect, Virtualizer, type VirtualItem } from '@tanstack/virtual-core';
import { createSubscriber } from 'svelte/reactivity';

/** Rows of one height of which only those in sight are drawn. Attach it to the element that scrolls. */
export class VirtualRows {
	#element = $state<HTMLElement>();
	#update = () => {};
	readonly #subscribe = createSubscriber((update) => {
		this.#update = update;
		return () => (this.#update = () => {});
	});
	readonly #virtualizer: Virtualizer<HTMLElement, HTMLElement>;

	/** @param head the height of a sticky heading that covers the first rows */
	constructor(count: () => number, height: number, head = 0) {
		const options = () => ({
			count: count(),
			estimateSize: () => height,
			overscan: 12,
			scrollPaddingStart: head,
			observeElementRect,
			observeElementOffset,
			scrollToFn: elementScroll,
			getScrollElement: () => this.#element ?? null,
			onChange: () => this.#update()
		});
		this.#virtualizer = new Virtualizer(options());
		$effect(() => this.#virtualizer._didMount());
		$effect.pre(() => {
			this.#virtualizer.setOptions(options());
			void this.#element;
			this.#virtualizer._willUpdate();
			this.#update();
		});
	}

	attach = (node: HTMLElement) => {
		this.#element = node;
		return () => (this.#element = undefined);
	};

	get items(): VirtualItem[] {
		this.#subscribe();
		return this.#virtualizer.getVirtualItems();
	}

	get height(): number {
		this.#subscribe();
		return this.#virtualizer.getTotalSize();
	}

	show(row: number): void {
		this.#virtualizer.scrollToIndex(row);
	}
}
