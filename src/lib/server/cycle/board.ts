/** Rounds as they stand: their units with what they hold, a unit from near, and what waits for a person. */
import { pool } from '../database';
import { modelVersions } from '../database/structure-version';
import { readAccessRules } from '../access';
import { askEngine, askRunner, type UnitMoved, type UnitSummary } from '../engine';
import { notFound } from '../fault';
import { requirePermission, type SignedIn } from '../session';
import type { UnitMove, UnitState } from '../../core';
import { UnitTree } from '../../core';
import { checksOfUnit, formsOfUnit, type UnitCheck, type UnitForm } from './checks';
import { movedSince, sliceAsk } from './figures';
import { readUnits, whyNotMove } from './moves';
import { readRound, type Round } from './rounds';

export interface UnitLine {
	id: number;
	parent: number | null;
	depth: number;
	name: string;
	state: UnitState;
	/** Of a submitted unit: how many reviews it has passed, of how many. */
	reviewed: number;
	reviews: number;
	owner: { id: number; name: string; active: boolean } | null;
	reviewers: string[];
	due: string | null;
	/** Days to the day it is due: negative where it has passed and the unit is not handed in. */
	days: number | null;
	isLate: boolean;
	filled: number;
	expected: number;
	movedAt: string | null;
	isMine: boolean;
	/** Waits for the reader’s review. */
	forMe: boolean;
	/** Stands elsewhere in the structure by now. */
	hasMoved: boolean;
}

export interface RoundBoard {
	round: Pick<Round, 'id' | 'name' | 'state' | 'startedAt' | 'endedAt' | 'version'> & {
		scenario: string;
		from: string;
		to: string;
		instructions: string;
	};
	units: UnitLine[];
	/** Where the reader may lead. */
	leads: boolean;
}

const OPEN: readonly UnitState[] = ['not started', 'in progress', 'returned'];

/** A round with all its units. */
export async function roundBoard(person: SignedIn | undefined, modelId: number, id: number): Promise<RoundBoard> {
	const reader = requirePermission(person, 'cycle.read');
	const round = await readRound(pool(), modelId, id);
	const [units, names] = await Promise.all([
		pool().query<{
			id: number;
			parent: number | null;
			depth: number;
			name: string;
			state: UnitState;
			reviewed: number;
			members: number[];
			owner: number | null;
			ownerName: string | null;
			active: boolean | null;
			due: string | null;
			days: number | null;
			movedAt: Date | null;
			reviewers: { review: number; id: number; name: string }[];
			hasMoved: boolean;
		}>(
			`SELECT u.id, u.parent_id AS parent, u.depth, u.name, u.state, u.reviewed, u.members, u.owner_id AS owner, p.name AS "ownerName", p.active,
				u.due::text AS due, u.due - current_date AS days, u.moved_at AS "movedAt",
				coalesce((SELECT json_agg(json_build_object('review', v.review, 'id', q.id, 'name', q.name) ORDER BY v.review, q.name) FROM unit_reviewer v JOIN person q ON q.id = v.person_id WHERE v.unit_id = u.id), '[]') AS reviewers,
				a.members IS NOT NULL AND cardinality(a.members) = cardinality(u.members) AND NOT EXISTS (
					SELECT FROM hierarchy_node n JOIN hierarchy h ON h.id = n.hierarchy_id AND h.main WHERE n.member_id = u.members[1] AND n.parent_id = a.members[1]) AS "hasMoved"
			FROM cycle_unit u LEFT JOIN person p ON p.id = u.owner_id LEFT JOIN cycle_unit a ON a.id = u.parent_id WHERE u.round_id = $1 ORDER BY u.position`,
			[id]
		),
		pool().query<{ id: number; name: string }>('SELECT id, name FROM member WHERE id = ANY ($1)', [[round.scenario, round.from, round.to]])
	]);
	const nameOf = (member: number) => names.rows.find((each) => each.id === member)?.name ?? '';
	const progress = await progressOf(modelId, round, units.rows);
	// Who reads a part sees the units that are theirs to fill or review, and what stands above those.
	const own = new Set<number>();
	if (reader.readsPart) {
		const above = new Map(units.rows.map((unit) => [unit.id, unit.parent]));
		for (const { id: unit, owner, reviewers } of units.rows)
			if (owner === reader.id || reviewers.some((each) => each.id === reader.id))
				for (let at: number | null = unit; at !== null; at = above.get(at) ?? null) own.add(at);
	}
	const isTheirs = (unit: { owner: number | null; reviewers: readonly { id: number }[] }) =>
		!reader.readsPart || unit.owner === reader.id || unit.reviewers.some((each) => each.id === reader.id);
	const shown = reader.readsPart ? units.rows.filter((unit) => own.has(unit.id)) : units.rows;
	return {
		round: {
			id,
			name: round.name,
			state: round.state,
			startedAt: round.startedAt,
			endedAt: round.endedAt,
			version: round.version,
			scenario: nameOf(round.scenario),
			from: nameOf(round.from),
			to: nameOf(round.to),
			instructions: round.settings.instructions
		},
		units: shown.map(({ members: _, owner, ownerName, active, days, movedAt, reviewers, ...unit }) => ({
			...unit,
			reviews: Math.max(1, ...reviewers.map(({ review }) => review + 1)),
			owner: owner === null ? null : { id: owner, name: ownerName ?? '', active: active ?? false },
			reviewers: reviewers.filter(({ review }) => review === unit.reviewed).map(({ name }) => name),
			days,
			isLate: days !== null && days < 0 && OPEN.includes(unit.state),
			movedAt: movedAt?.toISOString() ?? null,
			isMine: owner === reader.id,
			forMe: unit.state === 'submitted' && reviewers.some((each) => each.review === unit.reviewed && each.id === reader.id),
			...(isTheirs({ owner, reviewers }) ? progress.get(unit.id)! : { filled: 0, expected: 0 })
		})),
		leads: (reader.permissions as string[]).includes('cycle.write') && round.state === 'running'
	};
}

