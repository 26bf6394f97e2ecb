/** Asking a directory who works there, by SCIM 2.0. */
import { readFileSync } from 'node:fs';
import { z } from 'zod';
import { Fault } from '../fault';
import { log } from '../log';
import { holdsDemo } from '../session';
import { directoryToken } from '../simulated/directory';
import { groupSchema, userSchema, type ScimGroup, type ScimUser } from './scim';

export interface DirectorySource {
	url: string;
	token: string;
	name: string;
}

const PATIENCE_MILLISECONDS = 20_000;
const PAGE = 100;
const MOST = 20_000;

/** The directory of this installation: the one its settings name, of the demo the stand-in that comes with it. */
export async function directorySource(origin: string): Promise<DirectorySource | undefined> {
	const { DIRECTORY_URL, DIRECTORY_TOKEN, DIRECTORY_TOKEN_FILE } = process.env;
	if (DIRECTORY_URL)
		return {
			url: DIRECTORY_URL.replace(/\/$/, ''),
			token: DIRECTORY_TOKEN ?? (DIRECTORY_TOKEN_FILE ? readFileSync(DIRECTORY_TOKEN_FILE, 'utf8').trim() : ''),
			name: new URL(DIRECTORY_URL).hostname
		};
	return (await holdsDemo())
		? { url: `${origin}/simulated/directory/scim/v2`, token: directoryToken(), name: 'Brinewater directory (simulated)' }
		: undefined;
}

const away = () =>
	new Fault(503, 'directory away', 'The directory cannot be reached, or answered otherwise than agreed. Nothing was changed.');

const pageSchema = z.object({ totalResults: z.number(), Resources: z.array(z.unknown()).default([]) });

/** All of a kind that a filter leaves, page by page. @throws Fault 503 */
async function all<Schema extends z.ZodType>(
	source: DirectorySource,
	type: string,
	schema: Schema,
	filter?: string
): Promise<z.infer<Schema>[]> {
	const found: z.infer<Schema>[] = [];
	for (let start = 1; found.length < MOST; start += PAGE) {
		const url = new URL(`${source.url}/${type}`);
		url.search = new URLSearchParams({ startIndex: String(start), count: String(PAGE), ...(filter && { filter }) }).toString();
		let page: z.infer<typeof pageSchema>;
		try {
			const response = await fetch(url, {
				headers: { authorization: `Bearer ${source.token}`, accept: 'application/scim+json' },
				redirect: 'error',
				signal: AbortSignal.timeout(PATIENCE_MILLISECONDS)
			});
			if (!response.ok) throw new Error(`status ${response.status}`);
			page = pageSchema.parse(await response.json());
		} catch (failure) {
			log.warn({ err: failure, type }, 'the directory did not answer');
			throw away();
		}
		for (const resource of page.Resources) {
			const read = schema.safeParse(resource);
			if (read.success) found.push(read.data);
		}
		if (page.Resources.length === 0 || start + PAGE > page.totalResults) return found;
	}
	throw new Fault(
		422,
		'too many',
		`The directory has more than ${MOST.toLocaleString('en')} entries of this kind. Let it push them instead.`
	);
}

export type DirectoryUser = ScimUser & { id: string };
export type DirectoryGroup = ScimGroup & { id: string };
const withId = { id: z.string().min(1).max(100) };

/** Users, all or by a part of their name or address. */
export const directoryUsers = (source: DirectorySource, part?: string): Promise<DirectoryUser[]> => {
	const quoted = JSON.stringify(part ?? '');
	return all(source, 'Users', userSchema.extend(withId), part ? `userName co ${quoted} or displayName co ${quoted}` : undefined);
};
export const directoryGroups = (source: DirectorySource): Promise<DirectoryGroup[]> => all(source, 'Groups', groupSchema.extend(withId));
