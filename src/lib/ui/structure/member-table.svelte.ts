import type { EffectLine } from '$lib/server/engine';
import type { ActOutcome, HandOverChoice, MemberTable, UsedMember } from '$lib/server/structure';
import { request, type Reply } from '../request';

/** A column of the table: a basic fact of every member, or a field. */
export interface Column {
	key: string;
	title: string;
	help?: string;
	width: number;
}

/** A row that is being written: a member that does not exist yet. */
export interface NewRow {
	parent: number | null;
	before: number | undefined;
	/** Index in the visible rows under which it is shown. */
	after: number;
	depth: number;
}

/** Something to decide before a change goes through. */
export type Question =
	| { kind: 'hand over'; choice: HandOverChoice; retry: (child: string) => Promise<boolean> }
	| { kind: 'effect'; lines: EffectLine[]; goOn: () => Promise<boolean> }
	| { kind: 'used'; used: UsedMember };

type Edit = { act: string } & Record<string, unknown>;

/** Facts whose change may move figures: what that does is shown first. */
const MOVES_FIGURES = new Set([
	'weight',
	'kind',
	'valueType',
	'timeBehaviour',
	'consolidation',
	'weighedBy',
	'frequency',
	'rateKind',
	'balance'
]);

/** The members of a dimension on the page: what is seen, chosen and changed. */
export class MemberTableState {
	readonly code: string;
	table = $state.raw<MemberTable>(undefined as unknown as MemberTable);
	hierarchy = $state<string | undefined>(undefined);
	folded = $state.raw<ReadonlySet<number>>(new Set());
	text = $state('');
	/** Index in `visible`, and in `columns`. */
	at = $state(0);
	column = $state(0);
	/** Rows (in the table) chosen besides the one in focus. */
	chosen = $state.raw<ReadonlySet<number>>(new Set());
	editing = $state<{ value: string } | null>(null);
	adding = $state<NewRow | null>(null);
	message = $state<{ text: string; kind: 'info' | 'error' } | null>(null);
	question = $state.raw<Question | null>(null);
	busy = $state(false);
	#anchor = 0;

	constructor(table: MemberTable) {
		this.code = table.code;
		this.take(table);
		if (table.ids.length > 60) this.foldBelow(1);
	}

	take(table: MemberTable): void {
		this.table = table;
	}

	readonly columns = $derived.by((): Column[] => {
		const { fields, values, kind, weights } = this.table;
		const always = new Set(kind === 'account' ? ['kind', 'valueType', 'timeBehaviour', 'consolidation'] : []);
		const shown = fields.filter(
			({ key }) => (kind !== 'account' && key !== 'balance') || values[key] || always.has(key) || key.startsWith('attribute ')
		);
		const weighted = kind === 'account' || weights.some((weight) => weight !== 1);
		return [
			{ key: 'name', title: 'Member', width: 240 },
			{ key: 'code', title: 'Code', width: 110 },
			...(weighted
				? [{ key: 'weight', title: 'Counts', help: 'How it counts in the member above: 1 adds, −1 subtracts, 0 not at all', width: 70 }]
				: []),
			...shown.map(({ key, title, help }) => ({ key, title, width: WIDTHS[key] ?? 120, ...(help && { help }) }))
		];
	});

	/** Rows of the table that are not under a folded one; with a search text, all that match. */
	readonly visible = $derived.by((): number[] => {
		const { names, codes, depths, ids } = this.table;
		const wanted = this.text.trim().toLowerCase();
		const found: number[] = [];
		if (wanted) {
			for (let row = 0; row < ids.length; row++)
				if (names[row]!.toLowerCase().includes(wanted) || codes[row]!.toLowerCase().includes(wanted)) found.push(row);
			return found;
		}
		let hiddenBelow = Number.POSITIVE_INFINITY;
		for (let row = 0; row < ids.length; row++) {
			if (depths[row]! > hiddenBelow) continue;
			hiddenBelow = this.folded.has(ids[row]!) ? depths[row]! : Number.POSITIVE_INFINITY;
			found.push(row);
		}
		return found;
	});

	readonly leaves = $derived(this.table.ids.reduce((count, _, row) => count + (this.isLeaf(row) ? 1 : 0), 0));
	/** The row in focus, undefined when nothing is to be seen. */
	readonly row = $derived(this.visible[Math.min(this.at, this.visible.length - 1)]);

	isLeaf(row: number): boolean {
		return !(this.table.depths[row + 1]! > this.table.depths[row]!);
	}

	/** The row of the member above, −1 at the top. */
	parentOf(row: number): number {
		const { depths } = this.table;
		for (let above = row - 1; above >= 0; above--) if (depths[above]! < depths[row]!) return above;
		return -1;
	}

	/** Where the rows under one end. */
	endOf(row: number): number {
		const { depths, ids } = this.table;
		let end = row + 1;
		while (end < ids.length && depths[end]! > depths[row]!) end++;
		return end;
	}

