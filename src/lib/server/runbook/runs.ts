import type { Answers, StepLog } from '../../core';
import { readAccessRules } from '../access';
import { pool, transaction } from '../database';
import { lockModel, postChangeSet } from '../database/change-set';
import { addressDimensions } from '../database/definitions';
import { refuseOfOtherShape } from '../database/shape';
import { SEES_BRANCH } from '../database/branch-series';
import { unpackSeries, type SeriesChange } from '../database/series';
import { askEngine, type RunTotal } from '../engine';
import { Fault, notFound } from '../fault';
import { personById, requirePermission, type SignedIn } from '../session';
import { structureVersion } from '../database/structure-version';

export interface RunInShort {
	id: number;
	name: string;
	at: string;
	person: string | null;
	state: 'waiting' | 'done' | 'failed' | 'taken back';
	words: string;
	cells: number;
	revision: number | null;
	outOfDate: boolean;
}

export interface RunDetails extends RunInShort {
	answers: Answers;
	log: StepLog[];
	totals: RunTotal[];
	definition: unknown;
	/** Runs since then that may have read what it wrote. */
	later: RunInShort[];
}

const SHORT = `r.id, r.name, r.at, p.name AS person, r.state, r.words, r.cells, r.revision, r.out_of_date AS "outOfDate"`;
type Row = Omit<RunInShort, 'at'> & { at: Date };
const inShort = ({ at, ...row }: Row): RunInShort => ({ ...row, at: at.toISOString() });

/** The latest runs of a runbook, or of the whole model. */
export async function latestRuns(modelId: number, runbook?: number): Promise<RunInShort[]> {
	const found = await pool().query<Row>(
		`SELECT ${SHORT} FROM run r LEFT JOIN person p ON p.id = r.person_id
		WHERE r.model_id = $1 AND r.branch_id IS NULL AND ($2::integer IS NULL OR r.runbook_id = $2) ORDER BY r.id DESC LIMIT 30`,
		[modelId, runbook ?? null]
	);
	return found.rows.map(inShort);
}

/** One run with its log. Whoever started it may read it, and those who look at rules. @throws Fault 404 */
export async function readRun(person: SignedIn | undefined, modelId: number, id: number): Promise<RunDetails> {
	// Who looks at rules reads every run, also without running any.
	const reader = requirePermission(person, person?.permissions.includes('rule.read') ? 'rule.read' : 'rule.run');
	const found = await pool().query<Row & Pick<RunDetails, 'answers' | 'log' | 'totals' | 'definition'>>(
		`SELECT ${SHORT}, r.answers, r.log, r.totals, r.definition FROM run r LEFT JOIN person p ON p.id = r.person_id
		WHERE r.model_id = $1 AND r.id = $2 AND (r.person_id = $3 OR ($4 AND (r.branch_id IS NULL OR ${SEES_BRANCH('r.branch_id', '$3', '$5')})))`,
		[modelId, id, reader.id, reader.permissions.includes('rule.read'), reader.permissions.includes('branch.merge')]
	);
	const row = found.rows[0];
	if (!row) throw notFound('run');
	const later = await pool().query<Row>(
		`SELECT ${SHORT} FROM run r LEFT JOIN person p ON p.id = r.person_id
		WHERE r.model_id = $1 AND r.revision > $2 AND r.state = 'done' ORDER BY r.id`,
		[modelId, row.revision]
	);
	const { answers, log, totals, definition, ...short } = row;
	// A log tells amounts and samples of all that was worked out.
	if (reader.readsPart) return { ...inShort(short), answers, log: [], totals: [], definition: null, later: [] };
	return { ...inShort(short), answers, log, totals, definition, later: row.revision === null ? [] : later.rows.map(inShort) };
}

/**
 * Takes a run back, whole or not at all: what stood in its series before stands again. Where something else has written
 * to them since, or a lock or a missing grant keeps a cell from being written, nothing is changed and it is said what. Later runs, which may have read its results, count as out of date.
 * @throws Fault 409 when it cannot go back alone, 403 when a cell of it may not be written
 */
