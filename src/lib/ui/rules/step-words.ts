import { selectionInWords, type Selection } from '$lib/core';
import type { StepDraft } from '$lib/server/runbook';

type Names = ReadonlyMap<number, string>;

export const KIND_WORDS: Record<StepDraft['kind'], string> = {
	import: 'Import',
	copy: 'Copy',
	formula: 'Formula',
	'roll-forward': 'Roll-forward',
	clear: 'Clear'
};

const OVER = {
	'one period': ', the year’s total into one period',
	evenly: ', spread evenly over the year',
	season: ', spread over the year by season'
} as const;

/** A slice in words: "Actual; Sailings, Seats". */
export const sliceInWords = (slice: Readonly<Record<number, Selection>>, names: Names): string =>
	Object.values(slice)
		.map((selection) => selectionInWords(selection, names))
		.join('; ');

/** What a step does, in a sentence. */
export function stepInWords(step: StepDraft, names: Names): string {
	const within = Object.keys(step.limits).length > 0 ? ` Only in ${sliceInWords(step.limits, names)}.` : '';
	switch (step.kind) {
		case 'formula': {
			const targets = [...step.text.matchAll(/^\s*("[^"]+"|[\p{L}_][\p{L}\p{N}_]*)(?:\{[^}]*\})?\s*=/gmu)]
				.map(([, name]) => name!.replaceAll('"', ''))
				.filter((name) => name !== 'let');
			return targets.length === 0 ? `Writes nothing yet.${within}` : `Computes ${[...new Set(targets)].join(', ')}.${within}`;
		}
		case 'copy': {
			const from = sliceInWords(step.from, names) || 'everything';
			const onto = Object.values(step.onto).map((reference) => {
				if (typeof reference === 'number') return names.get(reference) ?? '?';
				return 'map' in reference
					? `what a table of ${reference.map.lines.length === 1 ? 'one line' : `${reference.map.lines.length} lines`} says`
					: `$${reference.variable}`;
			});
			const over = step.over ? OVER[step.over.way] : '';
			const shift = step.shift
				? `, ${Math.abs(step.shift.by)} ${step.shift.level}${Math.abs(step.shift.by) === 1 ? '' : 's'} ${step.shift.by < 0 ? 'earlier' : 'later'}`
				: '';
			const factor = step.factor === 1 ? '' : `, × ${typeof step.factor === 'number' ? step.factor : `$${step.factor.parameter}`}`;
			return `Copies ${from}${onto.length > 0 ? ` onto ${onto.join(', ')}` : ''}${shift}${over}${factor}.${within}`;
		}
		case 'roll-forward': {
			const isOne = new Set(step.lines.map(({ into }) => into ?? step.into)).size < 2;
			const lines = step.lines.map(({ from, accounts, to, members, into }) => {
				const what = accounts ? selectionInWords(accounts as Selection, names) : (names.get(from ?? -1) ?? '?');
				const moves = (members ?? []).map((move) => `${names.get(move.from) ?? '?'} into ${names.get(move.to) ?? '?'}`);
				const onto = to === null || to === from ? '' : ` into ${names.get(to) ?? '?'}`;
				return `${[what + onto, ...moves].join(', ')}${isOne ? '' : ` (${into ?? step.into})`}`;
			});
			const periods = isOne ? `, ${step.lines[0]?.into ?? step.into}` : '';
			return `Carries ${lines.join(', ') || 'nothing yet'}${periods}.${within}`;
		}
		case 'import':
			return step.import === null ? 'Loads nothing yet.' : 'Fetches and loads an import.';
		case 'clear':
			return `Clears ${step.what.join(', ') || 'nothing yet'}.${within}`;
		default:
			return step satisfies never;
	}
}
