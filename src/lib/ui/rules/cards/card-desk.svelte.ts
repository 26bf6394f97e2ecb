import { quoted, readCards, type Card, type NameCard, type PartCard, type ScriptFault, type Span } from '$lib/core';
import type { Vocabulary } from '$lib/server/engine';
import { getContext, setContext } from 'svelte';

type VocabularyDimension = Vocabulary['dimensions'][number];
type VocabularyMember = VocabularyDimension['members'][number];

/** What a script being changed by cards is given. */
export interface CardSource {
	readonly text: string;
	readonly vocabulary: Vocabulary;
	/** Names that stand for a number or for members. */
	readonly parameters: readonly { name: string; dimension: number | null }[];
	readonly readonly: boolean;
	/** It is a live formula: totals are not read. */
	readonly isLive: boolean;
	readonly faults: readonly ScriptFault[];
	change(text: string): void;
}

/** A script shown as cards: which part is picked, and its names in today's dimensions. The text is the only state that is kept. */
export class CardDesk {
	readonly #source: CardSource;
	/** The picked part: the path to it. A change of the text keeps the path. */
	picked = $state<string | null>(null);
	readonly #read = $derived.by(() => readCards(this.#source.text));

	constructor(source: CardSource) {
		this.#source = source;
	}

	get text(): string {
		return this.#source.text;
	}
	get readonly(): boolean {
		return this.#source.readonly;
	}
	get isLive(): boolean {
		return this.#source.isLive;
	}
	get vocabulary(): Vocabulary {
		return this.#source.vocabulary;
	}
	get cards(): Card[] | undefined {
		return 'cards' in this.#read ? this.#read.cards : undefined;
	}
	get fault(): ScriptFault | undefined {
		return 'fault' in this.#read ? this.#read.fault : undefined;
	}

	change(text: string): void {
		if (!this.readonly && text !== this.text) this.#source.change(text);
	}

	/** What is wrong within a stretch of the text. */
	faultsIn = ({ from, to }: Span): ScriptFault[] =>
		this.#source.faults.filter((fault) => fault.from >= from && fault.from < Math.max(to, from + 1));

	get accounts(): VocabularyDimension {
		return this.vocabulary.dimensions.find(({ kind }) => kind === 'account')!;
	}
	/** Dimensions in which a place may be named: all but the accounts. */
	get places(): VocabularyDimension[] {
		return this.vocabulary.dimensions.filter(({ kind }) => kind !== 'account');
	}
	get numbers(): string[] {
		const variables = this.vocabulary.variables.filter(({ dimension }) => dimension === null);
		return [...this.#source.parameters.filter(({ dimension }) => dimension === null), ...variables].map(({ name }) => name);
	}
	/** Names that stand for members of a dimension. */
	holders = (dimension: number | undefined): string[] =>
		[...this.#source.parameters, ...this.vocabulary.variables].filter((each) => each.dimension === dimension).map(({ name }) => name);

	dimension(name: string | undefined): VocabularyDimension | undefined {
		return name === undefined ? undefined : this.vocabulary.dimensions.find((each) => each.name.toLowerCase() === name.toLowerCase());
	}
	/** The member a name means, and whose it is; of several the account, then the first. */
	member({
		dimension,
		word
	}: Pick<NameCard, 'dimension' | 'word'>): { dimension: VocabularyDimension; member: VocabularyMember } | undefined {
		const named = this.dimension(dimension);
		for (const each of named ? [named] : [this.accounts, ...this.places]) {
			const member = each.members.find(({ code }) => code === word) ?? each.members.find(({ name }) => name === word);
			if (member) return { dimension: each, member };
		}
		return undefined;
	}
	/** A member as it is written by itself. */
	write = (dimension: VocabularyDimension | undefined, id: number): string =>
		dimension?.members.find((each) => each.id === id)?.written ?? '0';
	/** The same with its dimension in front. */
	place = (dimension: VocabularyDimension, id: number): string => `${quoted(dimension.name)}: ${this.write(dimension, id)}`;
	/** Whether a name is the word for the account a statement is at, not a member called so. */
	isValue = ({ from, to }: Span): boolean => this.text.slice(from, to).trim() === 'value';
	/** A word without its quotes. */
	shown = (name: Pick<NameCard, 'dimension' | 'word'> & Partial<Span>): string =>
		name.from !== undefined && name.to !== undefined && this.isValue({ from: name.from, to: name.to })
			? 'the account'
			: (this.member(name)?.member.name ?? name.word);

	/** An account for a statement to begin with. */
	get anAccount(): string {
		return this.accounts.members.find(({ leaf }) => leaf)?.written ?? 'Account';
	}
	get aLevel(): string {
		return this.vocabulary.levels.at(-1) ?? 'Month';
	}
}

const KEY = Symbol('cards');
export const provideCards = (desk: CardDesk): CardDesk => setContext(KEY, desk);
export const useCards = (): CardDesk => getContext<CardDesk>(KEY);

/** Whether a part is a condition: it is true or not, and no amount. */
export const isCondition = (part: PartCard): boolean =>
	part.kind === 'is' ||
	part.kind === 'in' ||
	part.kind === 'not' ||
	(part.kind === 'call' && part.name === 'empty') ||
	(part.kind === 'group' && isCondition(part.of)) ||
	(part.kind === 'operation' && ['and', 'or', '=', '<>', '<', '<=', '>', '>='].includes(part.operator));

/** The first account a part reads, as it is written. What a member test looks at is no account. */
export function firstRead(part: PartCard | undefined, text: string): string | undefined {
	if (!part || part.kind === 'is' || part.kind === 'in') return undefined;
	if (part.kind === 'read') return text.slice(part.from, part.to);
	for (const inside of insideOf(part)) {
		const found = firstRead(inside.part, text);
		if (found !== undefined) return found;
	}
	return undefined;
}

/** The parts a part is made of, each with its name in the path. */
export function insideOf(part: PartCard): { name: string; part: PartCard }[] {
	switch (part.kind) {
		case 'operation':
			return [
				{ name: 'left', part: part.left },
				{ name: 'right', part: part.right }
			];
		case 'negative':
		case 'not':
		case 'group':
		case 'over':
		case 'share':
		case 'is':
		case 'in':
			return [{ name: 'of', part: part.of }];
		case 'call':
			return part.args.map((each, place) => ({ name: `arg${place}`, part: each }));
		case 'when':
			return [
				...part.cases.flatMap(({ condition, value }, place) => [
					{ name: `if${place}`, part: condition },
					{ name: `then${place}`, part: value }
				]),
				...(part.otherwise ? [{ name: 'else', part: part.otherwise }] : [])
			];
		default:
			return [];
	}
}

/** A part by its path below another, with what it stands in. */
export function partAt(whole: PartCard, path: string): { part: PartCard; around: PartCard | undefined } | undefined {
	let part = whole;
	let around: PartCard | undefined;
	for (const name of path.split('.').filter((each) => each !== '')) {
		const next = insideOf(part).find((each) => each.name === name);
		if (!next) return undefined;
		around = part;
		part = next.part;
	}
	return { part, around };
}
