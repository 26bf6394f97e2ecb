/** Whether what is stored is what the journal says was written: every change replayed from the first one on. */
import type pg from 'pg';
import { Model, NOTHING } from '../core';
import { readAllSeries } from './database/cells';
import { addressDimensions, listModels, readModelDefinition } from './database/definitions';
import { leafOfMember, toOrdinals } from './engine/addresses';
import { changesOf } from './engine/journal';

export interface Verified {
	model: string;
	revisions: number;
	cells: number;
	/** Cells that stand otherwise than the journal says, some of them in words. */
	differences: number;
	first: string[];
}

const MOST_TOLD = 5;

/** Replays the journal of every model and holds it against its cells, in one moment of the database. */
export async function verifyModels(client: pg.PoolClient): Promise<Verified[]> {
	await client.query('BEGIN ISOLATION LEVEL REPEATABLE READ READ ONLY');
	try {
		const verified: Verified[] = [];
		for (const { id, name } of await listModels(client)) verified.push(await verifyModel(client, id, name));
		return verified;
	} finally {
		await client.query('ROLLBACK');
	}
}

async function verifyModel(client: pg.PoolClient, modelId: number, name: string): Promise<Verified> {
	const definition = await readModelDefinition(client, modelId);
	const model = new Model(definition!);
	const { width } = model.periods;
	const replayed = new Map<string, Float64Array>();
	const seriesAt = (origin: number, members: ArrayLike<number>, year: number): Float64Array => {
		const key = `${origin} ${Array.from(members).join(',')} ${year}`;
		let series = replayed.get(key);
		if (!series) replayed.set(key, (series = new Float64Array(width).fill(Number.NaN)));
		return series;
	};
	const { rows: revisions } = await client.query<{ revision: number }>(
		// What was written with other dimensions is summed up by the first change set after it.
		'SELECT c.revision FROM change_set c JOIN model m ON m.id = c.model_id WHERE c.model_id = $1 AND c.revision > m.journal_from ORDER BY c.revision',
		[modelId]
	);
	let unknown = 0;
	for (const { revision } of revisions)
		for (const change of await changesOf(client, modelId, revision)) {
			if (change.kind === 'series') {
				const series = seriesAt(change.origin, change.address, change.year);
				series.set(change.amounts.subarray(0, width));
				continue;
			}
			// Cells of members that were deleted since are told apart by nothing: they hold nothing, or there is a difference.
			const ordinals = toOrdinals(model, change.address);
			const leaf = ordinals && leafOfMember(model, ordinals, change.period);
			if (!leaf) unknown++;
			else seriesAt(change.origin, change.address, leaf.fiscalYear)[leaf.position] = change.value;
		}
	const report: Verified = { model: name, revisions: revisions.length, cells: 0, differences: 0, first: [] };
	const differ = (words: string) => {
		report.differences++;
		if (report.first.length < MOST_TOLD) report.first.push(words);
	};
	const shown = (value: number | undefined) =>
		value === undefined || value !== value ? 'empty' : value === NOTHING ? 'nothing' : String(value);
	await readAllSeries(client, modelId, await addressDimensions(client, modelId), ({ members, year, origin, amounts }) => {
		const key = `${origin} ${Array.from(members).join(',')} ${year}`;
		const said = replayed.get(key);
		replayed.delete(key);
		for (let position = 0; position < amounts.length; position++) {
			const stored = amounts[position]!;
			if (stored === stored) report.cells++;
			if (!Object.is(stored, said?.[position] ?? Number.NaN) && stored !== said?.[position])
				differ(`origin, members, year ${key}, place ${position}: ${shown(stored)} is stored, the journal says ${shown(said?.[position])}`);
		}
	});
	// What the journal says stands, and no row holds.
	for (const [key, series] of replayed)
		series.forEach((value, position) => {
			if (value === value) differ(`origin, members, year ${key}, place ${position}: nothing is stored, the journal says ${shown(value)}`);
		});
	if (unknown > 0) report.first.push(`${unknown} journalled entries are of members that are gone`);
	return report;
}
