import { z } from 'zod';
import type { AccessRules, Grant } from '../../core';
import { pool } from '../database';
import { modelVersions } from '../database/structure-version';
import { askRunner } from '../engine';
import { requirePermission, type SignedIn } from '../session';
import { grantedPeople } from './reach';
import { readGuarded } from './rules';

export const whoMaySchema = z.object({ members: z.array(z.int()).min(2).max(40), period: z.int() });

/** Somebody, and whether they may read and write a figure; else by what they may not. */
export interface WhoMay {
	id: number;
	name: string;
	title: string;
	read: boolean;
	write: boolean;
	/** The sentences on which it rests: of reading, of writing. */
	because: [read: string, write: string];
}

/** Everybody who is active, and whether they may read and write a figure: the report of a slice. */
export async function whoMay(
	person: SignedIn | undefined,
	modelId: number,
	{ members, period }: z.infer<typeof whoMaySchema>
): Promise<WhoMay[]> {
	requirePermission(person, 'access.read');
	const people = await grantedPeople(pool(), modelId);
	const [guarded, { structure }] = await Promise.all([readGuarded(modelId), modelVersions(pool(), modelId)]);
	// Many have the same grants: each set of them is asked about once.
	const sets = new Map<string, Grant[]>();
	for (const { grants } of people) sets.set(JSON.stringify(grants), grants);
	const rules = [...sets.values()].map((grants): AccessRules => ({ mayEnter: true, grants, guarded }));
	// Beside the thread on which people type: each set is compiled over all members.
	const { verdicts } = await askRunner(modelId, 'whyCells', { rules, structure, members, period });
	const verdictOf = new Map([...sets.keys()].map((key, at) => [key, verdicts[at]!]));
	return people.map(({ id, name, title, reads, enters, grants }) => {
		const { read, write } = verdictOf.get(JSON.stringify(grants))!;
		return {
			id,
			name,
			title,
			read: reads && read.every(({ holds }) => holds),
			write: enters && write.every(({ holds }) => holds),
			because: [
				reads ? read.map(({ words }) => words).join(' ') : 'No role to open forms in this model.',
				enters ? write.map(({ words }) => words).join(' ') : 'No role to enter figures in this model.'
			]
		};
	});
}

/** The same as a grid, with the figure and the date in its head: for those who check. */
export async function whoMayGrid(
	person: SignedIn | undefined,
	modelId: number,
	figure: z.infer<typeof whoMaySchema>
): Promise<{ name: string; grid: string[][] }> {
	const lines = await whoMay(person, modelId, figure);
	const named = await pool().query<{ words: string }>(
		`SELECT string_agg(m.name, ' · ' ORDER BY o) AS words FROM unnest($1::integer[]) WITH ORDINALITY AS x (id, o) JOIN member m ON m.id = x.id`,
		[[...figure.members, figure.period]]
	);
	return {
		name: 'Who may read and write',
		grid: [
			['Figure', named.rows[0]?.words ?? ''],
			['As of', new Date().toISOString().slice(0, 16).replace('T', ' ')],
			[],
			['Person', 'What they do', 'Reads', 'Writes', 'Reading', 'Writing'],
			...lines.map(({ name, title, read, write, because }) => [name, title, read ? 'yes' : 'no', write ? 'yes' : 'no', ...because])
		]
	};
}
