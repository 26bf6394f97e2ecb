import { createReadStream } from 'node:fs';
import { readdir, realpath, stat } from 'node:fs/promises';
import { isAbsolute, join, relative, resolve } from 'node:path';
import { matchesPattern } from '../../../core';
import { Fault } from '../../fault';

/** The folder under which all watched folders lie: `DROP_FOLDER`, or `inbox` beside the application. */
const dropFolder = (): string => resolve(process.env.DROP_FOLDER ?? 'inbox');

/** Files written to within this time are left for the next look: they may not be whole yet. */
const SETTLED_MILLISECONDS = 2_000;
const MOST_FILES = 200;

export interface FolderFile {
	name: string;
	path: string;
	bytes: number;
}

/**
 * The files of a folder whose name matches, the oldest first.
 * @throws Fault when the folder is not there, or lies outside the drop folder
 */
export async function listFolder(folder: string, pattern: string): Promise<FolderFile[]> {
	const root = await realpath(dropFolder()).catch(() => undefined);
	const path = root && (await realpath(join(root, folder)).catch(() => undefined));
	const within = root && path ? relative(root, path) : '..';
	if (!path || within.startsWith('..') || isAbsolute(within))
		throw new Fault(422, 'no folder', `There is no folder “${folder}” in the server's drop folder. Ask who runs the server to make it.`);
	const found: (FolderFile & { at: number })[] = [];
	for (const entry of await readdir(path, { withFileTypes: true })) {
		if (!entry.isFile() || entry.name.startsWith('.') || !matchesPattern(entry.name, pattern)) continue;
		const facts = await stat(join(path, entry.name));
		if (Date.now() - facts.mtimeMs < SETTLED_MILLISECONDS || facts.size === 0) continue;
		found.push({ name: entry.name, path: join(path, entry.name), bytes: facts.size, at: facts.mtimeMs });
	}
	return found.sort((a, b) => a.at - b.at).slice(-MOST_FILES);
}

export const readFolderFile = (file: FolderFile): AsyncIterable<Uint8Array> => createReadStream(file.path);
