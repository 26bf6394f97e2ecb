import type { SyntaxNode } from '@lezer/common';
import { selectMembers, type Dimension } from '../dimension';
import { unquoted } from '../formula';
import { lastChild, listed, NameReader, numberOf, ScriptError, textOf } from './name-reader';
import type { Comparison } from './tree';

/** Reads selections: which members of a dimension they give today. */
export class SelectionReader extends NameReader {
	protected leafPeriods(ordinals: Iterable<number>): Uint8Array {
		const { periods } = this.model;
		const found = new Uint8Array(periods.leaves.length);
		for (const ordinal of ordinals) {
			const { from, to } = periods.range(ordinal);
			if (to >= from) found.fill(1, from, to + 1);
		}
		return found;
	}

	protected selection(node: SyntaxNode, implied?: Dimension): { dimension: Dimension; ordinals: number[] } {
		const first = node.firstChild!;
		let selected = this.selectionTerm(first, implied);
		for (const where of node.getChildren('Where')) selected = { ...selected, ordinals: this.where(where, selected) };
		for (const except of node.getChildren('Except')) {
			const without = this.selectionTerm(lastChild(except), selected.dimension);
			const gone = new Set(
				without.ordinals.flatMap((ordinal) => [...without.dimension.treeOf(ordinal).under(ordinal), ...without.dimension.leavesOf(ordinal)])
			);
			// A parent with something taken out is what is left beneath it.
			const leaves = selected.ordinals.flatMap((ordinal) => selected.dimension.leavesOf(ordinal));
			selected = { ...selected, ordinals: [...new Set(leaves)].filter((ordinal) => !gone.has(ordinal)) };
		}
		return selected;
	}

	protected selectionTerm(node: SyntaxNode, implied: Dimension | undefined): { dimension: Dimension; ordinals: number[] } {
		switch (node.name) {
			case 'Name': {
				const found = this.member(node, implied);
				return { dimension: found.dimension, ordinals: [found.ordinal] };
			}
			case 'Parameter':
				return this.selectedBy(node, implied);
			case 'Prefixed': {
				const dimension = this.dimensionNamed(node.firstChild!, unquoted(this.textOf(node.firstChild!)));
				return this.selectionTerm(lastChild(node), dimension);
			}
			case 'Range': {
				const [one, other] = node.getChildren('Name');
				const from = this.member(one!, implied);
				const to = this.member(other!, from.dimension);
				return { dimension: from.dimension, ordinals: this.range(node, from.dimension, from.ordinal, to.ordinal) };
			}
			case 'Level':
				return { dimension: this.model.periods.dimension, ordinals: this.#ofLevel(node) };
			case 'LeafOfEach': {
				const { periods } = this.model;
				const end = this.textOf(node.firstChild!) === 'first' ? 0 : -1;
				const leaves = this.#ofLevel(node.getChild('Level')!).flatMap((ordinal) => periods.dimension.leavesOf(ordinal).at(end) ?? []);
				return { dimension: periods.dimension, ordinals: leaves };
			}
			case 'Family': {
				const kind = this.textOf(node.firstChild!) as 'children' | 'leaves' | 'under';
				const root = lastChild(node);
				if (root.name === 'Name') {
					const { dimension: prefix, word } = this.words(root);
					// “leaves of Route”: of the whole dimension, unless a member has that name.
					const whole =
						prefix === undefined && !(implied && this.names.member(implied, word) !== undefined) ? this.names.dimension(word) : undefined;
					if (whole && this.names.everywhere(word).length === 0) {
						const every = selectMembers(whole, { kind: 'all' });
						const { tree } = whole;
						return {
							dimension: whole,
							ordinals: every.filter((each) => (kind === 'leaves' ? tree.isLeaf(each) : kind === 'under' || tree.parent[each]! < 0))
						};
					}
				}
				const of = this.selectionTerm(root, implied);
				// A group of an alternate hierarchy is read in its own tree.
				const family = (ordinal: number) => {
					const tree = of.dimension.treeOf(ordinal);
					return kind === 'children' ? tree.children(ordinal) : kind === 'leaves' ? of.dimension.leavesOf(ordinal) : tree.under(ordinal);
				};
				return { dimension: of.dimension, ordinals: [...new Set(of.ordinals.flatMap(family))] };
			}
			default:
				throw new ScriptError(node, 'A selection was expected here.');
		}
	}

	/** Every period (ordinal) of a level. */
	#ofLevel(node: SyntaxNode): number[] {
		const level = this.words(node.getChild('Name')!).word;
		const { periods } = this.model;
		const wanted = this.names.levels.get(level);
		if (wanted === undefined)
			throw new ScriptError(node, `There is no level “${level}”. There are ${listed([...this.names.levels.keys()])}.`);
		return [...periods.dimension.members.keys()].filter((ordinal) => periods.facts(ordinal)?.level === wanted);
	}

