/** What is done with units: submitted, recalled, returned, approved, opened again. */
import type pg from 'pg';
import { z } from 'zod';
import { lockOfUnit, UNIT_MOVES, UnitTree, type CycleUnit, type UnitMove, type UnitState, type UnitStep } from '../../core';
import { actingNow } from '../acting';
import { pool, transaction, type Database } from '../database';
import { lockModel } from '../database/change-set';
import { countUpStructure, modelVersions } from '../database/structure-version';
import { askRunner, type UnitMoved } from '../engine';
import { Fault, notAllowed, notFound } from '../fault';
import { snapshotOfMove } from '../branch';
import { draftsWithin, saveWithin } from '../form';
import { freezeAfter } from '../locks';
import { requirePermission, type SignedIn } from '../session';
import { checksOfUnit, type UnitCheck } from './checks';
import { keepFigures, movedSince, takeFigures, type TakenFigures } from './figures';
import { tell, type MessageKind, type MessageToSend } from './messages';
import { leavesOf } from './plan';
import { fullName, readRound, type Round } from './rounds';

/** A unit as moves need it. */
export interface MovingUnit extends CycleUnit {
	name: string;
	/** With what stands above it, where its tree is not seen. */
	fullName: string;
	members: number[];
	owner: number | null;
	lock: number | null;
	/** By review. */
	reviewers: number[][];
}

/** The units of a round. */
export async function readUnits(database: Database, round: number): Promise<MovingUnit[]> {
	const found = await database.query<Omit<MovingUnit, 'reviewers' | 'fullName'> & { reviewers: { review: number; person: number }[] }>(
		`SELECT u.id, u.parent_id AS parent, u.state, u.reviewed, u.name, u.members, u.owner_id AS owner, u.lock_id AS lock,
			coalesce((SELECT json_agg(json_build_object('review', v.review, 'person', v.person_id)) FROM unit_reviewer v WHERE v.unit_id = u.id), '[]') AS reviewers
		FROM cycle_unit u WHERE u.round_id = $1 ORDER BY u.position`,
		[round]
	);
	const names = new Map(found.rows.map(({ id, name }) => [id, name]));
	return found.rows.map(({ reviewers, ...unit }) => {
		const by: number[][] = [];
		for (const { review, person } of reviewers) (by[review] ??= []).push(person);
		const above = unit.parent === null ? undefined : names.get(unit.parent);
		return { ...unit, fullName: fullName(unit, above), reviewers: Array.from(by, (each) => each ?? []) };
	});
}

/** The reviews a unit passes: those of its round that somebody is named for, one at least. */
const reviewsOf = (unit: MovingUnit): number => Math.max(1, unit.reviewers.findLastIndex((people) => people.length > 0) + 1);

/** Whether somebody may make a move: its owner, whoever reviews it now, or who leads rounds. */
export function whyNotMove(person: SignedIn, unit: MovingUnit, move: UnitMove): string | undefined {
	if ((person.permissions as string[]).includes('cycle.write')) return undefined;
	const isOwner = unit.owner === person.id;
	const reviews = unit.reviewers[unit.reviewed]?.includes(person.id) ?? false;
	const reviewsAtAll = unit.reviewers.some((people) => people.includes(person.id));
	if (move === 'submit' || move === 'recall' || move === 'begin') return isOwner ? undefined : `Only the owner of ${unit.name} does that.`;
	if (move === 'return' || move === 'approve') return reviews ? undefined : `${unit.name} waits for another reviewer.`;
	return reviewsAtAll ? undefined : `Only a reviewer of ${unit.name} opens it again.`;
}

export const moveSchema = z.object({
	round: z.int(),
	units: z.array(z.int()).min(1).max(500),
	move: z.enum(UNIT_MOVES).exclude(['begin']),
	note: z.string().trim().max(4_000).default(''),
	/** Of what is returned: what is said of single accounts. */
	fields: z
		.array(z.object({ account: z.string().max(200), words: z.string().trim().min(1).max(1_000) }))
		.max(100)
		.default([]),
	/** Submitted although checks that only warn do not hold; approved although figures have moved. */
	accepts: z.boolean().default(false)
});
export type UnitsToMove = z.infer<typeof moveSchema>;

export type MoveResult =
	| { id: number; name: string; kind: 'moved'; state: UnitState; saved: number; brought: string[] }
	| { id: number; name: string; kind: 'refused'; words: string }
	/** Nothing is done yet: checks that warn, or figures that moved since they were submitted. */
	| { id: number; name: string; kind: 'asks'; checks: UnitCheck[]; moved: UnitMoved | null };

