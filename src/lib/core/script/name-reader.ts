import type { SyntaxNode } from '@lezer/common';
import { quoted, unquoted } from '../formula';
import type { Dimension } from '../dimension';
import type { Model } from '../model';
import type { ScriptNames } from './names';
import type { NameUse, ParameterValue } from './tree';

/** Thrown where the rest of an expression makes no sense any more; kept as a fault. */
export class ScriptError extends Error {
	constructor(
		readonly node: { from: number; to: number },
		message: string
	) {
		super(message);
	}
}

/** Finds what the names of a script stand for, and notes which members they are. */
export class NameReader {
	protected readonly model: Model;
	protected readonly text: string;
	protected readonly names: ScriptNames;
	protected readonly parameters: ReadonlyMap<string, ParameterValue>;
	protected readonly uses: NameUse[] = [];
	protected readonly asked = new Set<string>();

	constructor(model: Model, text: string, names: ScriptNames, parameters: ReadonlyMap<string, ParameterValue>) {
		this.model = model;
		this.text = text;
		this.names = names;
		this.parameters = parameters;
	}

	protected textOf = (node: { from: number; to: number }): string => this.text.slice(node.from, node.to);

	protected words(name: SyntaxNode): { dimension: string | undefined; word: string; node: SyntaxNode } {
		const words: SyntaxNode[] = [];
		for (let child = name.firstChild; child; child = child.nextSibling) if (child.name !== 'Colon') words.push(child);
		const last = words.at(-1)!;
		return { dimension: words.length > 1 ? unquoted(this.textOf(words[0]!)) : undefined, word: unquoted(this.textOf(last)), node: last };
	}

	/** A member by its name; of several dimensions with one of that name, the one that is asked for. */
	protected member(name: SyntaxNode, within?: Dimension): { dimension: Dimension; ordinal: number } {
		const { dimension: prefix, word } = this.words(name);
		const named = prefix === undefined ? within : this.dimensionNamed(name, prefix);
		if (named) {
			const ordinal = this.names.member(named, word);
			if (ordinal === undefined) throw this.unknown(name, word, [named]);
			return this.use(name, named, ordinal, prefix !== undefined);
		}
		const found = this.names.everywhere(word);
		if (found.length === 0) throw this.unknown(name, word, this.names.dimensions);
		if (found.length > 1)
			throw new ScriptError(
				name,
				`“${word}” is a name in ${listed(found.map(({ dimension }) => dimension.name))}. Put the dimension in front: ${quoted(found[0]!.dimension.name)}:${quoted(word)}.`
			);
		return this.use(name, found[0]!.dimension, found[0]!.ordinal, false);
	}

	protected use(node: SyntaxNode, dimension: Dimension, ordinal: number, qualified: boolean) {
		this.uses.push({ from: node.from, to: node.to, dimension: dimension.id, member: dimension.member(ordinal).id, qualified });
		return { dimension, ordinal };
	}

	protected dimensionNamed(node: { from: number; to: number }, name: string): Dimension {
		const found = this.names.dimension(name);
		if (found) return found;
		throw new ScriptError(node, `There is no dimension “${name}”. There are ${listed(this.names.dimensions.map((each) => each.name))}.`);
	}

	protected unknown(node: SyntaxNode, word: string, dimensions: readonly Dimension[]): ScriptError {
		const near = this.names.nearest(word, dimensions);
		return new ScriptError(
			node,
			`No member “${word}” in ${listed(
				dimensions.map(({ name }) => name),
				'or'
			)}.${near ? ` Did you mean “${near}”?` : ''}`
		);
	}

	/** The account that `value` stands for: the one a statement is at. */
	protected current: number | undefined;

	/** Whether a name is the word `value`, not a member called so. */
	protected isValueWord(name: SyntaxNode): boolean {
		return this.textOf(name).trim() === 'value';
	}

	protected account(name: SyntaxNode): number {
		if (this.isValueWord(name)) {
			if (this.current === undefined)
				throw new ScriptError(name, '“value” stands for the account a statement is at. Use it in an assignment, not in a let.');
			return this.current;
		}
		const found = this.member(name, this.model.accounts);
		if (found.dimension !== this.model.accounts)
			throw new ScriptError(name, `“${found.dimension.member(found.ordinal).name}” is no account but belongs to ${found.dimension.name}.`);
		return found.ordinal;
	}

	protected parameter(node: SyntaxNode): ParameterValue {
		const name = this.textOf(node).slice(1);
		this.asked.add(name);
		const value = this.parameters.get(name);
		if (value) return value;
		const known = [...this.parameters.keys()];
		throw new ScriptError(
			node,
			known.length > 0
				? `There is no parameter or variable $${name}. There are ${listed(known.map((each) => `$${each}`))}.`
				: `There is no parameter or variable $${name}.`
		);
	}
}

export function lastChild(node: SyntaxNode): SyntaxNode {
	let last = node.lastChild!;
	while (last.name === 'Comment' || last.name === 'Everywhere') last = last.prevSibling!;
	return last;
}

export const listed = (words: readonly string[], joined = 'and'): string =>
	words.length < 2 ? (words[0] ?? '') : `${words.slice(0, -1).join(', ')} ${joined} ${words.at(-1)}`;

export function numberOf(text: string): number {
	const value = Number(text.replaceAll('_', '').replace('%', ''));
	return text.endsWith('%') ? value / 100 : value;
}

export const textOf = (text: string): string => text.slice(1, -1).replaceAll("''", "'");