/** How far units are filled, from the bottom up. */
async function progressOf(
	modelId: number,
	round: Round,
	units: readonly { id: number; parent: number | null; members: number[] }[]
): Promise<Map<number, { filled: number; expected: number }>> {
	const found = new Map(units.map(({ id }) => [id, { filled: 0, expected: 0 }]));
	const parents = new Set(units.map(({ parent }) => parent));
	const leaves = units.filter(({ id }) => !parents.has(id));
	const counted = await askRunner(modelId, 'unitProgress', {
		...(await modelVersions(pool(), modelId)),
		scenario: round.scenario,
		from: round.from,
		to: round.to,
		compared: round.settings.compared,
		units: leaves.map(({ members }) => members)
	});
	leaves.forEach(({ id }, at) => Object.assign(found.get(id)!, { filled: counted.filled[at]!, expected: counted.expected[at]! }));
	for (const { id, parent } of [...units].reverse()) {
		if (parent === null) continue;
		const [own, above] = [found.get(id)!, found.get(parent)!];
		above.filled += own.filled;
		above.expected += own.expected;
	}
	return found;
}

export interface UnitMoveLine {
	id: number;
	at: string;
	person: string | null;
	move: string;
	state: UnitState;
	note: string;
	fields: { account: string; words: string }[];
	cells: number | null;
}

export interface UnitView {
	id: number;
	moves: UnitMoveLine[];
	/** What has moved since it was last submitted; null where it never was, or where one reads a part only. */
	moved: UnitMoved | null;
	forms: UnitForm[];
	/** What its upper accounts come to, as far as the reader may read them; null for who may see no figures. */
	figures: UnitSummary | null;
	/** How its checks stand for the reader, saved figures and their own draft. */
	checks: UnitCheck[];
	/** What the reader may do with it now. */
	may: UnitMove[];
	/** What was submitted or approved above it: it goes back with it. */
	above: string[];
	/** Accounts to say something about. */
	accounts: string[];
}

