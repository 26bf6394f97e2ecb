/** Boards on paper: sent as PDF to people's messages, now or by themselves, each as its reader sees it. */
import { z } from 'zod';
import { pool, transaction } from '../database';
import { Fault, notAllowed, notFound } from '../fault';
import { doEveryMinute, handleJobs, noteJob, startJob } from '../jobs';
import { claimDue, nextMoments, scheduleSchema, withMoments, type Schedule } from '../jobs/moments';
import { log } from '../log';
import { openPrinter } from '../printer';
import { personById, requirePermission, type SignedIn } from '../session';
import { peopleInModel } from '../database/model-people';
import { namedOn, readBoard } from './boards';

const people = z.array(z.int()).max(50);
/** What stands chosen, as in the address of a board. */
const chosen = z
	.string()
	.max(2_000)
	.regex(/^[\w=&%.+~-]*$/)
	.default('');
export const sendBoardSchema = z.object({ id: z.int(), people, chosen });
export const boardScheduleSchema = z.object({ id: z.int(), people, chosen, schedule: scheduleSchema.nullable() });

const nobody = () => new Fault(422, 'nobody', 'Choose to whom it is sent.');

/** How a board is sent by itself. */
export interface BoardSending {
	schedule: Schedule | null;
	/** To whom (ids). */
	people: number[];
	/** Who can be sent it: those who read forms in the model. */
	readers: { id: number; name: string }[];
}

export async function readBoardSending(person: SignedIn | undefined, modelId: number, { id }: { id: number }): Promise<BoardSending> {
	const reader = requirePermission(person, 'form.read');
	const board = await readBoard(reader, modelId, id);
	const found = await pool().query<Omit<Schedule, 'next'> & { people: number[] }>(
		`SELECT s.cron, s.time_zone AS "timeZone", s.active, p.name AS person, NULL AS "suspendedBy", s.people
		FROM board_schedule s JOIN person p ON p.id = s.person_id WHERE s.board_id = $1`,
		[id]
	);
	const seen = new Set([reader.id, ...(await namedOn(id))]);
	const readers = (await peopleInModel(pool(), modelId)).filter((each) => board.shared || seen.has(each.id));
	const [row] = found.rows;
	if (!row) return { schedule: null, people: [], readers };
	const { people: to, ...schedule } = row;
	return { schedule: withMoments(schedule), people: to, readers };
}

/** Sets, changes or (with null) ends the sending of a board: who may change the board. */
export async function setBoardSending(
	person: SignedIn | undefined,
	modelId: number,
	{ id, people: to, chosen: at, schedule }: z.infer<typeof boardScheduleSchema>
): Promise<BoardSending> {
	const sender = requirePermission(person, 'form.read');
	const board = await readBoard(sender, modelId, id);
	if (!board.mayChange) throw notAllowed('have this board sent: that is for who may change it');
	if (schedule === null) await pool().query('DELETE FROM board_schedule WHERE board_id = $1', [id]);
	else {
		if (to.length === 0) throw nobody();
		nextMoments(schedule.cron, schedule.timeZone);
		await pool().query(
			`INSERT INTO board_schedule (board_id, cron, time_zone, active, person_id, people, chosen) VALUES ($1, $2, $3, $4, $5, $6, $7)
			ON CONFLICT (board_id) DO UPDATE SET cron = $2, time_zone = $3, active = $4, person_id = $5, people = $6, chosen = $7, looked_at = now()`,
			[id, schedule.cron, schedule.timeZone, schedule.active, sender.id, to, at]
		);
	}
	return readBoardSending(sender, modelId, { id });
}

/** Sends a board as PDF, as a job. */
export async function sendBoard(
	person: SignedIn | undefined,
	modelId: number,
	{ id, people: to, chosen: at }: z.infer<typeof sendBoardSchema>
): Promise<{ job: number }> {
	const sender = requirePermission(person, 'form.read');
	const { name } = await readBoard(sender, modelId, id);
	if (to.length === 0) throw nobody();
	return noteSending(modelId, sender.id, { board: id, people: to, chosen: at }, name);
}

interface Sending {
	board: number;
	people: number[];
	chosen: string;
}

const noteSending = (modelId: number, sender: number, sending: Sending, name: string): Promise<{ job: number }> =>
	startJob(async (client) => ({
		job: await noteJob(client, modelId, sender, 'board on paper', `${name}, as PDF`, sending, sending.people.length)
	}));

