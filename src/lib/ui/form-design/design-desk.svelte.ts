import { at } from '$lib/ui/at';
import { goto } from '$app/navigation';
import type { AxisBlock, Expression, FormLayout } from '$lib/core';
import type { FormAnswer } from '$lib/server/engine';
import type { DesignDesk as Desk, FormDesign, FormVersion } from '$lib/server/form';
import { ShownForm } from '../grid/shown-form';
import { request } from '../request';
import { trayOf, type AxisName, type DimensionStart } from './edit-layout';

/** What the inspector shows. */
export type Picked =
	{ kind: 'form' } | { kind: 'block'; axis: AxisName; id: number } | { kind: 'dimension'; dimension: number } | { kind: 'versions' };

/** Steps back that are kept. */
const MOST_STEPS = 100;

/** How long to wait with the preview until nothing more is changed. */
const PREVIEW_MILLISECONDS = 250;

/** What was said of a new form before its own page opened: that page says it. */
let saidBefore: DesignDesk['message'] = null;

/** A form being designed: what it is, what was changed, and how it looks with real figures. */
export class DesignDesk {
	readonly desk: Desk;
	code = $state<string | null>(null);
	design = $state.raw<FormDesign>(undefined as unknown as FormDesign);
	/** Expressions as texts, by their place in the layout. */
	texts = $state.raw<Record<string, string>>({});
	names = $state.raw<ReadonlyMap<number, string>>(new Map());
	picked = $state.raw<Picked>({ kind: 'form' });
	preview = $state.raw<ShownForm | null>(null);
	faults = $state.raw<string[]>([]);
	hints = $state.raw<string[]>([]);
	/** The person (id) whose eyes the preview has. */
	seenAs = $state<number | undefined>(undefined);
	choices = $state.raw<{ members: Record<string, number>; currency?: string }>({ members: {} });
	message = $state.raw<{ text: string; kind: 'info' | 'error' } | null>(null);
	busy = $state(false);
	#stored = $state.raw<string>('');
	#steps = $state.raw<FormDesign[]>([]);
	#ahead = $state.raw<FormDesign[]>([]);
	#timer: ReturnType<typeof setTimeout> | undefined;
	#asked = 0;
	/** While one types into a field, all of it is one step. */
	#lastField = '';

	constructor(desk: Desk) {
		this.desk = desk;
		this.take(desk);
		this.message = saidBefore;
		saidBefore = null;
	}

	take(desk: Desk): void {
		this.code = desk.code;
		this.design = desk.design;
		this.texts = desk.texts;
		this.names = new Map(Object.entries(desk.names).map(([id, name]) => [Number(id), name]));
		this.#stored = JSON.stringify(desk.design);
		this.#steps = [];
		this.#ahead = [];
		this.look();
	}

	get layout(): FormLayout {
		return this.design.layout;
	}

	get isChanged(): boolean {
		return JSON.stringify(this.design) !== this.#stored;
	}

	get canUndo(): boolean {
		return this.#steps.length > 0;
	}

	get canRedo(): boolean {
		return this.#ahead.length > 0;
	}

	/** Changes what the form is. @param field the field that is typed into: one step as long as it is the same */
	change(facts: Partial<Omit<FormDesign, 'layout'>>, field = ''): void {
		this.#step({ ...this.design, ...facts }, field);
	}

	/** Changes the layout and looks at it anew. */
	arrange(change: (layout: FormLayout) => FormLayout, field = ''): void {
		this.#step({ ...this.design, layout: change(this.layout) }, field);
		this.look();
	}

	#step(next: FormDesign, field: string): void {
		if (field === '' || field !== this.#lastField) this.#steps = [...this.#steps.slice(-MOST_STEPS), this.design];
		this.#lastField = field;
		this.#ahead = [];
		this.design = next;
	}

	undo(): void {
		const before = this.#steps.at(-1);
		if (!before) return;
		this.#ahead = [...this.#ahead, this.design];
		this.#steps = this.#steps.slice(0, -1);
		this.#lastField = '';
		this.design = before;
		this.look();
	}

	redo(): void {
		const next = this.#ahead.at(-1);
		if (!next) return;
		this.#steps = [...this.#steps, this.design];
		this.#ahead = this.#ahead.slice(0, -1);
		this.#lastField = '';
		this.design = next;
		this.look();
	}

	dimension = (id: number) => this.desk.dimensions.find((each) => each.id === id);

	/** What a dimension gets when it is put somewhere. */
	start = (id: number): DimensionStart => ({ kind: this.dimension(id)?.kind ?? 'general', top: this.desk.tops[id] ?? 0 });

	get unplaced(): number[] {
		return this.desk.dimensions.filter(({ id }) => trayOf(this.layout, id) === null).map(({ id }) => id);
	}

	block(axis: AxisName, id: number): AxisBlock | undefined {
		return this.layout[axis].find((block) => block.id === id);
	}

	know(members: readonly { id: number; name: string }[]): void {
		this.names = new Map([...this.names, ...members.map(({ id, name }) => [id, name] as const)]);
	}

	/** Asks for the preview once nothing more is changed for a moment. */
	look(): void {
		clearTimeout(this.#timer);
		this.#timer = setTimeout(() => void this.#look(), PREVIEW_MILLISECONDS);
	}

	async #look(): Promise<void> {
		const number = ++this.#asked;
		const reply = await request<{ form: FormAnswer | null; faults: string[]; hints: string[] }>('/api/form-design/preview', {
			layout: this.layout,
			choices: this.choices,
			...(this.seenAs !== undefined && { as: this.seenAs })
		});
		if (number !== this.#asked) return;
		if (!reply.ok) {
			this.faults = [reply.message];
			return;
		}
		this.faults = reply.answer.faults;
		this.hints = reply.answer.hints;
		// What was seen last stays in sight while a layout is unfinished.
		if (reply.answer.form) this.preview = new ShownForm(reply.answer.form);
	}

	/** Reads an expression; its sentence comes back where it is wrong. */
	async readExpression(place: string, text: string, blocks?: { id: number; label: string }[]): Promise<Expression | string> {
		const reply = await request<{ expression: Expression; text: string }>('/api/form-design/expression', {
			text,
			...(blocks && { blocks })
		});
		this.texts = { ...this.texts, [place]: text };
		return reply.ok ? reply.answer.expression : reply.message;
	}

	/** Publishes what is designed. */
	async publish(): Promise<void> {
		this.busy = true;
		const reply = await request<{ code: string; version: number }>(
			this.code === null ? '/api/form-design/create' : `/api/forms/${this.code}/design`,
			this.design
		);
		this.busy = false;
		if (!reply.ok) {
			this.message = { text: reply.message, kind: 'error' };
			return;
		}
		const isNew = this.code === null;
		this.design = { ...this.design, version: reply.answer.version };
		this.#stored = JSON.stringify(this.design);
		this.code = reply.answer.code;
		this.message = { text: `Published as version ${reply.answer.version}. Planners see it now.`, kind: 'info' };
		if (!isNew) return;
		saidBefore = this.message;
		await goto(at(`/forms/${reply.answer.code}/design`), { replaceState: true });
	}

	versions = async (against?: number): Promise<FormVersion[]> => {
		const reply = await request<{ versions: FormVersion[] }>(`/api/forms/${this.code}/versions`, against === undefined ? {} : { against });
		if (!reply.ok) this.message = { text: reply.message, kind: 'error' };
		return reply.ok ? reply.answer.versions : [];
	};
}