/** Moves units, each for itself: one that cannot be does not keep the others. */
export async function moveUnits(person: SignedIn | undefined, modelId: number, asked: UnitsToMove): Promise<{ results: MoveResult[] }> {
	const mover = requirePermission(person, 'cycle.read');
	if (mover.acting?.way === 'look') throw notAllowed('move units while you look as somebody else does');
	if ((asked.move === 'return' || asked.move === 'reopen') && asked.note === '' && asked.fields.length === 0)
		throw new Fault(
			422,
			'no note',
			asked.move === 'return'
				? 'Say what is to be changed: whoever gets it back reads it.'
				: 'Say why it is opened again: it stands in its history.'
		);
	const results: MoveResult[] = [];
	for (const id of asked.units) {
		try {
			results.push(await moveOne(mover, modelId, id, asked));
		} catch (error) {
			if (!(error instanceof Fault)) throw error;
			if (asked.units.length === 1) throw error;
			results.push({ id, name: '', kind: 'refused', words: error.message });
		}
	}
	// What is handed in is held; closed, and frozen, is what is approved.
	if ((asked.move === 'approve' || asked.move === 'reopen') && results.some(({ kind }) => kind === 'moved')) await freezeAfter(modelId);
	for (const result of results) if (result.kind === 'moved') await takeSnapshot(mover, modelId, asked, result);
	return { results };
}

/** Keeps what a unit at the top is submitted or approved with, where its round says so. */
async function takeSnapshot(
	mover: SignedIn,
	modelId: number,
	{ round: roundId, move }: UnitsToMove,
	{ id, state }: { id: number; state: UnitState }
): Promise<void> {
	const what = move === 'submit' ? 'submitted' : move === 'approve' && state === 'approved' ? 'approved' : undefined;
	if (!what) return;
	const round = await readRound(pool(), modelId, roundId);
	if (round.settings.snapshots !== 'both' && round.settings.snapshots !== what) return;
	const unit = unitOf(await readUnits(pool(), roundId), id);
	if (unit.parent !== null) return;
	const found = await pool().query<{ dimension: number; member: number }>(
		'SELECT dimension_id AS dimension, id AS member FROM member WHERE id = ANY ($1)',
		[[...unit.members, round.scenario]]
	);
	const part: Record<number, number[]> = {};
	for (const { dimension, member } of found.rows) part[dimension] = [member];
	await snapshotOfMove(mover, modelId, { called: `${unit.name}, ${what}`, part, through: `${round.name}: ${unit.name} ${what}` });
}

async function moveOne(mover: SignedIn, modelId: number, id: number, asked: UnitsToMove): Promise<MoveResult> {
	const { move, accepts } = asked;
	const round = await readRound(pool(), modelId, asked.round);
	const units = await readUnits(pool(), round.id);
	const unit = unitOf(units, id);
	refuse(mover, round, units, unit, move);
	let saved = 0;
	// What takes long is looked at before anything is locked.
	if (move === 'submit') {
		const at = { scenario: round.scenario, members: unit.members };
		const open = (await checksOfUnit(mover, modelId, round.settings, at)).filter(({ state }) => state !== 'holds');
		if (open.length > 0 && round.settings.checks === 'bar')
			throw new Fault(
				422,
				'checks',
				`${open.length === 1 ? 'A check does' : `${open.length} checks do`} not hold: ${open.slice(0, 3).map(checkInWords).join('; ')}.`
			);
		if (open.length > 0 && !accepts) return { id, name: unit.name, kind: 'asks', checks: open, moved: null };
		// First for itself: figures are kept as they are saved, and what is saved is seen once it is committed.
		saved = await transaction(async (client) => {
			const slice = await leavesOf(client, modelId, round, unit.members, beneath(units, id));
			const has = (await draftsWithin(client, modelId, slice)).some(({ person }) => person === mover.id);
			return !has ? 0 : (await saveWithin(client, mover, modelId, slice, `${round.name}, ${unit.name}`)).cells;
		});
	}
	// What is to be kept, and the thread that compares, before everybody waits for the plan's lock.
	const early = move === 'submit' ? await takeFigures(pool(), modelId, round, unit.members) : undefined;
	if (move === 'approve') await askRunner(modelId, 'ready', { revision: 0 });
	const result = await transaction((client) => carryOut(client, mover, modelId, round, id, asked, early));
	return result.kind === 'moved' ? { ...result, saved } : result;
}

/** The members of each unit right beneath one: what is typed there is theirs. */
const beneath = (units: readonly MovingUnit[], id: number): number[][] =>
	units.filter(({ parent }) => parent === id).map(({ members }) => members);

const checkInWords = ({ form, label, state, where }: UnitCheck): string =>
	`${form}: ${label}${state === 'cannot tell' ? ' cannot tell' : ''}${where.length > 0 ? ` (${where.join(', ')})` : ''}`;

function unitOf(units: readonly MovingUnit[], id: number): MovingUnit {
	const unit = units.find((each) => each.id === id);
	if (!unit) throw notFound('unit');
	return unit;
}