handleJobs(
	'board on paper',
	async (job, tell, signal) => {
		const { board: id, people: to, chosen: at } = job.payload as Sending;
		// Whoever has it sent must see it still: what was set long ago goes on in their name.
		const sender = await personById(job.personId, job.modelId);
		await readBoard(sender, job.modelId, id);
		const { code } = (await pool().query<{ code: string }>('SELECT code FROM model WHERE id = $1', [job.modelId])).rows[0]!;
		const path = `/m/${encodeURIComponent(code)}/print/boards/${id}${at ? `?${at}` : ''}`;
		const without: string[] = [];
		let sent = 0;
		const printer = await openPrinter(signal);
		try {
			for (const [done, each] of to.entries()) {
				if (signal.aborted) break;
				tell(done, 'Printing');
				const reader = await personById(each, job.modelId).catch(() => undefined);
				const board = reader && (await readBoard(reader, job.modelId, id).catch(() => undefined));
				// What somebody may not look at is not sent to them either.
				if (!reader || !board) without.push(`${reader?.name ?? 'somebody who is gone'}: it is not theirs to see`);
				else
					try {
						await hand(job.modelId, each, { board, bytes: await printer.print(each, path), chosen: at });
						sent++;
					} catch (error) {
						// What went wrong for one keeps nothing from the others.
						log.warn({ err: error, board: id }, 'a board was not printed');
						without.push(`${reader.name}: ${error instanceof Fault ? error.message : 'it could not be printed'}`);
					}
			}
		} finally {
			await printer.close();
		}
		const words = [
			sent > 0 ? `Sent to ${sent === 1 ? 'one person' : `${sent} people`}.` : '',
			without.length > 0 ? `Not to ${without.join('; ')}.` : '',
			signal.aborted && sent + without.length < to.length ? `Ended before the other ${to.length - sent - without.length}.` : ''
		].filter(Boolean);
		if (sent === 0 && !signal.aborted) throw new Fault(422, 'nobody', words.join(' '));
		return { words: words.join(' '), result: { sent } };
	},
	undefined,
	'printing'
);

/** Leaves a board on paper among somebody's messages; a letter with it follows as they have chosen. */
async function hand(
	modelId: number,
	to: number,
	{ board, bytes, chosen: at }: { board: { id: number; name: string; description: string }; bytes: Uint8Array; chosen: string }
): Promise<void> {
	await transaction(async (client) => {
		const message = await client.query<{ id: number }>(
			"INSERT INTO message (person_id, model_id, kind, subject, body, path) VALUES ($1, $2, 'board', $3, $4, $5) RETURNING id",
			[to, modelId, board.name, board.description, `/insight/boards/${board.id}${at ? `?${at}` : ''}`]
		);
		const file = `${board.name.replaceAll(/[^\p{L}\p{N} ,_-]+/gu, ' ').trim() || 'board'}.pdf`;
		await client.query('INSERT INTO message_file (message_id, name, bytes) VALUES ($1, $2, $3)', [
			message.rows[0]!.id,
			file,
			Buffer.from(bytes)
		]);
	});
}

/** Sends the boards whose moment has come, each once. */
export async function sendDueBoards(now = new Date()): Promise<number> {
	const schedules = await pool().query<
		Sending & { key: number; modelId: number; person: number; name: string; cron: string; timeZone: string; looked: Date }
	>(
		`SELECT s.board_id AS key, s.board_id AS board, b.model_id AS "modelId", b.name, s.person_id AS person, s.people, s.chosen, s.cron, s.time_zone AS "timeZone",
			s.looked_at AS looked FROM board_schedule s JOIN board b ON b.id = s.board_id WHERE s.active`
	);
	const due = await claimDue({ table: 'board_schedule', column: 'board_id' }, schedules.rows, now);
	for (const { modelId, person, board, people: to, chosen: at, name } of due)
		await noteSending(modelId, person, { board, people: to, chosen: at }, name).catch((error: unknown) =>
			log.warn({ err: error, board }, 'a board was not sent')
		);
	return due.length;
}
doEveryMinute(async () => void (await sendDueBoards()));

/** A file that came with a message: for whom it was, and who looks at all messages of the model. @throws Fault 404 */
export async function messageFile(person: SignedIn | undefined, modelId: number, id: number): Promise<{ name: string; bytes: Buffer }> {
	const reader = requirePermission(person, 'form.read');
	const found = await pool().query<{ name: string; bytes: Buffer }>(
		'SELECT f.name, f.bytes FROM message_file f JOIN message m ON m.id = f.message_id WHERE f.id = $1 AND m.model_id = $2 AND m.person_id = $3',
		[id, modelId, reader.id]
	);
	if (!found.rows[0]) throw notFound('file');
	return found.rows[0];
}
