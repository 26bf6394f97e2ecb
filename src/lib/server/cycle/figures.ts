/** The figures of a unit as they were submitted, packed; and what has moved since. */
import type { Database } from '../database';
import { pack, unpack } from '../database/packed';
import { modelVersions } from '../database/structure-version';
import { askRunner, type UnitFigures, type UnitMoved, type UnitSlice } from '../engine';

export type UnitRound = { scenario: number; from: number; to: number };

export async function sliceAsk(database: Database, modelId: number, round: UnitRound, members: readonly number[]): Promise<UnitSlice> {
	return { ...(await modelVersions(database, modelId)), scenario: round.scenario, from: round.from, to: round.to, members };
}

/** The figures of a unit as they stood at a revision, packed to be kept. */
export interface TakenFigures {
	revision: number;
	structure: number;
	cells: number;
	packed: Uint8Array;
}

/** Takes the figures of a unit as they are saved now, or at a revision. */
export async function takeFigures(
	database: Database,
	modelId: number,
	round: UnitRound,
	members: readonly number[],
	revision?: number
): Promise<TakenFigures> {
	const ask = { ...(await sliceAsk(database, modelId, round, members)), ...(revision !== undefined && { revision }) };
	const figures = await askRunner(modelId, 'unitFigures', ask);
	return { revision: ask.revision, structure: ask.structure, cells: figures.cells, packed: await pack(figures) };
}

export async function keepFigures(database: Database, move: number, { revision, cells, packed }: TakenFigures): Promise<void> {
	await database.query('INSERT INTO unit_figures (move_id, revision, cells, packed) VALUES ($1, $2, $3, $4)', [
		move,
		revision,
		cells,
		packed
	]);
}

/** What has moved in a unit since it was last submitted; null where it never was. */
export async function movedSince(
	database: Database,
	modelId: number,
	round: UnitRound,
	unit: { id: number; members: number[] }
): Promise<UnitMoved | null> {
	const found = await database.query<{ packed: Buffer }>(
		`SELECT f.packed FROM unit_move m JOIN unit_figures f ON f.move_id = m.id WHERE m.unit_id = $1 ORDER BY m.id DESC LIMIT 1`,
		[unit.id]
	);
	const packed = found.rows[0]?.packed;
	if (!packed) return null;
	const then = await unpack<UnitFigures>(packed);
	return askRunner(modelId, 'unitMoved', { ...(await sliceAsk(database, modelId, round, unit.members)), then });
}
