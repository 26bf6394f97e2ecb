import type pg from 'pg';
import type { z } from 'zod';

export const ACCESS_KINDS = ['person', 'group', 'role', 'grant', 'guarded', 'attribute grant', 'substitute'] as const;
export type AccessKind = (typeof ACCESS_KINDS)[number];

/** Whoever a role or a grant is given to (ids). */
export type Holder = { person: number } | { group: number };

/**
 * A kind of object that access is made of. Its state is all that people set of it: what is put is stored as it is, the
 * states before and after are journalled, and taking a change back puts the one before.
 */
export interface KindOfAccess<State> {
	schema: z.ZodType<State>;
	/** What it is called in the journal. */
	nameOf: (state: State) => string;
	/** Whether it belongs to one model; the others are of the whole installation. */
	inModel: boolean;
	/** Whose own an object is (id): they may change it without giving access to anybody else. */
	ownBy?: (state: State) => number;
	/** The state that is stored, locked until the transaction ends; null where there is none. */
	read: (client: pg.PoolClient, modelId: number, id: number) => Promise<State | null>;
	/**
	 * Stores a state, anew where there is no id, under the id it had where it comes back; takes the object away where it is null.
	 * @returns the object's id
	 * @throws Fault with what is in the way
	 */
	write: (client: pg.PoolClient, modelId: number, id: number | null, state: State | null) => Promise<number>;
	/** An object (id) that is just as a new one would be: to make it again makes nothing. */
	same?: (client: pg.PoolClient, modelId: number, state: State) => Promise<number | undefined>;
	/** The change in a few words. */
	words: (before: State | null, after: State | null) => string;
}

/** Inserts a row, under an id of old where it comes back. @returns its id */
export async function insertAs(client: pg.PoolClient, table: string, id: number | null, values: Record<string, unknown>): Promise<number> {
	const columns = [...(id === null ? [] : ['id']), ...Object.keys(values)];
	const given = [...(id === null ? [] : [id]), ...Object.values(values)];
	const made = await client.query<{ id: number }>(
		`INSERT INTO ${table} (${columns.join(', ')}) ${id === null ? '' : 'OVERRIDING SYSTEM VALUE'}
		VALUES (${given.map((_, at) => `$${at + 1}`).join(', ')}) RETURNING id`,
		given
	);
	return made.rows[0]!.id;
}
