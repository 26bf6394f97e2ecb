import { z } from 'zod';
import { pool } from '../database';
import { Fault, notFound } from '../fault';
import { requirePermission, type SignedIn } from '../session';
import { placeSchema, readBeside, requirePlace, requireReadable, type Beside } from './beside';

/** Files beside cells are at most this large. */
export const MOST_LINK_BYTES = 5 * 1024 * 1024;

/** What may be kept beside a cell, by the ending of its name. */
const FILE_TYPES: Record<string, string> = {
	pdf: 'application/pdf',
	png: 'image/png',
	jpg: 'image/jpeg',
	jpeg: 'image/jpeg',
	txt: 'text/plain',
	csv: 'text/csv',
	md: 'text/markdown',
	xlsx: 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet',
	docx: 'application/vnd.openxmlformats-officedocument.wordprocessingml.document',
	ods: 'application/vnd.oasis.opendocument.spreadsheet',
	odt: 'application/vnd.oasis.opendocument.text'
};

export const linkSchema = z.object({
	place: placeSchema,
	title: z.string().trim().max(200),
	address: z
		.string()
		.trim()
		.max(2_000)
		.refine((address) => /^https?:\/\/[^\s/]+/i.test(address), 'begin the address with https://')
});

/** Attaches a web address to a figure. */
export async function addLink(
	person: SignedIn | undefined,
	modelId: number,
	{ place, title, address }: z.infer<typeof linkSchema>
): Promise<Beside> {
	const writer = requirePermission(person, 'form.enter');
	await requirePlace(writer, modelId, place);
	await pool().query('INSERT INTO cell_link (model_id, place, person_id, title, address) VALUES ($1, $2, $3, $4, $5)', [
		modelId,
		place,
		writer.id,
		title || address,
		address
	]);
	return readBeside(person, modelId, place);
}

/** Keeps a file beside a figure. @throws Fault for kinds and sizes that are not kept */
export async function addFile(
	person: SignedIn | undefined,
	modelId: number,
	place: number[],
	name: string,
	bytes: Buffer
): Promise<Beside> {
	const writer = requirePermission(person, 'form.enter');
	await requirePlace(writer, modelId, place);
	const ending = name.toLowerCase().split('.').at(-1) ?? '';
	const type = FILE_TYPES[ending];
	if (!type)
		throw new Fault(
			422,
			'not possible',
			`Files ending in “.${ending.slice(0, 20)}” are not kept here. Take one of ${Object.keys(FILE_TYPES).join(', ')}.`
		);
	if (bytes.length > MOST_LINK_BYTES)
		throw new Fault(
			413,
			'too large',
			`The file is larger than ${MOST_LINK_BYTES / 1024 / 1024} MB. Put it on a share and attach its address.`
		);
	if (bytes.length === 0) throw new Fault(422, 'empty file', 'The file is empty.');
	await pool().query('INSERT INTO cell_link (model_id, place, person_id, title, file_type, bytes) VALUES ($1, $2, $3, $4, $5, $6)', [
		modelId,
		place,
		writer.id,
		name.slice(0, 200),
		type,
		bytes
	]);
	return readBeside(person, modelId, place);
}

/** A kept file, asked for where it lies: its number alone opens nothing. @throws Fault 404 */
export async function readFile(
	person: SignedIn | undefined,
	modelId: number,
	id: number,
	place: readonly number[]
): Promise<{ name: string; type: string; bytes: Buffer }> {
	await requireReadable(requirePermission(person, 'form.read'), modelId, place);
	const found = await pool().query<{ name: string; type: string; bytes: Buffer }>(
		'SELECT title AS name, file_type AS type, bytes FROM cell_link WHERE id = $1 AND model_id = $2 AND place = $3 AND bytes IS NOT NULL',
		[id, modelId, place]
	);
	if (!found.rows[0]) throw notFound('file');
	return found.rows[0];
}

export const linkRemoveSchema = z.object({ place: placeSchema, link: z.number().int() });

/** Takes away a link of one's own. */
export async function removeLink(
	person: SignedIn | undefined,
	modelId: number,
	{ place, link }: z.infer<typeof linkRemoveSchema>
): Promise<Beside> {
	const writer = requirePermission(person, 'form.enter');
	const gone = await pool().query('DELETE FROM cell_link WHERE id = $1 AND model_id = $2 AND person_id = $3 AND place = $4', [
		link,
		modelId,
		writer.id,
		place
	]);
	if (gone.rowCount === 0) throw notFound('link of yours');
	return readBeside(person, modelId, place);
}
