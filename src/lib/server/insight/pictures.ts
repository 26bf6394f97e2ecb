/** Pictures on boards: kept with the board, seen by who sees it. */
import { pool } from '../database';
import { Fault, notAllowed, notFound } from '../fault';
import { requirePermission, type SignedIn } from '../session';
import { readBoard } from './boards';
import { pictureType } from './picture-type';

const MOST_PICTURES = 40;
/** Keeps a picture for a board: who may change the board. What it is says the file itself. @throws Fault 422 where it is none that is shown */
export async function keepPicture(
	person: SignedIn | undefined,
	modelId: number,
	board: number,
	bytes: Uint8Array
): Promise<{ id: number }> {
	const keeper = requirePermission(person, 'form.read');
	if (!(await readBoard(keeper, modelId, board)).mayChange) throw notAllowed('put a picture on this board: that is for who may change it');
	const type = pictureType(bytes);
	const kept = await pool().query<{ id: number }>(
		`INSERT INTO board_picture (board_id, person_id, type, bytes) SELECT $1, $2, $3, $4
		WHERE (SELECT count(*) FROM board_picture WHERE board_id = $1) < $5 RETURNING id`,
		[board, keeper.id, type, Buffer.from(bytes), MOST_PICTURES]
	);
	if (!kept.rows[0])
		throw new Fault(
			422,
			'too many',
			`A board keeps ${MOST_PICTURES} pictures, those of its earlier versions among them. Copy it to go on.`
		);
	return kept.rows[0];
}

/** A picture of a board one may see. @throws Fault 404 */
export async function readPicture(person: SignedIn | undefined, modelId: number, id: number): Promise<{ type: string; bytes: Buffer }> {
	const reader = requirePermission(person, 'form.read');
	const found = await pool().query<{ board: number; type: string; bytes: Buffer }>(
		'SELECT p.board_id AS board, p.type, p.bytes FROM board_picture p JOIN board b ON b.id = p.board_id WHERE p.id = $1 AND b.model_id = $2',
		[id, modelId]
	);
	const [picture] = found.rows;
	if (!picture) throw notFound('picture');
	await readBoard(reader, modelId, picture.board);
	return picture;
}