/** What a move comes to. @throws Fault 403 where the mover may not, 409 where the unit is not where it could */
function refuse(mover: SignedIn, round: Round, units: readonly MovingUnit[], unit: MovingUnit, move: UnitMove): readonly UnitStep[] {
	if (round.state !== 'running') throw new Fault(422, 'not running', `${round.name} does not run.`);
	const why = whyNotMove(mover, unit, move);
	if (why) throw new Fault(403, 'not allowed', why);
	const outcome = new UnitTree(units).move(unit.id, move, reviewsOf(unit));
	if ('refused' in outcome) throw new Fault(409, 'not possible', outcome.refused);
	return outcome.steps;
}

async function carryOut(
	client: pg.PoolClient,
	mover: SignedIn,
	modelId: number,
	round: Round,
	id: number,
	asked: UnitsToMove,
	early: TakenFigures | undefined
): Promise<MoveResult> {
	const { move, note, fields, accepts } = asked;
	const revision = await lockModel(client, modelId);
	await client.query('SELECT FROM round WHERE id = $1 FOR UPDATE', [round.id]);
	// As it stands now that nobody else can move it.
	const units = await readUnits(client, round.id);
	const unit = unitOf(units, id);
	const steps = refuse(mover, round, units, unit, move);
	if (move === 'approve' && !accepts) {
		const moved = await movedSince(client, modelId, round, unit);
		// Who reads a part hears that something moved, and not what.
		if (moved && moved.totals + moved.cells > 0)
			return { id, name: unit.name, kind: 'asks', checks: [], moved: mover.readsPart ? { ...moved, lines: [], samples: [] } : moved };
	}
	const byId = new Map(units.map((each) => [each.id, each]));
	const brought: string[] = [];
	let own = 0;
	for (const step of steps) {
		const at = byId.get(step.id)!;
		if (step.id !== id) brought.push(at.name);
		await client.query('UPDATE cycle_unit SET state = $2, reviewed = $3, moved_at = now() WHERE id = $1', [
			step.id,
			step.state,
			step.reviewed
		]);
		await putLock(client, round, { ...at, state: step.state, reviewed: step.reviewed }, mover.id);
		const noted = await client.query<{ id: number }>(
			`INSERT INTO unit_move (unit_id, person_id, acting_id, move, state, reviewed, note, fields) VALUES ($1, $2, $3, $4, $5, $6, $7, $8) RETURNING id`,
			[
				step.id,
				mover.id,
				actingNow(),
				step.id === id ? move : `${move} beneath`,
				step.state,
				step.reviewed,
				step.id === id ? note : `${unit.name}: ${note}`,
				JSON.stringify(step.id === id ? fields : [])
			]
		);
		if (step.id === id) own = noted.rows[0]!.id;
	}
	if (move === 'submit') {
		const asIs = await modelVersions(client, modelId);
		const isStill = early !== undefined && early.revision === revision && early.structure === asIs.structure;
		const figures = isStill ? early : await takeFigures(client, modelId, round, unit.members, revision);
		await keepFigures(client, own, figures);
		await client.query('UPDATE unit_move SET cells = $2 WHERE id = $1', [own, figures.cells]);
	}
	const after = { ...unit, ...steps.find((step) => step.id === id)! };
	await tell(client, modelId, messagesOf(round, after, move, mover, note));
	await countUpStructure(client, [modelId], 'locks');
	return { id, name: unit.name, kind: 'moved', state: after.state, saved: 0, brought };
}

/** The lock of a unit, as its state says. */
async function putLock(client: pg.PoolClient, round: Round, unit: MovingUnit, by: number): Promise<void> {
	const state = lockOfUnit(unit.state);
	await client.query('UPDATE access_lock SET state = $2, name = $3, set_by = $4, set_at = now() WHERE id = $1', [
		unit.lock,
		state,
		`${round.name}, ${unit.fullName}: ${unit.state}`,
		by
	]);
	await client.query('DELETE FROM access_lock_writer WHERE lock_id = $1', [unit.lock]);
	if (state === 'held')
		await client.query('INSERT INTO access_lock_writer (lock_id, person_id) SELECT DISTINCT $1::integer, unnest($2::integer[])', [
			unit.lock,
			unit.reviewers[unit.reviewed] ?? []
		]);
}

