/** Boards: made, named, shared, changed, copied, deleted; their versions, what is said to them and what somebody hides. */
import { z } from 'zod';
import type { BoardContent } from '../../core';
import { actingNow } from '../acting';
import { pool, transaction, type Database } from '../database';
import { Fault, notFound } from '../fault';
import { personById, requirePermission, type SignedIn } from '../session';
import { boardContentSchema } from './board-schema';
import { insertBoard, updateBoard } from './store-board';

export interface BoardCard {
	id: number;
	name: string;
	description: string;
	owner: string | null;
	mine: boolean;
	shared: boolean;
	tiles: number;
	changed: string;
}

export interface Board extends Omit<BoardCard, 'tiles'> {
	content: BoardContent;
	version: number;
	/** Whether whoever looks may change it. */
	mayChange: boolean;
	/** Who sees it beside its owner (ids), told to the owner. */
	people: number[];
	/** Tiles (ids) whoever looks has hidden. */
	hidden: number[];
}

const MOST_BOARDS = 1_000;

/** The condition under which a person (parameter) sees a board: their own, shared ones, and those they are named on. */
export const SEES_BOARD = (board: string, person: string): string =>
	`(${board}.shared OR ${board}.owner_id = ${person} OR EXISTS (SELECT FROM board_person named WHERE named.board_id = ${board}.id AND named.person_id = ${person}))`;

/** The boards somebody sees. */
export async function listBoards(person: SignedIn | undefined, modelId: number): Promise<BoardCard[]> {
	const reader = requirePermission(person, 'form.read');
	const found = await pool().query<Omit<BoardCard, 'changed'> & { changed: Date }>(
		`SELECT b.id, b.name, b.description, p.name AS owner, coalesce(b.owner_id = $2, false) AS mine, b.shared, b.changed_at AS changed,
			(SELECT coalesce(sum(jsonb_array_length(t -> 'tiles')), 0)::integer FROM jsonb_array_elements(b.content -> 'tabs') t) AS tiles
		FROM board b LEFT JOIN person p ON p.id = b.owner_id WHERE b.model_id = $1 AND ${SEES_BOARD('b', '$2')} ORDER BY lower(b.name), b.id`,
		[modelId, reader.id]
	);
	return found.rows.map((row) => ({ ...row, changed: row.changed.toISOString() }));
}

/** A board somebody may see. @throws Fault 404 */
export async function readBoard(person: SignedIn | undefined, modelId: number, id: number, database: Database = pool()): Promise<Board> {
	const reader = requirePermission(person, 'form.read');
	const found = await database.query<Omit<Board, 'changed' | 'content' | 'mayChange'> & { changed: Date; content: unknown }>(
		`SELECT b.id, b.name, b.description, p.name AS owner, coalesce(b.owner_id = $2, false) AS mine, b.shared, b.changed_at AS changed, b.content, b.version,
			CASE WHEN b.owner_id = $2 THEN (SELECT coalesce(array_agg(person_id ORDER BY person_id), '{}') FROM board_person WHERE board_id = b.id) ELSE '{}' END AS people,
			coalesce((SELECT tiles FROM board_hidden h WHERE h.board_id = b.id AND h.person_id = $2), '{}') AS hidden
		FROM board b LEFT JOIN person p ON p.id = b.owner_id WHERE b.model_id = $1 AND b.id = $3 AND ${SEES_BOARD('b', '$2')}`,
		[modelId, reader.id, id]
	);
	const board = found.rows[0];
	if (!board) throw notFound('board');
	return {
		...board,
		changed: board.changed.toISOString(),
		content: boardContentSchema.parse(board.content),
		mayChange: board.mine || (board.shared && reader.permissions.includes('form.design'))
	};
}

const facts = {
	name: z.string().trim().min(1, 'give the board a name').max(80),
	description: z.string().trim().max(500).default(''),
	shared: z.boolean().default(false),
	/** Who sees it beside its owner (ids), where not everybody does; as it is where left out. */
	people: z.array(z.int()).max(200).optional()
};
export const makeBoardSchema = z.object({ ...facts, content: boardContentSchema });

/** Makes a board. */
export async function makeBoard(
	person: SignedIn | undefined,
	modelId: number,
	{ name, description, shared, content }: z.infer<typeof makeBoardSchema>
): Promise<{ id: number }> {
	const maker = requirePermission(person, 'form.read');
	return transaction(async (client) => {
		const count = await client.query<{ count: number }>('SELECT count(*)::integer AS count FROM board WHERE model_id = $1', [modelId]);
		if (count.rows[0]!.count >= MOST_BOARDS)
			throw new Fault(422, 'too many', `A model has at most ${MOST_BOARDS} boards. Delete some that nobody looks at.`);
		return { id: await insertBoard(client, modelId, maker.id, { name, description, shared, content }) };
	});
}

export const changeBoardSchema = z.object({
	id: z.int(),
	...facts,
	content: boardContentSchema,
	/** The version that was changed. */
	version: z.int().min(1)
});

