/** Snapshots as they are stored: written once. */
import type pg from 'pg';

export interface SnapshotHead {
	modelId: number;
	name: string;
	purpose: string;
	/** Which part of the model, in words. */
	part: string;
	branch: number | null;
	revision: number;
	person: number;
	acting: number | null;
	/** What took it; empty where somebody did. */
	through: string;
}

/** A snapshot's figures and the model they belong to, packed. */
export interface PackedSnapshot {
	cells: number;
	/** The dimensions (ids) of an address. */
	dimensions: number[];
	definition: Uint8Array;
	figures: Uint8Array;
}

/** Stores a snapshot. @returns its number */
export async function insertSnapshot(
	client: Pick<pg.PoolClient, 'query'>,
	{ modelId, name, purpose, part, branch, revision, person, acting, through }: SnapshotHead,
	{ cells, dimensions, definition, figures }: PackedSnapshot
): Promise<number> {
	const made = await client.query<{ id: number }>(
		`INSERT INTO snapshot (model_id, name, purpose, part, branch_id, revision, taken_by, acting_id, through, cells, dimensions, definition, figures)
		VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13) RETURNING id`,
		[
			...[modelId, name, purpose, part, branch, revision, person, acting, through, cells],
			...[dimensions, Buffer.from(definition), Buffer.from(figures)]
		]
	);
	return made.rows[0]!.id;
}
