import { at } from '../at';
import type { CheckOutcome, ImportAct, ImportDetails, KeptFile, LineToAdd, RuleDetails, UnmappedValue } from '$lib/server/import';
import { asPerson, request } from '../request';

/** What the inspector shows. */
export type Selection =
	| { kind: 'rule'; dimension: number }
	| { kind: 'line'; dimension: number; line: number }
	| { kind: 'value'; dimension: number; value: string }
	| { kind: 'row'; index: number }
	| null;

/** The limit of the server; checked here too, because a refused upload of this size ends as a broken line. */
const MOST_BYTES = 1024 ** 3;

/** How soon after an edit the rows are looked at again: edits in a run cause one look. */
const CHECK_MILLISECONDS = 120;

/** An import at work: its definition, the file at hand, what its rows would become. Every edit is stored at once. */
export class ImportDesk {
	details = $state.raw<ImportDetails>() as ImportDetails;
	file = $state.raw<KeptFile | null>(null);
	check = $state.raw<CheckOutcome | null>(null);
	/** Why the file cannot be looked at. */
	checkFault = $state<string | null>(null);
	checking = $state(false);
	fault = $state<string | null>(null);
	/** What was done last, and how to undo it. */
	done = $state.raw<{ words: string; undo: (() => Promise<void>) | null } | null>(null);
	uploading = $state<{ name: string; share: number } | null>(null);
	selection = $state.raw<Selection>(null);
	/** Members chosen for dimensions the file does not name. */
	chosen = $state.raw<Record<number, number>>({});
	chosenNames = $state.raw<Record<number, string>>({});
	#timer: ReturnType<typeof setTimeout> | undefined;
	#look = 0;

	constructor(details: ImportDetails) {
		this.take(details);
	}

	/** Takes the import as the server knows it now. */
	take(details: ImportDetails): void {
		this.details = details;
		if (details.file?.id !== this.file?.id) this.file = details.file;
	}

	get path(): string {
		return `/api/imports/${this.details.code}`;
	}

	rule(dimension: number): RuleDetails | undefined {
		return this.details.rules.find((rule) => rule.dimension === dimension);
	}

	/** A value without a member, as the last look found it. */
	unmapped(dimension: number, value: string): UnmappedValue | undefined {
		return this.check?.dimensions.find((each) => each.dimension === dimension)?.unmapped.find((each) => each.value === value);
	}

	/** Changes the import or a map; the rows are looked at again. @returns whether it was stored */
	async edit(act: ImportAct): Promise<boolean> {
		const reply = await request<ImportDetails>(`${this.path}/edit`, act);
		if (reply.ok) {
			this.fault = null;
			this.done = null;
			this.take(reply.answer);
			this.lookSoon();
		} else this.fault = reply.message;
		return reply.ok;
	}