/** Changes a board: its owner, and of a shared one who makes forms. @throws Fault 409 where somebody else changed it meanwhile */
export async function changeBoard(
	person: SignedIn | undefined,
	modelId: number,
	{ id, name, description, shared, people, content, version }: z.infer<typeof changeBoardSchema>
): Promise<{ version: number }> {
	const maker = requirePermission(person, 'form.read');
	return transaction(async (client) => {
		await client.query('SELECT FROM board WHERE id = $1 FOR UPDATE', [id]);
		const board = await readBoard(maker, modelId, id, client);
		if (!board.mayChange) throw notYours(board);
		if (board.version !== version)
			throw new Fault(409, 'conflict', 'Somebody has changed this board meanwhile. Copy yours, or look at theirs first.', {
				version: board.version
			});
		if (board.mine && people) await setPeople(client, id, people);
		await updateBoard(client, id, maker.id, { name, description, shared: board.mine ? shared : board.shared, content });
		return { version: version + 1 };
	});
}

async function setPeople(client: Database, board: number, people: readonly number[]): Promise<void> {
	await client.query('DELETE FROM board_person WHERE board_id = $1 AND NOT person_id = ANY ($2)', [board, people]);
	await client.query(
		'INSERT INTO board_person (board_id, person_id) SELECT $1, id FROM person WHERE id = ANY ($2) AND active ON CONFLICT DO NOTHING',
		[board, people]
	);
}

/** Who is named to see a board (ids), its owner among them. */
export async function namedOn(board: number): Promise<number[]> {
	const found = await pool().query<{ id: number }>(
		'SELECT person_id AS id FROM board_person WHERE board_id = $1 UNION SELECT owner_id FROM board WHERE id = $1 AND owner_id IS NOT NULL',
		[board]
	);
	return found.rows.map(({ id }) => id);
}

const notYours = ({ owner }: Board) => new Fault(403, 'not yours', `This board is ${owner ?? 'somebody else'}’s. Copy it to change it.`);

export const boardOnly = z.object({ id: z.int() });

/** A copy of a board, one's own. */
export async function copyBoard(person: SignedIn | undefined, modelId: number, { id }: z.infer<typeof boardOnly>): Promise<{ id: number }> {
	const { name, description, content } = await readBoard(person, modelId, id);
	const copy = await makeBoard(person, modelId, { name: `${name.slice(0, 70)}, copy`, description, shared: false, content });
	await copyPictures(id, copy.id, content);
	return copy;
}

/** The pictures a board shows, for its copy: the other board may be deleted one day. */
async function copyPictures(from: number, to: number, content: BoardContent): Promise<void> {
	const shown = content.tabs.flatMap(({ tiles }) =>
		tiles.flatMap((tile) => (tile.kind === 'picture' && tile.picture > 0 ? [tile.picture] : []))
	);
	if (shown.length === 0) return;
	const made = new Map<number, number>();
	for (const picture of new Set(shown)) {
		const copied = await pool().query<{ id: number }>(
			'INSERT INTO board_picture (board_id, person_id, type, bytes) SELECT $1, person_id, type, bytes FROM board_picture WHERE id = $2 AND board_id = $3 RETURNING id',
			[to, picture, from]
		);
		if (copied.rows[0]) made.set(picture, copied.rows[0].id);
	}
	const own = {
		...content,
		tabs: content.tabs.map((tab) => ({
			...tab,
			tiles: tab.tiles.map((tile) => (tile.kind === 'picture' ? { ...tile, picture: made.get(tile.picture) ?? 0 } : tile))
		}))
	};
	await pool().query('UPDATE board SET content = $2 WHERE id = $1', [to, JSON.stringify(own)]);
	await pool().query('UPDATE board_version SET content = $2 WHERE board_id = $1', [to, JSON.stringify(own)]);
}

/** Deletes a board with what was said to it. */
export async function dropBoard(person: SignedIn | undefined, modelId: number, { id }: z.infer<typeof boardOnly>): Promise<void> {
	const board = await readBoard(person, modelId, id);
	if (!board.mayChange) throw notYours(board);
	await pool().query('DELETE FROM board WHERE id = $1', [id]);
}

export interface BoardVersion {
	version: number;
	name: string;
	person: string | null;
	at: string;
	tiles: number;
}

/** Earlier versions of a board, the latest first. */
export async function boardVersions(
	person: SignedIn | undefined,
	modelId: number,
	{ id }: z.infer<typeof boardOnly>
): Promise<{ versions: BoardVersion[] }> {
	await readBoard(person, modelId, id);
	const found = await pool().query<Omit<BoardVersion, 'at'> & { at: Date }>(
		`SELECT v.version, v.name, p.name AS person, v.at,
			(SELECT coalesce(sum(jsonb_array_length(t -> 'tiles')), 0)::integer FROM jsonb_array_elements(v.content -> 'tabs') t) AS tiles
		FROM board_version v LEFT JOIN person p ON p.id = v.person_id WHERE v.board_id = $1 ORDER BY v.version DESC`,
		[id]
	);
	return { versions: found.rows.map((row) => ({ ...row, at: row.at.toISOString() })) };
}