/** A unit from near. */
export async function unitView(
	person: SignedIn | undefined,
	modelId: number,
	{ round: roundId, unit: id }: { round: number; unit: number }
): Promise<UnitView> {
	const reader = requirePermission(person, 'cycle.read');
	const round = await readRound(pool(), modelId, roundId);
	const units = await readUnits(pool(), roundId);
	const unit = units.find((each) => each.id === id);
	const isTheirs = unit && (!reader.readsPart || unit.owner === reader.id || unit.reviewers.some((people) => people.includes(reader.id)));
	if (!unit || !isTheirs) throw notFound('unit');
	const tree = new UnitTree(units);
	const moves = await pool().query<Omit<UnitMoveLine, 'at'> & { at: Date }>(
		`SELECT m.id, m.at, CASE WHEN m.person_id IS NULL THEN NULL ELSE doer(m.person_id, m.acting_id) END AS person, m.move, m.state, m.note, m.fields, m.cells
		FROM unit_move m WHERE m.unit_id = $1 ORDER BY m.id DESC LIMIT 60`,
		[id]
	);
	const seesAll = !reader.readsPart;
	const moved = seesAll ? await movedSince(pool(), modelId, round, unit) : null;
	const seesFigures = (reader.permissions as string[]).includes('form.read');
	const [forms, checks, figures] = await Promise.all([
		seesFigures ? formsOfUnit(modelId, round.settings.forms, round.scenario, unit.members) : [],
		seesFigures ? checksOfUnit(reader, modelId, round.settings, { scenario: round.scenario, members: unit.members }) : [],
		seesFigures
			? askEngine(modelId, 'unitSummary', {
					...(await sliceAsk(pool(), modelId, round, unit.members)),
					rules: await readAccessRules(reader, modelId),
					compared: round.settings.compared
				})
			: null
	]);
	const wanted: UnitMove[] = ['submit', 'recall', 'return', 'approve', 'reopen'];
	return {
		id,
		moves: moves.rows.map((move) => ({ ...move, at: move.at.toISOString() })),
		moved,
		forms,
		figures,
		checks,
		may:
			round.state !== 'running'
				? []
				: wanted.filter((move) => !whyNotMove(reader, unit, move) && !('refused' in tree.move(id, move, unit.reviewers.length || 1))),
		above: tree.wentOn(id).map((above) => units.find((each) => each.id === above.id)!.name),
		accounts: [...new Set(moved?.lines.map(({ account }) => account) ?? [])]
	};
}

export interface MyUnit {
	round: number;
	roundName: string;
	unit: number;
	name: string;
	state: UnitState;
	due: string | null;
	days: number | null;
	/** What was said when it came back. */
	note: string;
}

export interface MyWork {
	fill: MyUnit[];
	review: MyUnit[];
	returned: MyUnit[];
}

/** What waits for a person in the rounds that run: to fill, to review, returned. */
export async function myWork(person: SignedIn, modelId: number): Promise<MyWork> {
	if (!(person.permissions as string[]).includes('cycle.read')) return { fill: [], review: [], returned: [] };
	const found = await pool().query<MyUnit & { kind: 'fill' | 'review' | 'returned' }>(
		`SELECT CASE WHEN u.state = 'returned' THEN 'returned' ELSE 'fill' END AS kind, r.id AS round, r.name AS "roundName", u.id AS unit,
			coalesce((SELECT a.name || ', ' FROM cycle_unit a WHERE a.id = u.parent_id AND cardinality(u.members) > 1), '') || u.name AS name, u.state, u.due::text AS due, u.due - current_date AS days,
			coalesce((SELECT m.note FROM unit_move m WHERE m.unit_id = u.id AND m.move IN ('return', 'reopen', 'reopen beneath') ORDER BY m.id DESC LIMIT 1), '') AS note
		FROM cycle_unit u JOIN round r ON r.id = u.round_id AND r.state = 'running' AND r.model_id = $2
		WHERE u.owner_id = $1 AND u.state IN ('not started', 'in progress', 'returned')
			AND NOT EXISTS (SELECT FROM cycle_unit c WHERE c.parent_id = u.id AND c.state <> 'approved')
		UNION ALL
		SELECT 'review', r.id, r.name, u.id, coalesce((SELECT a.name || ', ' FROM cycle_unit a WHERE a.id = u.parent_id AND cardinality(u.members) > 1), '') || u.name, u.state, u.due::text, u.due - current_date,
			coalesce((SELECT m.note FROM unit_move m WHERE m.unit_id = u.id AND m.move = 'submit' ORDER BY m.id DESC LIMIT 1), '')
		FROM cycle_unit u JOIN round r ON r.id = u.round_id AND r.state = 'running' AND r.model_id = $2
		JOIN unit_reviewer v ON v.unit_id = u.id AND v.review = u.reviewed AND v.person_id = $1 WHERE u.state = 'submitted'
		ORDER BY days NULLS LAST, name`,
		[person.id, modelId]
	);
	const of = (kind: string): MyUnit[] => found.rows.filter((row) => row.kind === kind).map(({ kind: _, ...row }) => row);
	return { fill: of('fill'), review: of('review'), returned: of('returned') };
}
