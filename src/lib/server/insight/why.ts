/** Why a total differs from another one. */
import { z } from 'zod';
import { readAccessRules } from '../access';
import { pool } from '../database';
import { branchVersion } from '../database/branch-series';
import { modelVersions } from '../database/structure-version';
import { branchFor, branchNames, snapshotFor, snapshotsFor } from '../branch';
import { askEngine, askRunner, type ComparedSide, type WhyAnswer } from '../engine';
import { draftVersion } from '../form/draft';
import { Fault } from '../fault';
import { requirePermission, type SignedIn } from '../session';
import { againstChoices, type AgainstChoice } from './against';
import { axesOf, type InsightAxis } from './axes';
import { namesFor } from './views';

export const whySchema = z.object({
	/** The figure by its members in address order, the period last. */
	place: z.array(z.int()).min(3).max(41),
	/** A scenario (`m12`), years before (`y1`), a branch (`b3`), a snapshot (`s4`), or the plan (`plan`), where one is in a branch. */
	against: z.string().regex(/^([mbs]\d{1,9}|y\d{1,2}|plan)$/),
	currency: z.string().regex(/^([A-Z]{3}|local)$/),
	dimension: z.int().nullable().default(null),
	at: z.record(z.string().regex(/^\d{1,9}$/), z.int()).default({}),
	quantity: z.int().optional()
});
export type Why = z.infer<typeof whySchema>;

export interface WhyDifferent extends WhyAnswer {
	/** Of the plan, the draft of whoever asks included. */
	hasDraft: boolean;
}

/** Why a figure differs from what it is held against, as the reader sees both, their draft included. */
export async function whyDifferent(person: SignedIn | undefined, modelId: number, asked: Why): Promise<WhyDifferent> {
	const reader = requirePermission(person, 'form.read');
	return { ...(await askWhy(reader, modelId, asked)), hasDraft: (await draftVersion(pool(), reader, modelId)) > 0 };
}

/**
 * The same for whoever has been let in: a tile of a board asks so too.
 * @param known what a board has read already of the same period
 */
export async function askWhy(
	reader: SignedIn,
	modelId: number,
	{ place, against, currency, dimension, at, quantity }: Why,
	{ most, known }: { most?: number; known?: { axes: InsightAxis[]; choices: AgainstChoice[] } } = {}
): Promise<WhyAnswer> {
	const [rules, versions, version, branch, axes] = await Promise.all([
		readAccessRules(reader, modelId),
		modelVersions(pool(), modelId),
		draftVersion(pool(), reader, modelId),
		reader.branch ? branchVersion(pool(), reader.branch.id) : undefined,
		known?.axes ?? axesOf(reader, modelId)
	]);
	const period = axes.find(({ kind }) => kind === 'period')!;
	const choices = known?.choices ?? (await againstChoices(reader, modelId, axes, { scenario: undefined, period: place.at(-1)! }));
	const held = choices.find(({ key }) => key === against);
	const beside = await besideOf(reader, modelId, against);
	if (!held && !beside)
		throw new Fault(422, 'not possible', 'What it is held against says nothing about this period, or is not yours to see.');
	// Looking for the dimension that tells most reads all of them, and a snapshot is opened whole: on a thread of its own.
	const ask = dimension === null || beside?.snapshot !== undefined ? askRunner : askEngine;
	return ask(modelId, 'why', {
		...versions,
		rules,
		draft: { person: reader.id, version },
		branch,
		// A year before or another scenario is read where one works.
		fromSide: beside ?? { branch },
		place,
		from: {
			...(held?.scenario !== undefined && { scenario: held.scenario }),
			...(held && held.years > 0 && { period: await periodBefore(place.at(-1)!, held.years, period) })
		},
		currency,
		dimension,
		at: Object.fromEntries(Object.entries(at).map(([id, member]) => [Number(id), member])),
		quantity,
		...(most !== undefined && { most })
	});
}

