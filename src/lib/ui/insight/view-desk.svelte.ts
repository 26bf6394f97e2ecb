import { goto, invalidate } from '$app/navigation';
import { page } from '$app/state';
import type { FormLayout } from '$lib/core';
import type { OpenView } from '$lib/server/insight';
import { at } from '../at';
import { placeDimension, trayDimensions, trayOf, type Tray } from '../form-design/edit-layout';
import { request } from '../request';

/** Turns back that are kept. */
const MOST_STEPS = 60;

/** A view being turned: each turn is stored, and the figures come anew. */
export class ViewDesk {
	view = $state.raw<OpenView>(undefined as unknown as OpenView);
	names = $state.raw<ReadonlyMap<number, string>>(new Map());
	busy = $state(false);
	fault = $state('');
	#steps = $state.raw<FormLayout[]>([]);

	constructor(view: OpenView) {
		this.take(view);
	}

	take(view: OpenView): void {
		this.view = view;
		this.names = new Map([...this.names, ...Object.entries(view.names).map(([id, name]) => [Number(id), name] as const)]);
	}

	get layout(): FormLayout {
		return this.view.layout;
	}

	get canGoBack(): boolean {
		return this.#steps.length > 0;
	}

	/** What a selection is picked with. */
	get desk() {
		const { variables, attributes } = this.view;
		return { variables, attributes };
	}

	axis = (id: number) => this.view.axes.find((each) => each.id === id);
	nameOf = (id: number): string => this.axis(id)?.name ?? 'A dimension that is gone';

	know(members: readonly { id: number; name: string }[]): void {
		this.names = new Map([...this.names, ...members.map(({ id, name }) => [id, name] as const)]);
	}

	/** Turns the view; what cannot be shown is said, and it stays as it was. */
	async turn(change: (layout: FormLayout) => FormLayout): Promise<boolean> {
		const before = this.layout;
		const done = await this.#send(change(before));
		if (done) this.#steps = [...this.#steps.slice(-MOST_STEPS), before];
		return done;
	}

	async back(): Promise<void> {
		const before = this.#steps.at(-1);
		if (before && (await this.#send(before))) this.#steps = this.#steps.slice(0, -1);
	}

	async #send(layout: FormLayout): Promise<boolean> {
		if (this.busy) return false;
		this.busy = true;
		const reply = await request<{ code: string }>('/api/views/change', { code: this.view.opened.code, layout });
		this.busy = false;
		this.fault = reply.ok ? '' : reply.message;
		if (!reply.ok) return false;
		this.view = { ...this.view, layout };
		if (reply.answer.code !== this.view.opened.code) await goto(at(`/insight/explore/${reply.answer.code}${page.url.search}`));
		else await invalidate('app:view');
		return true;
	}

	/** The dimensions (ids) that stand beside: chosen or pinned. */
	get aside(): number[] {
		const onAxes = new Set([...trayDimensions(this.layout, 'rows'), ...trayDimensions(this.layout, 'columns')]);
		return [...trayDimensions(this.layout, 'selectors'), ...trayDimensions(this.layout, 'pinned')].filter((id) => !onAxes.has(id));
	}

	/** Puts a dimension elsewhere, at a place among those there. */
	async place(dimension: number, tray: Tray, index: number): Promise<void> {
		const axis = this.axis(dimension);
		if (!axis) return;
		const from = trayOf(this.layout, dimension);
		// An axis left bare could not be shown: the first dimension beside takes its place.
		const leaves = (from === 'rows' || from === 'columns') && trayDimensions(this.layout, from).length === 1 && from !== tray ? from : null;
		const onTarget = tray === 'rows' || tray === 'columns' ? trayDimensions(this.layout, tray) : [];
		await this.turn((layout) => {
			const swaps =
				leaves !== null && onTarget.length > 0 ? onTarget[0]! : leaves !== null ? this.aside.find((id) => id !== dimension) : undefined;
			const start = (id: number) => ({ kind: this.axis(id)?.kind ?? 'general', top: this.axis(id)?.top ?? 0 });
			const moved = placeDimension(layout, dimension, tray, index, start(dimension));
			return swaps === undefined ? moved : placeDimension(moved, swaps, leaves!, 0, start(swaps));
		});
	}
}
