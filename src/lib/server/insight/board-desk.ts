/** A board with all that it is arranged from. */
import { pool } from '../database';
import { peopleInModel } from '../database/model-people';
import { requirePermission, type SignedIn } from '../session';
import { axesOf, type InsightAxis } from './axes';
import { readBoard, type Board } from './boards';
import { membersOfBoard } from './naming';
import { listViews, namesFor, type ViewCard } from './views';

export interface BoardDeskData {
	board: Board;
	axes: InsightAxis[];
	/** Names of members (ids) the board names, as far as the reader may know them. */
	names: Record<number, string>;
	views: ViewCard[];
	variables: { name: string; dimension: number | null }[];
	attributes: { dimension: number; name: string }[];
	/** Whom its owner can show it to. */
	people: { id: number; name: string }[];
}

export async function readBoardDesk(person: SignedIn | undefined, modelId: number, id: number): Promise<BoardDeskData> {
	const reader = requirePermission(person, 'form.read');
	const board = await readBoard(reader, modelId, id);
	const [axes, views, variables, attributes] = await Promise.all([
		axesOf(reader, modelId),
		listViews(reader, modelId),
		pool().query<BoardDeskData['variables'][number]>(
			'SELECT v.name, m.dimension_id AS dimension FROM variable v JOIN member m ON m.id = v.member_id WHERE v.model_id = $1 ORDER BY v.name',
			[modelId]
		),
		pool().query<BoardDeskData['attributes'][number]>(
			'SELECT a.dimension_id AS dimension, a.name FROM attribute a JOIN model_dimension md ON md.dimension_id = a.dimension_id WHERE md.model_id = $1 ORDER BY a.name',
			[modelId]
		)
	]);
	return {
		board,
		axes,
		names: await namesFor(reader, modelId, axes, [...membersOfBoard(board.content)]),
		views,
		variables: variables.rows,
		attributes: attributes.rows,
		people: board.mine ? (await peopleInModel(pool(), modelId)).filter(({ id: each }) => each !== reader.id) : []
	};
}