	lookSoon(): void {
		clearTimeout(this.#timer);
		this.#timer = setTimeout(() => void this.look(), CHECK_MILLISECONDS);
	}

	/** Looks what the rows would become. Of two looks under way the later one counts. */
	async look(allRows = false): Promise<void> {
		const { file } = this;
		if (!file) {
			this.check = null;
			return;
		}
		const number = ++this.#look;
		this.checking = true;
		const reply = await request<CheckOutcome>(`${this.path}/check`, { file: file.id, chosen: this.chosen, allRows });
		if (number !== this.#look) return;
		this.checking = false;
		this.check = reply.ok ? reply.answer : null;
		this.checkFault = reply.ok ? null : reply.message;
	}

	/** Sends a file; it is kept, and nothing is loaded yet. */
	async upload(file: File): Promise<void> {
		this.fault = null;
		this.done = null;
		if (file.size === 0) this.fault = `${file.name} is empty. Nothing was loaded.`;
		else if (file.size > MOST_BYTES) this.fault = `${file.name} is larger than 1 GB. Split it by month or line and load the parts.`;
		if (this.fault) return;
		this.uploading = { name: file.name, share: 0 };
		try {
			this.file = await send(
				`/api/files?import=${encodeURIComponent(this.details.code)}&name=${encodeURIComponent(file.name)}`,
				file,
				(share) => {
					this.uploading = { name: file.name, share };
				}
			);
			this.selection = null;
			await this.look();
		} catch (error) {
			this.fault = (error as Error).message;
		} finally {
			this.uploading = null;
		}
	}

	/** Adds a line to a dimension's map; it can be undone. */
	async addLine(dimension: number, line: LineToAdd, words: string): Promise<boolean> {
		const map = this.rule(dimension)?.map;
		if (!map) return false;
		const known = new Set(this.rule(dimension)!.lines.map(({ id }) => id));
		if (!(await this.edit({ act: 'add lines', map: map.id, lines: [line], before: null }))) return false;
		const added = this.rule(dimension)!.lines.find(({ id }) => !known.has(id));
		this.done = { words, undo: added ? async () => void (await this.edit({ act: 'remove lines', lines: [added.id] })) : null };
		return true;
	}

	/** Sends a value to a member; with its sign turned where the values around it have theirs turned. */
	mapValue(dimension: number, value: string, member: number, name: string): Promise<boolean> {
		const reverseSign =
			this.check?.dimensions.find((each) => each.dimension === dimension)?.unmapped.find((each) => each.value === value)?.reverseSign ??
			false;
		return this.addLine(
			dimension,
			{ terms: { kind: 'single', value }, member, skip: false, reverseSign },
			`${value || 'The empty value'} goes to ${name}${reverseSign ? ', with its sign turned like the values around it' : ''}.`
		);
	}

	skipValue(dimension: number, value: string): Promise<boolean> {
		return this.addLine(
			dimension,
			{ terms: { kind: 'single', value }, member: null, skip: true, reverseSign: false },
			`Rows with ${value || 'an empty value'} are left out.`
		);
	}

	/** Makes a member for a value and maps it. */
	async createMember(dimension: number, value: string, name: string, parent: number | null): Promise<boolean> {
		const reply = await request(`${this.path}/member`, { dimension, value, name, parent });
		if (!reply.ok) {
			this.fault = reply.message;
			return false;
		}
		await this.refresh();
		this.done = { words: `${name} was made, and ${value} goes there.`, undo: null };
		return true;
	}

	/** Removes a line; it can be put back where it was. */
	async removeLine(dimension: number, id: number): Promise<void> {
		const rule = this.rule(dimension);
		const place = rule?.lines.findIndex((line) => line.id === id) ?? -1;
		const gone = rule?.lines[place];
		if (!rule?.map || !gone) return;
		const before = rule.lines[place + 1]?.id ?? null;
		const map = rule.map.id;
		if (!(await this.edit({ act: 'remove lines', lines: [id] }))) return;
		this.selection = { kind: 'rule', dimension };
		const { id: _, member, skip, reverseSign, ...terms } = gone.line;
		this.done = {
			words: `The line ${gone.terms} was removed.`,
			undo: async () => void (await this.edit({ act: 'add lines', map, before, lines: [{ terms, member, skip, reverseSign }] }))
		};
	}

	async undo(): Promise<void> {
		const undo = this.done?.undo;
		this.done = null;
		await undo?.();
	}

	/** Reads the import anew: after something was done elsewhere. */
	async refresh(): Promise<void> {
		const reply = await request<ImportDetails>(this.path);
		if (reply.ok) this.take(reply.answer);
		else this.fault = reply.message;
		this.lookSoon();
	}

	choose(dimension: number, member: number, name: string): void {
		this.chosen = { ...this.chosen, [dimension]: member };
		this.chosenNames = { ...this.chosenNames, [dimension]: name };
		this.lookSoon();
	}
}

/** Sends a file with its progress, which only this old way of asking tells. */
export function send(path: string, file: File, progress: (share: number) => void): Promise<KeptFile> {
	return new Promise((done, failed) => {
		const ask = new XMLHttpRequest();
		ask.open('POST', at(path));
		for (const [name, value] of Object.entries(asPerson())) ask.setRequestHeader(name, value);
		ask.upload.onprogress = ({ loaded, total }) => progress(total === 0 ? 0 : loaded / total);
		ask.onerror = () => failed(new Error('The connection broke off. Nothing was loaded; send the file again.'));
		ask.onload = () => {
			const answer = parse(ask.responseText);
			if (ask.status >= 200 && ask.status < 300) done(answer as KeptFile);
			else if (ask.status === 401) location.reload();
			else failed(new Error((answer as { message?: string }).message ?? 'The server could not answer. Try again.'));
		};
		ask.send(file);
	});
}

function parse(text: string): unknown {
	try {
		return JSON.parse(text);
	} catch {
		return {};
	}
}
