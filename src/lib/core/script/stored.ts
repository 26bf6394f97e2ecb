import type { Model } from '../model';
import { ScriptNames } from './names';
import type { NameUse } from './tree';

/**
 * A script as it is kept: its text, comments and all, and which members its names are. Names are printed anew when it is
 * read, so that renaming, recoding and moving members never breaks it.
 */
export interface StoredScript {
	text: string;
	names: readonly NameUse[];
}

/** The text with today's names. A member that is gone keeps the name it had; the checker says so. O(text + names). */
export function printScript(model: Model, { text, names }: StoredScript, scriptNames = new ScriptNames(model)): string {
	let printed = '';
	let at = 0;
	for (const { from, to, dimension: id, member, qualified } of [...names].sort((a, b) => a.from - b.from)) {
		const dimension = model.dimension(id);
		const ordinal = dimension?.ordinal(member);
		if (!dimension || ordinal === undefined || from < at) continue;
		printed +=
			text.slice(at, from) +
			scriptNames.print(dimension, ordinal, qualified ? (/\s*:\s*/.exec(text.slice(from, to))?.[0] ?? ':') : undefined);
		at = to;
	}
	return printed + text.slice(at);
}

/**
 * A script with its lines set in by the depth of their scope; words, comments and blank lines stay as they are.
 * Formatting twice changes nothing.
 */
export function formatScript(text: string): string {
	let depth = 0;
	return text
		.split('\n')
		.map((line) => {
			const words = line.trim();
			const code = words.replace(/--.*$/, '').replace(/"(?:[^"]|"")*"|'(?:[^']|'')*'/g, '""');
			if (/^end\b/.test(code)) depth = Math.max(0, depth - 1);
			const shown = words === '' ? '' : '  '.repeat(depth) + words;
			depth += (code.match(/\bwithin\b/g) ?? []).length - (code.match(/\bend\b/g) ?? []).length + (/^end\b/.test(code) ? 1 : 0);
			depth = Math.max(0, depth);
			return shown;
		})
		.join('\n')
		.trimEnd();
}
