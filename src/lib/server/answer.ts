import { error, json } from '@sveltejs/kit';
import { stringify } from 'csv-stringify/sync';
import type { z } from 'zod';
import { isDatabaseAway } from './database';
import { databaseAway, diskFull, Fault } from './fault';
import { log } from './log';

/** Runs a server function for an API route: its result as JSON, a Fault as its sentence and status. */
export async function answer(work: () => Promise<unknown>): Promise<Response> {
	try {
		return json((await work()) ?? {});
	} catch (failure) {
		const fault = asFault(failure);
		if (!fault) throw failure;
		if (fault !== failure) log.warn({ err: failure }, fault.status === 503 ? fault.code : 'an odd value');
		const { code, message, details, status } = fault;
		return json({ code, message, details }, { status, headers: status === 503 ? { 'retry-after': '2' } : {} });
	}
}

const DISK_FULL = '53100';

/** SQL states of values out of range, of the wrong form, and with characters no text holds. */
const ODD_VALUES = new Set(['22003', '22P02', '22021', '22P05']);

/** What a person is told of a failure: its own sentence, or that the database is away; undefined of any other. */
export function asFault(failure: unknown): Fault | undefined {
	if (failure instanceof Fault) return failure;
	if (isDatabaseAway(failure)) return databaseAway();
	if ((failure as { code?: unknown } | undefined)?.code === DISK_FULL) return diskFull();
	// Numbers and texts that no column holds: what was asked for cannot be there.
	const { code } = (failure ?? {}) as { code?: unknown };
	return typeof code === 'string' && ODD_VALUES.has(code)
		? new Fault(400, 'not understood', 'This asks for something that cannot be there.')
		: undefined;
}

const SHEETS = { xlsx: 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet', csv: 'text/csv; charset=utf-8' };

/** Runs a server function that makes a workbook or a CSV file, to be saved; a Fault as its sentence and status. */
export async function answerFile(as: keyof typeof SHEETS, work: () => Promise<{ name: string; bytes: Uint8Array }>): Promise<Response> {
	try {
		const { name, bytes } = await work();
		return new Response(new Uint8Array(bytes), {
			headers: {
				'content-type': SHEETS[as],
				'content-disposition': `attachment; filename*=UTF-8''${encodeURIComponent(`${name}.${as}`)}`,
				'cache-control': 'no-store'
			}
		});
	} catch (failure) {
		if (failure instanceof Fault) return answer(() => Promise.reject(failure));
		throw failure;
	}
}

/** The same for a CSV that is long: its rows are written as they are asked for. */
export async function answerCsv(work: () => Promise<{ name: string; rows: () => AsyncGenerator<string[][]> }>): Promise<Response> {
	try {
		const { name, rows } = await work();
		return new Response(csvOf(rows()), {
			headers: {
				'content-type': SHEETS.csv,
				'content-disposition': `attachment; filename*=UTF-8''${encodeURIComponent(`${name}.csv`)}`,
				'cache-control': 'no-store'
			}
		});
	} catch (failure) {
		if (failure instanceof Fault) return answer(() => Promise.reject(failure));
		throw failure;
	}
}

function csvOf(rows: AsyncGenerator<string[][]>): ReadableStream<Uint8Array> {
	const encoder = new TextEncoder();
	let first = true;
	return new ReadableStream<Uint8Array>({
		async pull(controller) {
			const { done, value } = await rows.next();
			if (done) return controller.close();
			const text = stringify(value);
			controller.enqueue(encoder.encode(first ? `\ufeff${text}` : text));
			first = false;
		},
		cancel: () => void rows.return(undefined)
	});
}

/** Runs a server function for a page's load; a Fault becomes the error page with its sentence. */
export async function forPage<Result>(work: () => Promise<Result>): Promise<Result> {
	try {
		return await work();
	} catch (failure) {
		const fault = asFault(failure);
		if (fault) error(fault.status, { message: fault.message, code: fault.code });
		throw failure;
	}
}

/** Nothing that a page sends is nested deeper. */
const MOST_DEPTH = 60;

/** A zero character, which the database keeps in no text, or depth that reading it again would not stand. */
function isUnreasonable(body: unknown, depth = 0): boolean {
	if (typeof body === 'string') return body.includes('\0');
	if (typeof body !== 'object' || body === null) return false;
	if (depth >= MOST_DEPTH) return true;
	if (Array.isArray(body)) return body.some((each) => isUnreasonable(each, depth + 1));
	return Object.entries(body).some(([key, each]) => key.includes('\0') || isUnreasonable(each, depth + 1));
}

/** A request's JSON body by its schema; how much it may be says the gate. @throws Fault 400 */
export async function readBody<Schema extends z.ZodType>(request: Request, schema: Schema): Promise<z.infer<Schema>> {
	let body: unknown;
	try {
		body = await request.json();
	} catch (failure) {
		// More than the route takes.
		if (failure instanceof Fault) throw failure;
		throw new Fault(400, 'not understood', 'The request could not be read. Reload the page and try again.');
	}
	if (isUnreasonable(body)) throw new Fault(400, 'not understood', 'The request holds what no page sends. Nothing was changed.');
	const parsed = schema.safeParse(body);
	if (!parsed.success) {
		const first = parsed.error.issues[0];
		throw new Fault(
			400,
			'not understood',
			`The request could not be read (${first?.path.join('.')}: ${first?.message}). Reload the page and try again.`
		);
	}
	return parsed.data;
}
