/** What the search of every page finds beyond the page's own: members, figures, boards, views, notes, people, and the handbook. */
import { z } from 'zod';
import { figureByName, type NamedMember } from '../../core';
import { readablePlaces, reachedMembers } from '../access';
import { pool } from '../database';
import { searchHandbook } from '../handbook';
import { requirePermission, type SignedIn } from '../session';
import { axesOf } from './axes';
import { SEES_BOARD } from './boards';

export const searchSchema = z.object({ text: z.string().trim().min(2).max(120) });

export interface Found {
	kind: 'Figure' | 'Member' | 'Board' | 'View' | 'Note' | 'Person' | 'Handbook';
	name: string;
	hint: string;
	/** Where it leads, within the model. */
	path: string;
}

const MOST_EACH = 6;

/** What somebody may know of that has these words. */
export async function search(
	person: SignedIn | undefined,
	modelId: number,
	{ text }: z.infer<typeof searchSchema>
): Promise<{ found: Found[] }> {
	const reader = requirePermission(person, 'form.read');
	const words = text.toLowerCase().split(/\s+/).filter(Boolean).slice(0, 8);
	const all = (column: string) => words.map((_, at) => `strpos(lower(${column}), $${at + 3}) > 0`).join(' AND ');
	const [figures, members, boards, views, notes, people] = await Promise.all([
		figuresNamed(reader, modelId, text),
		membersNamed(reader, modelId, words),
		pool().query<{ id: number; name: string }>(
			`SELECT b.id, b.name FROM board b WHERE b.model_id = $1 AND ${SEES_BOARD('b', '$2')} AND ${all('b.name')} ORDER BY b.name LIMIT ${MOST_EACH}`,
			[modelId, reader.id, ...words]
		),
		pool().query<{ code: string; name: string }>(
			`SELECT code, name FROM form WHERE model_id = $1 AND owner_id IS NOT NULL AND kept AND (shared OR owner_id = $2) AND ${all('name')} ORDER BY name LIMIT ${MOST_EACH}`,
			[modelId, reader.id, ...words]
		),
		pool().query<{ text: string; place: number[]; person: string }>(
			`SELECT n.text, n.place, p.name AS person FROM note n JOIN person p ON p.id = n.person_id WHERE n.model_id = $1 AND n.branch_id IS NULL AND $2::integer IS NOT NULL AND ${all('n.text')} ORDER BY n.id DESC LIMIT 20`,
			[modelId, reader.id, ...words]
		),
		reader.permissions.includes('access.read')
			? pool().query<{ id: number; name: string; title: string }>(
					`SELECT id, name, title FROM person WHERE active AND $1::integer IS NOT NULL AND $2::integer IS NOT NULL AND ${all("name || ' ' || email")} ORDER BY name LIMIT ${MOST_EACH}`,
					[modelId, reader.id, ...words]
				)
			: { rows: [] }
	]);
	const readable = await readablePlaces(
		reader,
		modelId,
		notes.rows.map(({ place }) => place.slice(0, -1))
	);
	return {
		found: [
			...figures,
			...boards.rows.map(({ id, name }): Found => ({ kind: 'Board', name, hint: '', path: `/insight/boards/${id}` })),
			...views.rows.map(({ code, name }): Found => ({ kind: 'View', name, hint: '', path: `/insight/explore/${code}` })),
			...members,
			...notes.rows
				.filter((_, index) => readable[index])
				.slice(0, MOST_EACH)
				.map(({ text: note, place, person: author }): Found => ({
					kind: 'Note',
					name: note.length > 70 ? `${note.slice(0, 69)}…` : note,
					hint: author,
					path: `/insight/explore?place=${place.join('.')}`
				})),
			...people.rows.map(({ name, title }): Found => ({
				kind: 'Person',
				name,
				hint: title,
				path: '/access?view=people'
			})),
			...searchHandbook(words).map(({ title, heading, path }): Found => ({
				kind: 'Handbook',
				name: heading,
				hint: heading === title ? '' : title,
				path
			}))
		]
	};
}

async function membersNamed(reader: SignedIn, modelId: number, words: readonly string[]): Promise<Found[]> {
	const found = await pool().query<{ id: number; name: string; code: string; dimension: number; of: string }>(
		`SELECT m.id, m.name, m.code, d.id AS dimension, d.name AS "of" FROM member m JOIN dimension d ON d.id = m.dimension_id
		JOIN model_dimension md ON md.dimension_id = d.id WHERE md.model_id = $1 AND NOT m.retired
			AND ${words.map((_, at) => `(strpos(lower(m.name), $${at + 2}) > 0 OR lower(m.code) = $${at + 2})`).join(' AND ')} ORDER BY length(m.name), m.id LIMIT 40`,
		[modelId, ...words]
	);
	const seen = new Map<number, boolean>();
	for (const dimension of new Set(found.rows.map((row) => row.dimension))) {
		const own = found.rows.filter((row) => row.dimension === dimension);
		const reached = await reachedMembers(
			reader,
			modelId,
			dimension,
			own.map(({ id }) => id)
		);
		own.forEach(({ id }, index) => seen.set(id, reached[index]!));
	}
	return found.rows
		.filter(({ id }) => seen.get(id))
		.slice(0, MOST_EACH)
		.map(({ id, name, of }) => ({
			kind: 'Member',
			name,
			hint: of,
			path: `/insight/explore?member=${id}`
		}));
}

/** The figure that words name, where they name an account and leave nothing over. */
async function figuresNamed(reader: SignedIn, modelId: number, text: string): Promise<Found[]> {
	const axes = await axesOf(reader, modelId);
	const words = text
		.toLowerCase()
		.split(/[^\p{L}\p{N}]+/u)
		.filter(Boolean)
		.slice(0, 8);
	if (words.length === 0) return [];
	const found = await pool().query<NamedMember & { year: number | null }>(
		`SELECT m.id, m.dimension_id AS dimension, m.name, m.code, p.fiscal_year AS year FROM member m JOIN model_dimension md ON md.dimension_id = m.dimension_id AND md.model_id = $1
		LEFT JOIN period p ON p.member_id = m.id
		WHERE NOT m.retired AND (${words.map((_, at) => `strpos(lower(m.name), $${at + 2}) > 0 OR starts_with(lower(m.code), $${at + 2})`).join(' OR ')}) ORDER BY length(m.name), m.id LIMIT 600`,
		[modelId, ...words]
	);
	const period = axes.find(({ kind }) => kind === 'period')!;
	const account = axes.find(({ kind }) => kind === 'account')!;
	const year = (await pool().query<{ year: number }>('SELECT fiscal_year AS year FROM period WHERE member_id = $1', [period.top])).rows[0]
		?.year;
	// Of months of several years that of the year people are about now.
	const candidates = [...found.rows].sort((one, other) => Number(other.year === year) - Number(one.year === year));
	const { members, left } = figureByName(text, candidates);
	if (left.length > 0 || !members.has(account.id) || members.size < 2) return [];
	for (const [dimension, { id }] of members) if (!(await reachedMembers(reader, modelId, dimension, [id]))[0]) return [];
	const inOrder = [...axes.filter(({ kind }) => kind !== 'period'), period];
	const place = inOrder.map(({ id, top }) => members.get(id)?.id ?? top);
	return [
		{
			kind: 'Figure',
			name: inOrder.flatMap(({ id }) => members.get(id)?.name ?? []).join(' · '),
			hint: 'explore it',
			path: `/insight/explore?place=${place.join('.')}`
		}
	];
}
