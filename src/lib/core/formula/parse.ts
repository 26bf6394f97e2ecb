import type { AccountRead, Expression } from './expression';

/** A fault in a formula's text: where it is (characters from the start), and a sentence. */
export interface FormulaFault {
	at: number;
	message: string;
}

/** What names in a formula stand for. */
export interface FormulaNames {
	/** Account (member id) by code or name. */
	account: (name: string) => number | undefined;
	/** A member of another dimension at which an account is read. */
	place: (dimension: string, member: string) => { dimension: number; member: number } | string;
	/** The nearest account's name, for the message. */
	nearest: (name: string) => string | undefined;
}

type Token = { kind: 'number' | 'name' | 'sign' | 'end'; text: string; at: number };

/**
 * Reads an expression: numbers (`1_200.50`, `10%`), accounts by name or code (bare or in double quotes), `+ - * /`,
 * brackets, and places in braces (`Price{Route: "No route"}`).
 * @returns the expression, or the first fault
 */
export function parseFormula(text: string, names: FormulaNames): { expression: Expression } | { fault: FormulaFault } {
	try {
		const reader = new Reader(tokens(text), names);
		return { expression: reader.whole() };
	} catch (error) {
		if (error instanceof Fault) return { fault: { at: error.at, message: error.message } };
		throw error;
	}
}

class Fault extends Error {
	constructor(
		readonly at: number,
		message: string
	) {
		super(message);
	}
}

const TOKEN = /\s+|--[^\n]*|(\d[\d_]*(?:\.\d+)?%?)|"((?:[^"]|"")*)"|([\p{L}][\p{L}\p{N}_]*)|([-+*/(){},:])/uy;

function tokens(text: string): Token[] {
	const found: Token[] = [];
	TOKEN.lastIndex = 0;
	while (TOKEN.lastIndex < text.length) {
		const at = TOKEN.lastIndex;
		const match = TOKEN.exec(text);
		if (!match) throw new Fault(at, `“${text[at]}” has no meaning in a formula.`);
		const [, number, quoted, bare, sign] = match;
		if (number !== undefined) found.push({ kind: 'number', text: number, at });
		else if (quoted !== undefined) found.push({ kind: 'name', text: quoted.replaceAll('""', '"'), at });
		else if (bare !== undefined) found.push({ kind: 'name', text: bare, at });
		else if (sign !== undefined) found.push({ kind: 'sign', text: sign, at });
	}
	return [...found, { kind: 'end', text: '', at: text.length }];
}

/** Recursive descent over the tokens; sums of products of factors. */
class Reader {
	readonly #tokens: readonly Token[];
	readonly #names: FormulaNames;
	#at = 0;

	constructor(list: readonly Token[], names: FormulaNames) {
		this.#tokens = list;
		this.#names = names;
	}

	whole(): Expression {
		if (this.#tokens.length === 1) throw new Fault(0, 'The formula is empty.');
		const expression = this.#sum();
		if (this.#next.kind !== 'end')
			throw new Fault(this.#next.at, `“${this.#next.text}” stands where the formula could end. Is an operator missing before it?`);
		return expression;
	}

	get #next(): Token {
		return this.#tokens[this.#at]!;
	}

	#take(sign: string): boolean {
		if (this.#next.kind !== 'sign' || this.#next.text !== sign) return false;
		this.#at++;
		return true;
	}

	#expect(sign: string): void {
		if (!this.#take(sign))
			throw new Fault(this.#next.at, `Here a “${sign}” was expected${this.#next.kind === 'end' ? '' : `, not “${this.#next.text}”`}.`);
	}

	#sum(): Expression {
		let left = this.#product();
		for (;;) {
			const operator = this.#take('+') ? '+' : this.#take('-') ? '-' : undefined;
			if (!operator) return left;
			left = { kind: 'binary', operator, left, right: this.#product() };
		}
	}

	#product(): Expression {
		let left = this.#factor();
		for (;;) {
			const operator = this.#take('*') ? '*' : this.#take('/') ? '/' : undefined;
			if (!operator) return left;
			left = { kind: 'binary', operator, left, right: this.#factor() };
		}
	}

	#factor(): Expression {
		if (this.#take('-')) return { kind: 'negative', of: this.#factor() };
		if (this.#take('(')) {
			const inner = this.#sum();
			this.#expect(')');
			return inner;
		}
		const token = this.#next;
		this.#at++;
		if (token.kind === 'number') {
			const value = Number(token.text.replaceAll('_', '').replace('%', ''));
			return { kind: 'number', value: token.text.endsWith('%') ? value / 100 : value };
		}
		if (token.kind === 'name') return this.#account(token);
		throw new Fault(
			token.at,
			token.kind === 'end' ? 'The formula ends where a value was expected.' : `“${token.text}” stands where a value was expected.`
		);
	}

	#account(token: Token): AccountRead {
		const member = this.#names.account(token.text);
		if (member === undefined) {
			const close = this.#names.nearest(token.text);
			throw new Fault(token.at, `There is no account “${token.text}”.${close ? ` Did you mean “${close}”?` : ''}`);
		}
		if (!this.#take('{')) return { kind: 'account', member };
		const at: Record<number, number> = {};
		do {
			const dimension = this.#name('a dimension');
			this.#expect(':');
			const where = this.#next;
			const place = this.#names.place(dimension, this.#name('a member'));
			if (typeof place === 'string') throw new Fault(where.at, place);
			at[place.dimension] = place.member;
		} while (this.#take(','));
		this.#expect('}');
		return { kind: 'account', member, at };
	}

	#name(what: string): string {
		const token = this.#next;
		if (token.kind !== 'name' && token.kind !== 'number') throw new Fault(token.at, `Here ${what} was expected.`);
		this.#at++;
		return token.text;
	}
}
