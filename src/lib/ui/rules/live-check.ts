import { scriptSyntaxFault, type ScriptFault } from '$lib/core';
import { ensureSyntaxTree } from '@codemirror/language';
import { forEachDiagnostic, setDiagnostics } from '@codemirror/lint';
import type { EditorState, Extension } from '@codemirror/state';
import { EditorView, ViewPlugin, type ViewUpdate } from '@codemirror/view';

/** A stretch of a text. */
export interface Stretch {
	from: number;
	to: number;
}

interface Checking {
	/** What is wrong with a text beside its grammar, in all of it or near a stretch; or that it could not be asked. */
	ask: (text: string, near: Stretch | undefined) => Promise<readonly ScriptFault[]>;
	/** Whether the text is a script, so that what its grammar cannot read is seen here at once. */
	isScript: boolean;
	/** Told how many faults are shown. */
	onfaults: (count: number) => void;
}

/** How long reading the rest of a long script may hold up typing; beyond it the answer from elsewhere is waited for. */
const MOST_MILLISECONDS = 20;

/** After so long without a key the whole text is looked at: how statements stand to each other, too. */
const PAUSE_MILLISECONDS = 250;

/**
 * Shows faults as one types: what the grammar cannot read with the same key; names and the rest near the key as soon as
 * the answer comes; all of the text after a pause. One question is under way at a time, the next with the text as it is then.
 */
export const liveCheck = (checking: Checking): Extension =>
	ViewPlugin.fromClass(
		class {
			#asking = false;
			#isGone = false;
			#pause: ReturnType<typeof setTimeout> | undefined;
			/** What has been typed in since all of the text was looked at. */
			#typed: Stretch | undefined;

			constructor(readonly view: EditorView) {
				// A view may not be changed while it is being made.
				queueMicrotask(() => this.#look());
			}
			update({ docChanged, changes }: ViewUpdate): void {
				if (!docChanged) return;
				let { from, to } = this.#typed
					? { from: changes.mapPos(this.#typed.from, -1), to: changes.mapPos(this.#typed.to, 1) }
					: { from: Number.POSITIVE_INFINITY, to: 0 };
				changes.iterChangedRanges((_fromBefore, _toBefore, fromNow, toNow) => {
					from = Math.min(from, fromNow);
					to = Math.max(to, toNow);
				});
				this.#typed = { from, to };
				queueMicrotask(() => this.#look());
				clearTimeout(this.#pause);
				this.#pause = setTimeout(() => {
					this.#typed = undefined;
					this.#look();
				}, PAUSE_MILLISECONDS);
			}
			destroy(): void {
				this.#isGone = true;
				clearTimeout(this.#pause);
			}

			#look(): void {
				if (this.#isGone) return;
				const { state } = this.view;
				if (state.doc.toString().trim() === '') return this.#show([]);
				const broken = checking.isScript ? brokenAt(state) : undefined;
				if (broken) this.#show([broken]);
				else if (!this.#asking) void this.#askAbout(state);
			}
			async #askAbout(state: EditorState): Promise<void> {
				this.#asking = true;
				const near = checking.isScript ? this.#typed : undefined;
				const faults = await checking.ask(state.doc.toString(), near);
				this.#asking = false;
				if (this.#isGone) return;
				if (!this.view.state.doc.eq(state.doc)) return this.#look();
				this.#show(near ? [...this.#shownBeside(near, faults), ...faults] : faults);
				// The pause was over while this was asked.
				if (near && this.#typed === undefined) this.#look();
			}
			/** The faults that are shown elsewhere than in the lines of a stretch, and are not among others. */
			#shownBeside(near: Stretch, others: readonly ScriptFault[]): ScriptFault[] {
				const { state } = this.view;
				const lines = { from: state.doc.lineAt(near.from).from, to: state.doc.lineAt(near.to).to };
				const beside: ScriptFault[] = [];
				forEachDiagnostic(state, ({ message }, from, to) => {
					const isAmong = others.some((other) => other.from === from && other.message === message);
					if ((to < lines.from || from > lines.to) && !isAmong) beside.push({ from, to, message });
				});
				return beside;
			}
			#show(faults: readonly ScriptFault[]): void {
				const { doc } = this.view.state;
				const within = (at: number) => Math.min(at, doc.length);
				const shown = faults.map(({ from, to, message }) => ({
					from: within(from),
					to: within(Math.max(from, to)),
					severity: 'error' as const,
					message
				}));
				this.view.dispatch(setDiagnostics(this.view.state, shown));
				checking.onfaults(faults.length);
			}
		}
	);

function brokenAt(state: EditorState): ScriptFault | undefined {
	const tree = ensureSyntaxTree(state, state.doc.length, MOST_MILLISECONDS);
	return tree ? scriptSyntaxFault(state.doc.toString(), tree.topNode) : undefined;
}