	textAt(row: number, key: string): string {
		if (key === 'name') return this.table.names[row]!;
		if (key === 'code') return this.table.codes[row]!;
		if (key === 'weight') return String(this.table.weights[row]!);
		if (key === 'retired') return this.table.marks[row]! & 2 ? 'yes' : 'no';
		return this.table.values[key]?.[row] ?? '';
	}

	foldBelow(depth: number): void {
		const { ids, depths } = this.table;
		this.folded = new Set(ids.filter((_, row) => depths[row]! >= depth && !this.isLeaf(row)));
	}

	toggle(row: number, open = this.folded.has(this.table.ids[row]!)): void {
		if (this.isLeaf(row)) return;
		const next = new Set(this.folded);
		if (open) next.delete(this.table.ids[row]!);
		else next.add(this.table.ids[row]!);
		this.folded = next;
	}

	/** Moves the focus; with `extend` the rows between are chosen. */
	go(at: number, extend = false): void {
		const target = Math.max(0, Math.min(at, this.visible.length - 1));
		if (!extend) {
			this.#anchor = target;
			this.chosen = new Set();
		} else {
			const [from, to] = [Math.min(this.#anchor, target), Math.max(this.#anchor, target)];
			this.chosen = new Set(this.visible.slice(from, to + 1));
		}
		this.at = target;
	}

	/** Chooses one row more, or one less. */
	alsoChoose(at: number): void {
		const next = new Set(this.chosen.size > 0 ? this.chosen : this.row === undefined ? [] : [this.row]);
		const row = this.visible[at]!;
		if (next.has(row)) next.delete(row);
		else next.add(row);
		this.chosen = next;
		this.at = this.#anchor = at;
	}

	/** The chosen rows without those under another chosen one. */
	get picked(): number[] {
		const rows = this.chosen.size > 0 ? [...this.chosen].sort((a, b) => a - b) : this.row === undefined ? [] : [this.row];
		const kept: number[] = [];
		let end = -1;
		for (const row of rows) {
			if (row < end) continue;
			kept.push(row);
			end = this.endOf(row);
		}
		return kept;
	}

	/** Shows a member by id, wherever it is. */
	reveal(id: number): void {
		const row = this.table.ids.indexOf(id);
		if (row < 0) return;
		const next = new Set(this.folded);
		for (let above = this.parentOf(row); above >= 0; above = this.parentOf(above)) next.delete(this.table.ids[above]!);
		this.folded = next;
		this.text = '';
		this.go(this.visible.indexOf(row));
	}

	async reload(): Promise<void> {
		const query = this.hierarchy === undefined ? '' : `?hierarchy=${encodeURIComponent(this.hierarchy)}`;
		const reply = await request<MemberTable>(`/api/structure/dimension/${this.code}${query}`);
		if (reply.ok) this.take(reply.answer);
		else this.message = { text: reply.message, kind: 'error' };
		this.chosen = new Set();
	}

	async show(hierarchy: string | undefined): Promise<void> {
		this.hierarchy = hierarchy;
		this.at = 0;
		await this.reload();
	}

	/** Sets one field of the row in focus; of all chosen rows where several are. */
	async set(key: string, value: string): Promise<boolean> {
		const rows = this.chosen.size > 1 && key !== 'name' && key !== 'code' ? [...this.chosen] : this.row === undefined ? [] : [this.row];
		const edits = rows
			.filter((row) => this.textAt(row, key) !== value.trim())
			.map((row) => ({
				act: 'set',
				member: this.table.ids[row]!,
				field: key,
				value,
				was: this.textAt(row, key),
				...(this.hierarchy !== undefined && { hierarchy: this.hierarchy })
			}));
		if (edits.length === 0) return true;
		return MOVES_FIGURES.has(key) ? this.#withEffect(edits) : this.edit(edits);
	}

	/** Moves the picked rows under a parent, before a sibling. */
	move(parent: number | null, before: number | undefined): Promise<boolean> {
		const members = this.picked.map((row) => this.table.ids[row]!);
		if (members.length === 0 || (before !== undefined && members.includes(before))) return Promise.resolve(true);
		const edit = {
			act: 'move',
			members,
			parent,
			...(before !== undefined && { before }),
			...(this.hierarchy !== undefined && { hierarchy: this.hierarchy })
		};
		return this.#withEffect([edit]);
	}

	/** One step up or down among its siblings, or a level in or out. */
	async nudge(way: 'up' | 'down' | 'in' | 'out'): Promise<void> {
		const row = this.picked[0];
		if (row === undefined) return;
		const { ids, depths } = this.table;
		const id = ids[row]!;
		const above = this.parentOf(row);
		const parent = above < 0 ? null : ids[above]!;
		const siblings = [];
		const end = above < 0 ? ids.length : this.endOf(above);
		for (let each = above + 1; each < end; each++) if (depths[each] === depths[row]) siblings.push(each);
		const place = siblings.indexOf(row);
		const lastPicked = siblings.indexOf(this.picked.at(-1)!);
		if (way === 'up' && place > 0) await this.move(parent, ids[siblings[place - 1]!]);
		else if (way === 'down' && lastPicked >= 0 && lastPicked < siblings.length - 1) await this.move(parent, ids[siblings[lastPicked + 2]!]);
		else if (way === 'in' && place > 0) await this.move(ids[siblings[place - 1]!]!, undefined);
		else if (way === 'out' && above >= 0) {
			const grand = this.parentOf(above);
			const next = this.endOf(above);
			const before = next < ids.length && this.parentOf(next) === grand ? ids[next] : undefined;
			await this.move(grand < 0 ? null : ids[grand]!, before);
		}
		this.reveal(id);
	}

	/** Opens a row to write a new member: beside the one in focus, or under it. */
	startAdding(under = false): void {
		const row = this.row;
		if (row === undefined) {
			this.adding = { parent: null, before: undefined, after: -1, depth: 0 };
			return;
		}
		const { ids, depths } = this.table;
		if (under) {
			this.toggle(row, true);
			this.adding = { parent: ids[row]!, before: undefined, after: this.at, depth: depths[row]! + 1 };
			return;
		}
		const above = this.parentOf(row);
		const end = this.endOf(row);
		const next = end < ids.length && depths[end] === depths[row] ? ids[end] : undefined;
		const last = this.folded.has(ids[row]!) ? this.at : this.visible.findLastIndex((each) => each < end);
		this.adding = { parent: above < 0 ? null : ids[above]!, before: next, after: last, depth: depths[row]! };
	}

	/** Adds the member that was written; the next one may be written after it. */
	async add(code: string, name: string): Promise<boolean> {
		const place = this.adding;
		if (!place) return false;
		const done = await this.edit([
			{
				act: 'add',
				code: code.trim() || name.trim(),
				name: name.trim() || code.trim(),
				parent: place.parent,
				...(place.before !== undefined && { before: place.before }),
				...(this.hierarchy !== undefined && { hierarchy: this.hierarchy })
			}
		]);
		if (!done) return false;
		const row = this.table.codes.indexOf(code.trim() || name.trim());
		if (row >= 0) {
			// What a search would hide is shown all the same: one wants to see what one has made.
			if (this.visible.includes(row)) this.go(this.visible.indexOf(row));
			else this.reveal(this.table.ids[row]!);
			this.startAdding();
		}
		return true;
	}

	/** Sends edits; asks what has to be decided. @returns whether they are done */
	edit(edits: Edit[], handOver: Record<string, string> = {}): Promise<boolean> {
		return this.#act('edit', { edits, handOver }, (child, parent) => this.edit(edits, { ...handOver, [parent]: child }));
	}

	undo(): Promise<boolean> {
		return this.#act('undo', {});
	}

	async remove(how: { way: 'delete' } | { way: 'retire' } | { way: 'replace'; by: number }, member?: number): Promise<boolean> {
		const id = member ?? (this.row === undefined ? undefined : this.table.ids[this.row]);
		return id === undefined ? false : this.#act('remove', { member: id, how });
	}

	async #withEffect(edits: Edit[]): Promise<boolean> {
		const reply = await this.#send<{ lines: EffectLine[] }>('effect', { edits, handOver: {} });
		if (reply.ok && reply.answer.lines.length > 0) {
			this.question = { kind: 'effect', lines: reply.answer.lines, goOn: () => this.edit(edits) };
			return false;
		}
		return this.edit(edits);
	}

	async #act(verb: string, body: object, retry?: (child: string, parent: string) => Promise<boolean>): Promise<boolean> {
		this.question = null;
		const reply = await this.#send<ActOutcome>(verb, body);
		if (reply.ok) {
			this.message = reply.answer.change === null ? null : { text: `${reply.answer.words}.`, kind: 'info' };
			await this.reload();
			return true;
		}
		if (reply.code === 'numbers below' && retry) {
			const choice = reply.details as HandOverChoice;
			this.question = { kind: 'hand over', choice, retry: (child) => retry(child, String(choice.parent.id)) };
		} else if (reply.code === 'still used') this.question = { kind: 'used', used: reply.details as UsedMember };
		this.message = { text: reply.message, kind: 'error' };
		if (reply.code === 'conflict') await this.reload();
		return false;
	}

	async #send<Answer>(verb: string, body: object): Promise<Reply<Answer>> {
		this.busy = true;
		try {
			return await request<Answer>(`/api/structure/dimension/${this.code}/${verb}`, body);
		} finally {
			this.busy = false;
		}
	}
}

const WIDTHS: Record<string, number> = {
	weighedBy: 110,
	decimals: 80,
	frequency: 100,
	owner: 200,
	reviewers: 240,
	currency: 80,
	laterRates: 180
};
