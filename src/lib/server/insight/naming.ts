import { mapSelection, type BoardContent, type Selection, type Tile } from '../../core';
import { modelsOf } from '../definition/models';
import type { Database } from '../database';
import type { NamesMembers } from '../definition/naming';
import { boardContentSchema } from './board-schema';

/** A board with every member it names replaced. */
export function mapBoard(content: BoardContent, map: (member: number, dimension: number) => number): BoardContent {
	const selection = (each: Selection, dimension: number): Selection => mapSelection(each, (member) => map(member, dimension));
	const at = (each: Readonly<Record<number, number>>) =>
		Object.fromEntries(Object.entries(each).map(([dimension, member]) => [dimension, map(member, Number(dimension))]));
	const tile = (each: Tile): Tile => {
		if (each.kind === 'waterfall') return { ...each, account: map(each.account, 0), at: at(each.at) };
		if (each.kind !== 'figure' && each.kind !== 'chart' && each.kind !== 'table') return each;
		const { rows, columns } = each.source;
		return {
			...each,
			source: {
				...each.source,
				rows: { ...rows, selection: selection(rows.selection, rows.dimension) },
				...(columns && { columns: { ...columns, selection: selection(columns.selection, columns.dimension) } }),
				at: at(each.source.at)
			}
		};
	};
	return {
		...content,
		selectors: content.selectors.map((each) => ({ ...each, initial: map(each.initial, each.dimension) })),
		against: content.against && 'scenario' in content.against ? { scenario: map(content.against.scenario, 0) } : content.against,
		tabs: content.tabs.map((tab) => ({ ...tab, tiles: tab.tiles.map(tile) }))
	};
}

/** A board with every dimension it names replaced. */
export function mapBoardDimensions(content: BoardContent, map: (dimension: number) => number): BoardContent {
	const at = (each: Readonly<Record<number, number>>) =>
		Object.fromEntries(Object.entries(each).map(([dimension, member]) => [map(Number(dimension)), member]));
	const tile = (each: Tile): Tile => {
		if (each.kind === 'waterfall') return { ...each, by: map(each.by), at: at(each.at) };
		if (each.kind !== 'figure' && each.kind !== 'chart' && each.kind !== 'table') return each;
		const { rows, columns } = each.source;
		return {
			...each,
			source: {
				...each.source,
				rows: { ...rows, dimension: map(rows.dimension) },
				...(columns && { columns: { ...columns, dimension: map(columns.dimension) } }),
				at: at(each.source.at)
			}
		};
	};
	return {
		...content,
		selectors: content.selectors.map((each) => ({ ...each, dimension: map(each.dimension) })),
		tabs: content.tabs.map((tab) => ({ ...tab, tiles: tab.tiles.map(tile) }))
	};
}

/** The members (ids) a board names. */
export function membersOfBoard(content: BoardContent): Set<number> {
	const found = new Set<number>();
	mapBoard(content, (member) => {
		found.add(member);
		return member;
	});
	return found;
}

async function boardsOf(
	database: Database,
	modelId: number
): Promise<{ id: number; name: string; shared: boolean; content: BoardContent }[]> {
	const found = await database.query<{ id: number; name: string; shared: boolean; content: unknown }>(
		'SELECT id, name, shared, content FROM board WHERE model_id = $1 ORDER BY id',
		[modelId]
	);
	return found.rows.map((row) => ({ ...row, content: boardContentSchema.parse(row.content) }));
}

/** Boards follow where a member is replaced; shared ones are told as uses. None holds anything back: a tile says what is gone. */
export const boardNaming: NamesMembers = {
	uses: async (database, dimension, member) => {
		const uses = [];
		for (const { id, code } of await modelsOf(database, dimension))
			for (const board of await boardsOf(database, id))
				if (board.shared && membersOfBoard(board.content).has(member))
					uses.push({ kind: 'board' as const, name: board.name, path: `/m/${code}/insight/boards/${board.id}` });
		return uses;
	},
	among: async () => [],
	replace: async (client, { dimension, from, to }) => {
		for (const { id } of await modelsOf(client, dimension))
			for (const board of await boardsOf(client, id)) {
				const content = mapBoard(board.content, (member) => (member === from ? to : member));
				if (JSON.stringify(content) !== JSON.stringify(board.content))
					await client.query('UPDATE board SET content = $2, version = version + 1 WHERE id = $1', [board.id, JSON.stringify(content)]);
			}
	}
};
