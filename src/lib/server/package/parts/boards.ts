import type { BoardContent } from '../../../core';
import type { PackedBoard } from '../../definition/package-format';
import { Fault, notFound } from '../../fault';
import { boardContentSchema } from '../../insight/board-schema';
import { mapBoard, mapBoardDimensions } from '../../insight/naming';
import { pictureType } from '../../insight/picture-type';
import { insertBoard, updateBoard } from '../../insight/store-board';
import { withTiles } from '../pack-boards';
import type { Scene } from '../scene';
import type { Part } from './part';

/** Shared boards: a new one is whose package it is, one that is there gets its next version. */
export const boardsPart: Part<PackedBoard> = {
	what: 'board',
	items: ({ boards }) => boards,
	nameOf: ({ name }) => name,
	async put(scene, packed, isNew) {
		const { client, modelId, person } = scene;
		const { name, description } = packed;
		const content = await contentHere(scene, packed);
		const id = isNew
			? await insertBoard(client, modelId, person.id, { name, description, shared: true, content })
			: await idOf(scene, name);
		const pictures = await keepPictures(scene, id, packed);
		const shown = withTiles(content, { runbook: same, code: same, picture: (place) => pictures[place - 1] ?? 0 });
		if (!isNew) await updateBoard(client, id, person.id, { name, description, shared: true, content: shown });
		else if (pictures.length > 0) {
			await client.query('UPDATE board SET content = $2 WHERE id = $1', [id, JSON.stringify(shown)]);
			await client.query('UPDATE board_version SET content = $2 WHERE board_id = $1', [id, JSON.stringify(shown)]);
		}
		return { kind: 'board', id };
	},
	async remove(scene, { name }) {
		const id = await idOf(scene, name);
		await scene.client.query('DELETE FROM board WHERE id = $1', [id]);
		return { kind: 'board', id };
	}
};

const same = <Value>(value: Value): Value => value;

async function idOf({ client, modelId }: Scene, name: string): Promise<number> {
	const found = await client.query<{ id: number }>(
		'SELECT id FROM board WHERE model_id = $1 AND shared AND name = $2 ORDER BY id LIMIT 1',
		[modelId, name]
	);
	if (!found.rows[0]) throw notFound('board');
	return found.rows[0].id;
}

/** What the tiles show in this model; pictures still by their place in the package. */
async function contentHere({ client, modelId, dimensions: here, memberOf }: Scene, packed: PackedBoard): Promise<BoardContent> {
	const { name, dimensions, members, runbooks, content } = packed;
	const stored = await client.query<{ id: number; name: string }>('SELECT id, name FROM runbook WHERE model_id = $1', [modelId]);
	const runbookOf = new Map(stored.rows.map((row) => [row.name, row.id]));
	const views = await client.query<{ code: string; name: string }>(
		'SELECT code, name FROM form WHERE model_id = $1 AND owner_id IS NOT NULL AND kept AND shared ORDER BY id DESC',
		[modelId]
	);
	const viewOf = new Map(views.rows.map((row) => [row.name, row.code]));
	const placed = boardOf(content, name);
	const inMembers = mapBoard(placed, (place) => (place < 0 ? 0 : memberOf(members[place] ?? { dimension: '', member: String(place) })));
	const inDimensions = mapBoardDimensions(inMembers, (place) => {
		const dimension = here.get(dimensions[place] ?? '');
		if (!dimension)
			throw new Fault(422, 'not understood', `The board ${name} names the dimension ${dimensions[place]}, which is not there.`);
		return dimension.id;
	});
	const done = boardContentSchema.safeParse(
		withTiles(inDimensions, {
			// A tile whose runbook or view did not come along says so.
			runbook: (place) => runbookOf.get(runbooks[place] ?? '') ?? 2_147_483_647,
			code: (code) => (code.startsWith('view:') ? (viewOf.get(code.slice(5)) ?? code) : code).slice(0, 80),
			picture: same
		})
	);
	if (!done.success) throw notKept(name);
	return done.data;
}

const notKept = (name: string) => new Fault(422, 'not understood', `The board ${name} does not keep its format.`);

/** Enough of a board that places in it can be replaced; all of it is looked at afterwards. */
function boardOf(content: unknown, name: string): BoardContent {
	const board = content as Partial<BoardContent> | null;
	if (typeof board !== 'object' || board === null || !Array.isArray(board.tabs) || !Array.isArray(board.selectors)) throw notKept(name);
	if (!board.tabs.every((tab) => Array.isArray((tab as { tiles?: unknown } | null)?.tiles))) throw notKept(name);
	return board as BoardContent;
}

async function keepPictures({ client, person }: Scene, board: number, { pictures }: PackedBoard): Promise<number[]> {
	const ids: number[] = [];
	for (const { data } of pictures) {
		const bytes = Buffer.from(data, 'base64');
		const kept = await client.query<{ id: number }>(
			'INSERT INTO board_picture (board_id, person_id, type, bytes) VALUES ($1, $2, $3, $4) RETURNING id',
			[board, person.id, pictureType(bytes), bytes]
		);
		ids.push(kept.rows[0]!.id);
	}
	return ids;
}
