import type pg from 'pg';
import type { Database } from '../database';

/** One place where something is used: a link for people. */
export interface Use {
	kind:
		| 'note'
		| 'form'
		| 'runbook'
		| 'preset'
		| 'map'
		| 'import'
		| 'grant'
		| 'lock'
		| 'round'
		| 'formula'
		| 'account'
		| 'scenario'
		| 'variable'
		| 'numbers'
		/** Cells in which it is chosen. */
		| 'choice'
		| 'draft'
		| 'branch'
		| 'board'
		/** In models that whoever asks learns nothing of. */
		| 'elsewhere';
	name: string;
	/** How many, for numbers. */
	count?: number;
	path?: string;
	/** The model's code, where it is of one and has no path; not told to pages. */
	model?: string;
}

/** One member in the place of another, in everything that names it. */
export interface Replacement {
	/** The dimension (id) of both. */
	dimension: number;
	from: number;
	to: number;
}

/**
 * A subject whose definitions name members. All of them are listed in `server/subjects`: where-used, replacing and what may
 * be deleted go through that list and know no subject by itself.
 */
export interface NamesMembers {
	/** Everything of it, in all models, that names a member (id). */
	uses: (database: Database, dimension: number, member: number) => Promise<Use[]>;
	/** Which of some members (ids) it names. A statement a table, however many there are. */
	among: (database: Database, dimension: number, members: readonly number[]) => Promise<Iterable<number>>;
	/** Names another member in their place; nothing for what follows by itself. The caller holds the models' locks. */
	replace?: (client: pg.PoolClient, replacement: Replacement) => Promise<void>;
}

/** Names and uses from a statement that answers rows of them for `$1`, a member's id. */
export const usesBy =
	(text: string): NamesMembers['uses'] =>
	async (database, _, member) =>
		(await database.query<Use>(text, [member])).rows;

/** The members among `$1` that a statement answers as `id`. */
export const amongBy =
	(text: string): NamesMembers['among'] =>
	async (database, _, members) =>
		(await database.query<{ id: number }>(`SELECT id FROM (${text}) AS named WHERE id = ANY ($1::integer[])`, [members])).rows.map(
			({ id }) => id
		);