function messagesOf(round: Round, unit: MovingUnit, move: UnitMove, mover: SignedIn, note: string): MessageToSend[] {
	const to = (people: readonly (number | null | undefined)[], kind: MessageKind, what: string): MessageToSend[] =>
		[...new Set(people)]
			.filter((person): person is number => typeof person === 'number' && person !== mover.id)
			.map((person) => ({
				person,
				unit: unit.id,
				kind,
				subject: `${round.name}: ${unit.fullName} ${what}`,
				body: note || `By ${mover.name}.`
			}));
	switch (move) {
		case 'submit':
			return to(unit.reviewers[0] ?? [], 'submitted', 'is submitted and waits for your review');
		case 'return':
			return to([unit.owner], 'returned', `came back from ${mover.name}`);
		case 'approve':
			return unit.state === 'approved'
				? to([unit.owner], 'approved', 'is approved')
				: to(unit.reviewers[unit.reviewed] ?? [], 'submitted', 'waits for your review');
		case 'reopen':
			return to([unit.owner], 'reopened', `was opened again by ${mover.name}`);
		default:
			return [];
	}
}

/** What submitting a unit would come to: one’s draft in it, other people’s, checks, and what is open beneath. */
export interface SubmissionView {
	own: number;
	others: { name: string; cells: number }[];
	checks: UnitCheck[];
	bars: boolean;
	open: string[];
}

export const unitSchema = z.object({ round: z.int(), unit: z.int() });

export async function lookAtSubmission(
	person: SignedIn | undefined,
	modelId: number,
	{ round: roundId, unit: id }: z.infer<typeof unitSchema>
): Promise<SubmissionView> {
	const reader = requirePermission(person, 'cycle.read');
	const round = await readRound(pool(), modelId, roundId);
	const units = await readUnits(pool(), roundId);
	const unit = unitOf(units, id);
	const why = whyNotMove(reader, unit, 'submit');
	if (why) throw new Fault(403, 'not allowed', why);
	// Who looks submits next: the thread that takes the figures down begins meanwhile. Why it could not is told then.
	askRunner(modelId, 'ready', { revision: 0 }).catch(() => undefined);
	const drafts = await draftsWithin(pool(), modelId, await leavesOf(pool(), modelId, round, unit.members, beneath(units, id)));
	return {
		own: drafts.find((draft) => draft.person === reader.id)?.cells ?? 0,
		others: drafts.filter((draft) => draft.person !== reader.id).map(({ name, cells }) => ({ name, cells })),
		checks: await checksOfUnit(reader, modelId, round.settings, { scenario: round.scenario, members: unit.members }),
		bars: round.settings.checks === 'bar',
		open: new UnitTree(units).childrenOf(id).flatMap((child) => (child.state === 'approved' ? [] : [unitOf(units, child.id).name]))
	};
}

export const assignSchema = z.object({
	round: z.int(),
	units: z.array(z.int()).min(1).max(2_000),
	/** Left out, it stays. */
	owner: z.int().optional(),
	due: z.iso.date().nullable().optional(),
	/** Of the first review. */
	reviewers: z.array(z.int()).min(1).max(20).optional()
});

/** Gives units another owner, another day, other reviewers, while the round runs. */
export async function assignUnits(
	person: SignedIn | undefined,
	modelId: number,
	{ round: roundId, units: ids, owner, due, reviewers }: z.infer<typeof assignSchema>
): Promise<void> {
	const leader = requirePermission(person, 'cycle.write');
	await transaction(async (client) => {
		await lockModel(client, modelId);
		const round = await readRound(client, modelId, roundId, true);
		if (round.state !== 'running') throw new Fault(422, 'not running', `${round.name} does not run.`);
		const people = [...(owner === undefined ? [] : [owner]), ...(reviewers ?? [])];
		const active = await client.query('SELECT FROM person WHERE active AND id = ANY ($1)', [people]);
		if (active.rowCount !== new Set(people).size)
			throw new Fault(422, 'not there', 'Somebody named here is not active any more. Choose again.');
		const units = (await readUnits(client, roundId)).filter(({ id }) => ids.includes(id));
		if (units.length !== new Set(ids).size) throw notFound('unit');
		for (const unit of units) {
			if (owner !== undefined) await client.query('UPDATE cycle_unit SET owner_id = $2 WHERE id = $1', [unit.id, owner]);
			if (due !== undefined)
				await client.query('UPDATE cycle_unit SET due = $2, reminded = false, told_late = false WHERE id = $1', [unit.id, due]);
			if (reviewers) {
				await client.query('DELETE FROM unit_reviewer WHERE unit_id = $1 AND review = 0', [unit.id]);
				await client.query('INSERT INTO unit_reviewer (unit_id, review, person_id) SELECT DISTINCT $1::integer, 0, unnest($2::integer[])', [
					unit.id,
					reviewers
				]);
				await putLock(client, round, { ...unit, reviewers: [reviewers, ...unit.reviewers.slice(1)] }, leader.id);
			}
			await client.query(
				"INSERT INTO unit_move (unit_id, person_id, acting_id, move, state, reviewed) VALUES ($1, $2, $3, 'assign', $4, $5)",
				[unit.id, leader.id, actingNow(), unit.state, unit.reviewed]
			);
		}
		await countUpStructure(client, [modelId], 'locks');
	});
}
