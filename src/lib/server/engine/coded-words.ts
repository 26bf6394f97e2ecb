import type pg from 'pg';
import type { CodedValues, Model } from '../../core';
import { LIMITS } from './limits';

type Choice = CodedValues['choices'][number] & { retired?: boolean };

/** What the numbers of choices and texts stand for in a model. Texts are read when they are first shown. */
export class CodedWords {
	readonly #database: pg.Pool;
	readonly #choices: ReadonlyMap<number, readonly Choice[]>;
	#texts = new Map<number, string>();
	/** Those of before the newer ones became too many: whoever has just asked for one still finds it. */
	#olderTexts = new Map<number, string>();

	private constructor(database: pg.Pool, choices: ReadonlyMap<number, readonly Choice[]>) {
		this.#database = database;
		this.#choices = choices;
	}

	/**
	 * Reads what may be chosen for each account of choices.
	 * @param snapshot the connection this is read by, which is given back afterwards
	 * @param database where texts are read from later on
	 */
	static async read(snapshot: pg.PoolClient, model: Model, database: pg.Pool): Promise<CodedWords> {
		const accounts = model.definition.accounts.filter(({ valueType }) => valueType === 'choice').map(({ member }) => member);
		const choices = new Map<number, Choice[]>();
		if (accounts.length > 0) {
			const found = await snapshot.query<Choice & { account: number }>(
				`SELECT a.member_id AS account, m.id AS member, m.code, m.name, m.retired FROM account a
				JOIN hierarchy h ON h.dimension_id = a.choice_dimension AND h.main JOIN hierarchy_node n ON n.hierarchy_id = h.id
				JOIN member m ON m.id = n.member_id
				WHERE a.member_id = ANY ($1) AND NOT EXISTS (SELECT FROM hierarchy_node c WHERE c.hierarchy_id = h.id AND c.parent_id = m.id)
				ORDER BY n.position`,
				[accounts]
			);
			for (const { account, ...choice } of found.rows) choices.set(account, [...(choices.get(account) ?? []), choice]);
		}
		return new CodedWords(database, choices);
	}

	/** What may be chosen in an account (id): what is retired shows where it stands, and is no longer offered. */
	choicesOf(account: number): readonly Choice[] {
		return (this.#choices.get(account) ?? []).filter(({ retired }) => !retired);
	}

	/** A value of an account in words. Texts must have been `know`n. */
	wordOf(account: number, value: number): string {
		const choices = this.#choices.get(account);
		if (choices) return choices.find(({ member }) => member === value)?.name ?? 'no longer among the choices';
		return this.#textAt(value) ?? '';
	}

	/** Reads the texts of these places that are not known yet. */
	async know(places: readonly number[]): Promise<void> {
		if (this.#texts.size > LIMITS.texts) [this.#olderTexts, this.#texts] = [this.#texts, new Map()];
		const missing = [...new Set(places)].filter((place) => this.#textAt(place) === undefined);
		if (missing.length === 0) return;
		const found = await this.#database.query<{ id: number; value: string }>(
			'SELECT id, value FROM text_value WHERE id = ANY ($1::integer[])',
			[missing]
		);
		for (const { id, value } of found.rows) this.#texts.set(id, value);
	}

	#textAt(place: number): string | undefined {
		const known = this.#texts.get(place);
		if (known !== undefined) return known;
		const older = this.#olderTexts.get(place);
		if (older !== undefined) this.#texts.set(place, older);
		return older;
	}

	/** The places of texts, made where they are new. */
	async placesOf(texts: readonly string[]): Promise<Map<string, number>> {
		const wanted = [...new Set(texts)];
		if (wanted.length === 0) return new Map();
		await this.#database.query('INSERT INTO text_value (value) SELECT unnest($1::text[]) ON CONFLICT (value) DO NOTHING', [wanted]);
		const found = await this.#database.query<{ id: number; value: string }>(
			'SELECT id, value FROM text_value WHERE value = ANY ($1::text[])',
			[wanted]
		);
		for (const { id, value } of found.rows) this.#texts.set(id, value);
		return new Map(found.rows.map(({ id, value }) => [value, id]));
	}
}