export async function takeBackRun(person: SignedIn | undefined, modelId: number, id: number): Promise<{ revision: number }> {
	const writer = requirePermission(person, 'rule.run');
	const revision = await transaction(async (client) => {
		await lockModel(client, modelId);
		const dimensionIds = await addressDimensions(client, modelId);
		const found = await client.query<{ name: string; revision: number; number: number; person: number | null; runsAs: number | null }>(
			`SELECT r.name, r.revision, c.number, r.person_id AS person, (r.definition ->> 'runsAs')::integer AS "runsAs" FROM run r JOIN change_set c ON c.model_id = r.model_id AND c.revision = r.revision
			WHERE r.model_id = $1 AND r.id = $2 AND r.state = 'done' FOR UPDATE OF r`,
			[modelId, id]
		);
		const run = found.rows[0];
		if (!run) throw notFound('run that wrote something');
		await refuseOfOtherShape(client, modelId, run.revision);
		if (run.person !== writer.id && !writer.permissions.includes('rule.write'))
			throw new Fault(403, 'not allowed', 'This run is somebody else’s. Ask them, or an administrator, to take it back.');
		const blocks = await client.query<{ packed: Buffer }>(
			'SELECT packed FROM block_change WHERE model_id = $1 AND change_set = $2 ORDER BY part',
			[modelId, run.number]
		);
		const series = blocks.rows.flatMap(({ packed }) => unpackSeries(packed));
		await refuseMoved(client, modelId, dimensionIds, run, series);
		await refuseClosed(
			modelId,
			run.runsAs === null ? writer : await personById(run.runsAs, modelId),
			await structureVersion(client, modelId),
			series
		);
		const back: SeriesChange[] = series.map(({ origin, members, year, before, amounts, stamps, stampsBefore }) => ({
			origin,
			members,
			year,
			before: amounts,
			amounts: before,
			// What stands again is as old as it was: what has come since stays the newer.
			...(stamps && stampsBefore && { stampsBefore: stamps.map((stamp) => (stamp === 0 ? run.revision : stamp)), stamps: stampsBefore })
		}));
		const posted = await postChangeSet(
			client,
			{ modelId, person: writer.id, kind: 'take back', through: `${run.name}, revision ${run.revision}`, cells: back.length },
			dimensionIds,
			back
		);
		await client.query("UPDATE run SET state = 'taken back', words = $3 WHERE model_id = $1 AND id = $2", [
			modelId,
			id,
			`Taken back by ${writer.name}.`
		]);
		await client.query("UPDATE run SET out_of_date = true WHERE model_id = $1 AND revision > $2 AND state = 'done'", [
			modelId,
			run.revision
		]);
		return posted;
	});
	await askEngine(modelId, 'ready', { revision });
	return { revision };
}

/** What has been closed since, or is out of reach, stays; a run goes back whole or not at all. @throws Fault 403 */
async function refuseClosed(modelId: number, person: SignedIn, structure: number, series: readonly SeriesChange[]): Promise<void> {
	const differs = (before: number, after: number) => before !== after && !(before !== before && after !== after);
	const rules = await readAccessRules(person, modelId);
	const { reason } = await askEngine(modelId, 'whyNotWrite', {
		structure,
		rules: { ...rules, mayEnter: true },
		series: series.map(({ members, year, before, amounts }) => ({
			members: Array.from(members),
			year,
			places: [...amounts.keys()].filter((place) => differs(before[place]!, amounts[place]!))
		}))
	});
	if (reason !== null) throw new Fault(403, 'not allowed', `This run cannot go back. ${reason}`);
}

/**
 * Every series must hold what the run wrote: then nothing has been written over it, or what was has gone back. Whole or
 * not at all. @throws Fault 409 naming what came since
 */
async function refuseMoved(
	client: Parameters<typeof lockModel>[0],
	modelId: number,
	dimensionIds: readonly number[],
	run: { number: number },
	series: readonly SeriesChange[]
): Promise<void> {
	if (series.length === 0) return;
	const columns = dimensionIds.map((dimension) => `d${Math.trunc(dimension)}`);
	const values = [
		series.map((_, index) => index),
		...dimensionIds.map((_, axis) => series.map(({ members }) => members[axis]!)),
		series.map(({ year }) => year),
		series.map(({ origin }) => origin)
	];
	const names = [...columns, 'fiscal_year', 'origin_id'];
	const now = await client.query<{ index: number; amounts: (number | null)[]; set: number }>(
		`SELECT x.index, s.amounts, s.change_set AS set
		FROM unnest(${values.map((_, index) => `$${index + 1}::integer[]`).join(', ')}) AS x (index, ${names.join(', ')})
		JOIN cells_${Math.trunc(modelId)} s ON ${names.map((name) => `s.${name} = x.${name}`).join(' AND ')}`,
		values
	);
	const standing = new Map(now.rows.map((row) => [row.index, row]));
	const moved = series.findIndex(({ amounts }, index) => {
		const stands = standing.get(index)?.amounts;
		return amounts.some((amount, position) => (stands?.[position] ?? null) !== (amount === amount ? amount : null));
	});
	if (moved < 0) return;
	const through = await client.query<{ through: string }>('SELECT through FROM change_set WHERE model_id = $1 AND number = $2', [
		modelId,
		standing.get(moved)?.set ?? null
	]);
	const since = standing.get(moved)?.set === run.number ? undefined : through.rows[0]?.through;
	throw new Fault(
		409,
		'conflict',
		`What this run wrote has been written anew since${since ? `, through “${since}”` : ''}. Take that back first; nothing was changed.`
	);
}