	protected selectedBy(node: SyntaxNode, implied: Dimension | undefined): { dimension: Dimension; ordinals: number[] } {
		const value = this.parameter(node);
		if (value.kind !== 'selection') throw new ScriptError(node, `${this.textOf(node)} is a ${value.kind}, not a member.`);
		const dimension = this.names.dimensions.find(({ id }) => id === value.dimension);
		if (!dimension || (implied && implied !== dimension))
			throw new ScriptError(
				node,
				`${this.textOf(node)} names members of ${dimension?.name ?? 'no dimension of this model'}, not of ${implied?.name ?? 'this one'}.`
			);
		const ordinals = selectMembers(dimension, value.selection, { variables: this.model.variables });
		return { dimension, ordinals };
	}

	protected range(node: SyntaxNode, dimension: Dimension, from: number, to: number): number[] {
		if (dimension !== this.model.periods.dimension) {
			const member = (ordinal: number) => dimension.member(ordinal).id;
			return selectMembers(dimension, { kind: 'range', from: member(from), to: member(to) });
		}
		const { periods } = this.model;
		const [first, last] = [periods.range(from).from, periods.range(to).to];
		if (last < first) throw new ScriptError(node, `${dimension.member(from).name} lies after ${dimension.member(to).name}.`);
		return periods.leaves.slice(first, last + 1).map(({ ordinal }) => ordinal);
	}

	/** Those of a selection whose attribute fits; of accounts also by their kind. */
	protected where(node: SyntaxNode, { dimension, ordinals }: { dimension: Dimension; ordinals: readonly number[] }): number[] {
		const names = node.getChildren('Name');
		const attribute = this.words(names[0]!).word;
		const values: (string | number | boolean)[] = [];
		for (let child = names[0]!.nextSibling; child; child = child.nextSibling)
			if (child.name === 'Name') values.push(this.words(child).word);
			else if (child.name === 'Number') values.push(numberOf(this.textOf(child)));
			else if (child.name === 'Text') values.push(textOf(this.textOf(child)));
			else if (child.name === 'DateValue') values.push(this.textOf(child.getChild('Day')!));
		const isKind = dimension === this.model.accounts && attribute === 'kind';
		if (!isKind && !dimension.members.some((_, ordinal) => dimension.attribute(attribute, ordinal) !== undefined))
			throw new ScriptError(names[0]!, `${dimension.name} has no attribute “${attribute}”.`);
		const operator = node.getChild('CompareSign') ? (this.textOf(node.getChild('CompareSign')!) as Comparison) : '=';
		return ordinals.filter((ordinal) => {
			const found = isKind ? this.model.account(ordinal)?.kind : dimension.attribute(attribute, ordinal);
			if (found === undefined) return operator === '<>';
			return values.some((value) => {
				const wanted = typeof found === 'boolean' ? value === 'yes' || value === true : value;
				if (operator === '=') return found === wanted;
				if (operator === '<>') return found !== wanted;
				return operator === '<'
					? found < wanted
					: operator === '<='
						? found <= wanted
						: operator === '>'
							? found > wanted
							: found >= wanted;
			});
		});
	}
}

/** The leaves beneath some members, by ordinal. */
export function leavesOf(dimension: Dimension, ordinals: Iterable<number>): Uint8Array {
	const found = new Uint8Array(dimension.members.length);
	for (const ordinal of ordinals) for (const leaf of dimension.leavesOf(ordinal)) found[leaf] = 1;
	return found;
}

export function both(one: Uint8Array | undefined, other: Uint8Array): Uint8Array {
	return one ? other.map((allowed, index) => allowed & one[index]!) : other;
}
