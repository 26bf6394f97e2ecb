import type { BoardContent } from '../../core';
import type { Database } from '../database';
import type { PackedBoard } from '../definition/package-format';
import { boardContentSchema } from '../insight/board-schema';
import { mapBoard, mapBoardDimensions } from '../insight/naming';
import type { PackedReference } from './made';
import { Places } from './places';

/** Of boards of one name the first comes along: a package calls them by their names. */
export const firstOfName = <Named extends { name: string }>(all: readonly Named[]): Named[] =>
	all.filter(({ name }, place) => all.findIndex((each) => each.name === name) === place);

/**
 * The shared boards of a model by name. Tiles name runbooks and pictures by their place, forms by code and views by name. To
 * whom a board is sent, what was said to it and who hides what belongs to this installation and stays behind.
 * @param viewNames by code the names of the views that come along
 */
export async function packBoards(
	database: Database,
	modelId: number,
	keyOf: ReadonlyMap<number, string>,
	members: ReadonlyMap<number, PackedReference>,
	{ runbooks, views }: { runbooks: ReadonlyMap<number, string>; views: ReadonlyMap<string, string> }
): Promise<PackedBoard[]> {
	const found = await database.query<{ id: number; name: string; description: string; content: unknown }>(
		'SELECT id, name, description, content FROM board WHERE model_id = $1 AND shared ORDER BY name, id',
		[modelId]
	);
	const packed: PackedBoard[] = [];
	for (const { id, name, description, content } of firstOfName(found.rows)) {
		const places = new Places(keyOf, members);
		const stored = boardContentSchema.parse(content);
		// In the order of their keys, whatever numbers dimensions have here.
		const used = new Set<number>();
		mapBoardDimensions(stored, (dimension) => (used.add(dimension), dimension));
		for (const [dimension] of [...keyOf].sort(([, one], [, other]) => (one < other ? -1 : 1)))
			if (used.has(dimension)) places.dimension(dimension);
		const named: string[] = [];
		const pictures: PackedBoard['pictures'] = [];
		const kept = await database.query<{ id: number; type: PackedBoard['pictures'][number]['type']; bytes: Buffer }>(
			'SELECT id, type, bytes FROM board_picture WHERE board_id = $1',
			[id]
		);
		const pictureOf = new Map(kept.rows.map((row) => [row.id, row]));
		const parsed = mapBoardDimensions(stored, places.dimension);
		packed.push({
			name,
			description,
			content: withTiles(
				// Nothing chosen stays nothing chosen.
				mapBoard(parsed, (member) => (member === 0 ? -1 : places.member(member))),
				{
					runbook: (runbook) => {
						const called = runbooks.get(runbook) ?? '';
						if (!named.includes(called)) named.push(called);
						return named.indexOf(called);
					},
					picture: (picture) => {
						const row = pictureOf.get(picture);
						return row ? pictures.push({ type: row.type, data: row.bytes.toString('base64') }) : 0;
					},
					code: (code) => (views.has(code) ? `view:${views.get(code)!}` : code)
				}
			),
			dimensions: places.dimensions,
			members: places.named,
			runbooks: named,
			pictures
		});
	}
	return packed;
}

/** A board whose tiles lead to other runbooks, pictures, forms and views. */
export function withTiles(
	content: BoardContent,
	{ runbook, picture, code }: { runbook: (id: number) => number; picture: (id: number) => number; code: (code: string) => string }
): BoardContent {
	return {
		...content,
		tabs: content.tabs.map((tab) => ({
			...tab,
			tiles: tab.tiles.map((tile) => {
				if (tile.kind === 'runbook') return { ...tile, runbook: runbook(tile.runbook) };
				if (tile.kind === 'picture') return { ...tile, picture: picture(tile.picture) };
				return tile.kind === 'view' || tile.kind === 'form' || tile.kind === 'checks' ? { ...tile, code: code(tile.code) } : tile;
			})
		}))
	};
}
