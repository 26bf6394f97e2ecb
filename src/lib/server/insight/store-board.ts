/** Boards as rows: written with their versions. */
import type { BoardContent } from '../../core';
import type { Database } from '../database';

const MOST_VERSIONS = 100;

export interface BoardFacts {
	name: string;
	description: string;
	shared: boolean;
	content: BoardContent;
}

/** Writes a new board, somebody's own. @returns its id */
export async function insertBoard(
	client: Database,
	modelId: number,
	owner: number,
	{ name, description, shared, content }: BoardFacts
): Promise<number> {
	const made = await client.query<{ id: number }>(
		'INSERT INTO board (model_id, owner_id, name, description, shared, content) VALUES ($1, $2, $3, $4, $5, $6) RETURNING id',
		[modelId, owner, name, description, shared, JSON.stringify(content)]
	);
	const { id } = made.rows[0]!;
	await keepVersion(client, id, owner);
	return id;
}

/** Writes the next version of a board. */
export async function updateBoard(
	client: Database,
	id: number,
	person: number,
	{ name, description, shared, content }: BoardFacts
): Promise<void> {
	await client.query(
		'UPDATE board SET name = $2, description = $3, shared = $4, content = $5, version = version + 1, changed_at = now() WHERE id = $1',
		[id, name, description, shared, JSON.stringify(content)]
	);
	await keepVersion(client, id, person);
}

async function keepVersion(client: Database, board: number, person: number): Promise<void> {
	await client.query(
		`INSERT INTO board_version (board_id, version, name, content, person_id) SELECT id, version, name, content, $2 FROM board WHERE id = $1`,
		[board, person]
	);
	await client.query('DELETE FROM board_version WHERE board_id = $1 AND version <= (SELECT version FROM board WHERE id = $1) - $2', [
		board,
		MOST_VERSIONS
	]);
}