export const restoreBoardSchema = z.object({ id: z.int(), version: z.int() });

/** Puts an earlier version in the place of the present one, as a version of its own. */
export async function restoreBoard(
	person: SignedIn | undefined,
	modelId: number,
	{ id, version }: z.infer<typeof restoreBoardSchema>
): Promise<void> {
	const board = await readBoard(person, modelId, id);
	const found = await pool().query<{ content: unknown }>('SELECT content FROM board_version WHERE board_id = $1 AND version = $2', [
		id,
		version
	]);
	if (!found.rows[0]) throw notFound('version');
	const { name, description, shared } = board;
	await changeBoard(person, modelId, {
		id,
		name,
		description,
		shared,
		content: boardContentSchema.parse(found.rows[0].content),
		version: board.version
	});
}

export const hideSchema = z.object({ id: z.int(), tiles: z.array(z.int()).max(100) });

/** The tiles somebody does not want to see; for them alone. */
export async function hideTiles(person: SignedIn | undefined, modelId: number, { id, tiles }: z.infer<typeof hideSchema>): Promise<void> {
	const reader = requirePermission(person, 'form.read');
	await readBoard(reader, modelId, id);
	await pool().query(
		'INSERT INTO board_hidden (board_id, person_id, tiles) VALUES ($1, $2, $3) ON CONFLICT (board_id, person_id) DO UPDATE SET tiles = excluded.tiles',
		[id, reader.id, tiles]
	);
}

export interface BoardComment {
	id: number;
	tile: number | null;
	person: string;
	at: string;
	text: string;
	/** What stood there then, in words. */
	figures: string;
	mine: boolean;
}

/** What people have said to a board: figures they kept with it are told to who reads all of the model. */
export async function boardComments(
	person: SignedIn | undefined,
	modelId: number,
	{ id }: z.infer<typeof boardOnly>
): Promise<{ comments: BoardComment[]; people: string[] }> {
	const reader = requirePermission(person, 'form.read');
	await readBoard(reader, modelId, id);
	const found = await pool().query<Omit<BoardComment, 'at'> & { at: Date }>(
		`SELECT c.id, c.tile, doer(c.person_id, c.acting_id) AS person, c.at, c.text, CASE WHEN $3 AND c.person_id <> $2 THEN '' ELSE c.figures END AS figures, c.person_id = $2 AS mine
		FROM board_comment c WHERE c.board_id = $1 ORDER BY c.id DESC LIMIT 300`,
		[id, reader.id, reader.readsPart ?? false]
	);
	const people = await pool().query<{ name: string }>('SELECT name FROM person WHERE active ORDER BY name');
	return { comments: found.rows.map((row) => ({ ...row, at: row.at.toISOString() })), people: people.rows.map(({ name }) => name) };
}

export const sayToBoardSchema = z.object({
	id: z.int(),
	tile: z.int().nullable(),
	text: z.string().trim().min(1, 'write something').max(2_000),
	figures: z.string().max(1_000).default('')
});

/** Says something to a board or one of its tiles, with what it showed. */
export async function sayToBoard(
	person: SignedIn | undefined,
	modelId: number,
	{ id, tile, text, figures }: z.infer<typeof sayToBoardSchema>
): Promise<void> {
	const writer = requirePermission(person, 'form.read');
	const board = await readBoard(writer, modelId, id);
	await tellMentioned(writer, modelId, board, text);
	await pool().query('INSERT INTO board_comment (board_id, tile, person_id, acting_id, text, figures) VALUES ($1, $2, $3, $4, $5, $6)', [
		id,
		tile,
		writer.id,
		actingNow(),
		text,
		figures
	]);
}

/** A message to those who are named with an @ and see the board. */
async function tellMentioned(writer: SignedIn, modelId: number, board: Board, text: string): Promise<void> {
	const named = await pool().query<{ id: number }>(
		"SELECT id FROM person WHERE active AND id <> $1 AND strpos(lower($2), '@' || lower(name)) > 0 LIMIT 20",
		[writer.id, text]
	);
	for (const { id } of named.rows) {
		const reader = await personById(id, modelId);
		if (!reader.permissions.includes('form.read') || !(await readBoard(reader, modelId, board.id).catch(() => undefined))) continue;
		await pool().query("INSERT INTO message (person_id, model_id, kind, subject, body, path) VALUES ($1, $2, 'mention', $3, $4, $5)", [
			id,
			modelId,
			`${writer.name} wrote to you on ${board.name}`,
			text,
			`/insight/boards/${board.id}`
		]);
	}
}

export const dropCommentSchema = z.object({ id: z.int(), comment: z.int() });
/** Takes something one said away again. */
export async function dropComment(
	person: SignedIn | undefined,
	modelId: number,
	{ id, comment }: z.infer<typeof dropCommentSchema>
): Promise<void> {
	const writer = requirePermission(person, 'form.read');
	await readBoard(writer, modelId, id);
	const gone = await pool().query('DELETE FROM board_comment WHERE id = $1 AND board_id = $2 AND person_id = $3', [comment, id, writer.id]);
	if (!gone.rowCount) throw notFound('comment');
}