/** The plan, a branch or a snapshot, where that is what a figure is held against. @throws Fault 404 where they may not look at it */
async function besideOf(reader: SignedIn, modelId: number, against: string): Promise<ComparedSide | undefined> {
	const id = Number(against.slice(1));
	if (against === 'plan') return {};
	if (against.startsWith('s')) return { snapshot: (await snapshotFor(reader, modelId, id)).id };
	if (!against.startsWith('b')) return undefined;
	await branchFor(reader, modelId, id);
	return { branch: await branchVersion(pool(), id) };
}

/** The period so many years before one, of its own length; itself where the calendar does not reach so far. */
async function periodBefore(member: number, years: number, axis: InsightAxis): Promise<number> {
	const found = await pool().query<{ member: number }>(
		`SELECT o.member_id AS member FROM (
			SELECT p.member_id, row_number() OVER (ORDER BY p.start_date) AS at FROM period p JOIN member m ON m.id = p.member_id
			WHERE m.dimension_id = $2 AND p.level = (SELECT level FROM period WHERE member_id = $1)) AS o,
			(SELECT row_number() OVER (ORDER BY p.start_date) AS at, p.member_id FROM period p JOIN member m ON m.id = p.member_id
			WHERE m.dimension_id = $2 AND p.level = (SELECT level FROM period WHERE member_id = $1)) AS t
		WHERE t.member_id = $1 AND o.at = t.at - $3`,
		[member, axis.id, years * (axis.yearOf?.[member] ?? 1)]
	);
	return found.rows[0]?.member ?? 0;
}

export interface WhyPage {
	axes: InsightAxis[];
	names: Record<number, string>;
	place: number[];
	againstChoices: { key: string; name: string }[];
	/** Accounts of quantities, for volume, mix and price. */
	quantities: { id: number; name: string }[];
	currencies: string[];
}

/**
 * What the page needs to ask why: names, what a figure can be held against, accounts that count.
 * @param closer members (ids) where one has looked closer
 */
export async function whyPage(person: SignedIn | undefined, modelId: number, place: number[], closer: readonly number[]): Promise<WhyPage> {
	const reader = requirePermission(person, 'form.read');
	const axes = await axesOf(reader, modelId);
	const inOrder = [...axes.filter(({ kind }) => kind !== 'period'), ...axes.filter(({ kind }) => kind === 'period')];
	const scenario = inOrder.findIndex(({ kind }) => kind === 'scenario');
	const currencies = await pool().query<{ code: string }>(
		'SELECT currency AS code FROM model_currency WHERE model_id = $1 ORDER BY position',
		[modelId]
	);
	const quantities = await pool().query<{ id: number; name: string }>(
		`SELECT m.id, m.name FROM account a JOIN member m ON m.id = a.member_id JOIN model_dimension md ON md.dimension_id = m.dimension_id
		WHERE md.model_id = $1 AND a.value_type = 'quantity' AND NOT m.retired ORDER BY m.name LIMIT 200`,
		[modelId]
	);
	const choices = await againstChoices(reader, modelId, axes, { scenario: place[scenario], period: place.at(-1)! });
	const names = await namesFor(reader, modelId, axes, [...place, ...closer, ...quantities.rows.map(({ id }) => id)]);
	const [branches, snapshots] = await Promise.all([branchNames(reader, modelId), snapshotsFor(reader, modelId)]);
	return {
		axes: inOrder,
		names,
		place,
		againstChoices: [
			...(reader.branch ? [{ key: 'plan', name: 'The plan' }] : []),
			...choices.map(({ key, name }) => ({ key, name })),
			...branches.filter(({ id }) => id !== reader.branch?.id).map(({ id, name }) => ({ key: `b${id}`, name: `Branch “${name}”` })),
			// A snapshot of a part has nothing elsewhere: which part it is says why.
			...snapshots.map(({ id, name, part }) => ({ key: `s${id}`, name: `Snapshot “${name}”${part && `, ${part}`}` }))
		],
		quantities: quantities.rows.filter(({ id }) => names[id] !== undefined),
		currencies: [...currencies.rows.map(({ code }) => code), 'local']
	};
}
