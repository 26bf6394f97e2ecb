import { elementScroll, observeElementOffset, observeElementRect, Virtualizer, type VirtualItem } from '@tanstack/virtual-core';
import { createSubscriber } from 'svelte/reactivity';

/** What is drawn of a long axis: the lines in sight and a few beyond. */
export interface VirtualAxis {
	count: number;
	sizeOf: (index: number) => number;
	/** What sticky parts cover at the start and the end. */
	before: number;
	after: number;
}

/** Rows and columns of which only those in sight are drawn. Attach it to the element that scrolls. */
export class VirtualGrid {
	#element = $state<HTMLElement>();
	readonly #rows: Axis;
	readonly #columns: Axis;

	constructor(rows: () => VirtualAxis, columns: () => VirtualAxis) {
		const element = () => this.#element ?? null;
		this.#rows = new Axis(rows, element, false);
		this.#columns = new Axis(columns, element, true);
	}

	attach = (node: HTMLElement) => {
		this.#element = node;
		return () => (this.#element = undefined);
	};

	get element(): HTMLElement | undefined {
		return this.#element;
	}

	get rows(): VirtualItem[] {
		return this.#rows.items;
	}

	get columns(): VirtualItem[] {
		return this.#columns.items;
	}

	get height(): number {
		return this.#rows.size;
	}

	get width(): number {
		return this.#columns.size;
	}

	/** Scrolls until a cell is in sight; −1 where an axis need not move. */
	show(row: number, column: number): void {
		if (row >= 0) this.#rows.show(row);
		if (column >= 0) this.#columns.show(column);
	}
}

class Axis {
	readonly #virtualizer: Virtualizer<HTMLElement, HTMLElement>;
	readonly #options: () => VirtualAxis;
	#update = () => {};
	readonly #subscribe = createSubscriber((update) => {
		this.#update = update;
		return () => (this.#update = () => {});
	});

	constructor(options: () => VirtualAxis, element: () => HTMLElement | null, horizontal: boolean) {
		this.#options = options;
		const settings = () => {
			const { count, sizeOf, before, after } = options();
			return {
				count,
				estimateSize: sizeOf,
				overscan: horizontal ? 1 : 4,
				horizontal,
				scrollPaddingStart: before,
				scrollPaddingEnd: after,
				observeElementRect,
				observeElementOffset,
				scrollToFn: elementScroll,
				getScrollElement: element,
				onChange: () => this.#update()
			};
		};
		this.#virtualizer = new Virtualizer(settings());
		$effect(() => this.#virtualizer._didMount());
		let sizes = '';
		$effect.pre(() => {
			const next = settings();
			this.#virtualizer.setOptions(next);
			void element();
			this.#virtualizer._willUpdate();
			// Sizes are kept by the library until it is told that they have changed.
			const key = horizontal
				? Array.from({ length: next.count }, (_, index) => next.estimateSize(index)).join()
				: `${next.count} ${next.estimateSize(0)}`;
			if (key !== sizes) this.#virtualizer.measure();
			sizes = key;
			this.#update();
		});
	}

	get items(): VirtualItem[] {
		this.#subscribe();
		return this.#virtualizer.getVirtualItems();
	}

	get size(): number {
		this.#subscribe();
		return this.#virtualizer.getTotalSize();
	}

	show(index: number): void {
		if (index < this.#options().count) this.#virtualizer.scrollToIndex(index);
	}
}
