import type pg from 'pg';

/** Ids by code. */
export type Ids = Map<string, number>;

export interface LoadedDimension {
	id: number;
	code: string;
	ids: Ids;
}

export type Dimensions = Record<'account' | 'scenario' | 'entity' | 'department' | 'route' | 'version', LoadedDimension>;

export async function insertId(client: pg.PoolClient, text: string, values: unknown[]): Promise<number> {
	return (await client.query<{ id: number }>(text, values)).rows[0]!.id;
}
