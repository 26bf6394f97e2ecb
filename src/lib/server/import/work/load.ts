import type pg from 'pg';
import {
	differenceToDate,
	differenceToDateInCurrencies,
	SeriesStore,
	type Block,
	type ColumnRule,
	type Model,
	type RatesInstead,
	type SliceRule
} from '../../../core';
import type { LoadAccess } from './load-access';
import { pool, transaction } from '../../database';
import { lockModel, numberChangeSet, PreparedChangeSet } from '../../database/change-set';
import { stampsAfter, type SeriesChange } from '../../database/series';
import { describe, keepRejects } from './batch-record';
import { writeIntoBranch } from './branch-load';
import { Contention } from './contention';
import { Fault } from '../../fault';
import type { KeptFile } from '../file/keep';
import type { Source } from '../../definition/source-schema';
import { requireComplete } from './check';
import { modelContext } from './context';
import { gather, type Gathered } from './gather';
import { mayEmpty, readStanding, StructureMoved } from './standing';
import { countUpStructureOf, structureVersion } from '../../database/structure-version';
import { keepStructureStill, lockImport } from '../../database/locks';

/** Series prepared and written together. */
const CHUNK = 5_000;

const TRIES = 3;

export interface LoadAsk {
	modelId: number;
	batchId: number;
	person: number | null;
	acting: number | null;
	import: { id: number; origin: number; name: string };
	file: KeptFile;
	source: Source;
	rules: ColumnRule[];
	/** What is read instead of what the file says in a column, on one line or wherever it says that. */
	corrections: { line: number | null; column: string; value: string; becomes: string }[];
	chosen: Record<number, number>;
	access: LoadAccess;
	way: 'replace' | 'add';
	rejects: 'stop' | 'load good rows';
	/** The branch it is loaded into, the part that is limited to, and the rates that are read there. */
	branch?: { id: number; part: SliceRule | null; rates: RatesInstead | undefined } | undefined;
	/** Only rows that begin on these lines: the rejects of an earlier batch. */
	onlyLines?: number[] | undefined;
}

export interface LoadOutcome {
	batch: number;
	state: 'loaded' | 'stopped';
	revision: number | null;
	rowsRead: number;
	rowsLoaded: number;
	rowsSkipped: number;
	rowsRejected: number;
	cells: number;
	extent: string;
}

/** What the load is doing, for the person who waits. */
export type Progress = (rows: number, words: string) => void;

/**
 * Loads a kept file: rows are read, mapped and summed by cell, and replace what this import wrote before in its extent,
 * or are added to it. All or nothing unless good rows shall load. One change set, or none when nothing is different.
 * Everything is prepared and written before the model is locked, so that nobody who saves waits for a load.
 * @throws Fault when the file cannot be read as the import expects
 */
export async function loadKept(ask: LoadAsk, progress: Progress): Promise<LoadOutcome> {
	for (let attempt = 1; ; attempt++) {
		const context = await modelContext(ask.modelId);
		requireComplete(context.model, ask.rules, ask.source);
		await pool().query('DELETE FROM batch_rows WHERE batch_id = $1', [ask.batchId]);
		await pool().query('DELETE FROM batch_series WHERE batch_id = $1', [ask.batchId]);
		const gathered = await gather(context, ask, (rows) => progress(rows, 'Reading'));
		if (gathered.rows.read === 0) throw new Fault(422, 'no rows', 'The file has headings but no rows. Nothing was loaded.');
		const stops = gathered.rows.rejected > 0 && ask.rejects === 'stop';
		await keepRejects(ask.batchId, gathered);
		// Replacing everything by nothing is what nobody means by loading a file.
		if (gathered.rows.loaded === 0 && !stops) {
			if (gathered.rows.rejected > 0) await describe(pool(), ask.batchId, gathered, { state: 'stopped', revision: null, cells: 0 });
			throw new Fault(422, 'nothing taken', nothingTaken(gathered.rows));
		}
		if (stops) {
			await describe(pool(), ask.batchId, gathered, { state: 'stopped', revision: null, cells: 0 });
			return outcomeOf(ask, gathered, 'stopped', null, 0);
		}
		try {
			const { revision, cells } = await (ask.branch ? writeIntoBranch : write)(context.model, context.structure, ask, gathered, progress);
			return outcomeOf(ask, gathered, 'loaded', revision, cells);
		} catch (error) {
			// A member was added or moved while rows were read: they are read again with the structure as it is now.
			if (!(error instanceof StructureMoved) || attempt === TRIES) throw error;
		}
	}
}

const nothingTaken = ({ read, skipped, rejected }: Gathered['rows']): string =>
	`Nothing was taken: of ${read === 1 ? 'one row' : `${read} rows`} ${skipped} ${skipped === 1 ? 'was' : 'were'} left out by the maps, ${rejected} rejected. What was loaded before stays.`;

function outcomeOf(
	ask: LoadAsk,
	{ rows, extent }: Gathered,
	state: LoadOutcome['state'],
	revision: number | null,
	cells: number
): LoadOutcome {
	return {
		batch: ask.batchId,
		state,
		revision,
		rowsRead: rows.read,
		rowsLoaded: rows.loaded,
		rowsSkipped: rows.skipped,
		rowsRejected: rows.rejected,
		cells,
		extent: extent.state().words
	};
}

async function write(
	model: Model,
	structure: number,
	ask: LoadAsk,
	gathered: Gathered,
	progress: Progress
): Promise<{ revision: number | null; cells: number }> {
	const { modelId, import: stored } = ask;
	const dimensionIds = model.dimensions.map(({ id }) => id);
	return transaction(async (client) => {
		await lockImport(client, stored.id);
		await keepStructureStill(client, modelId);
		if ((await structureVersion(client, modelId)) !== structure) throw new StructureMoved();
		const { standing, stampsOf } = await readStanding(client, model, stored.origin, gathered.store);
		const contention = await Contention.read(
			client,
			model,
			stored.origin,
			[...gathered.store.blocks()].map(({ year }) => year)
		);
		if (ask.source.amounts === 'to date') {
			const { store, written, extent } = gathered;
			const covers = (address: Int32Array) => extent.covers(address);
			if (written.size > 0) differenceToDateInCurrencies(model, store, written, standing, extent.periods, covers);
			else differenceToDate(model, store, standing, extent.periods, covers);
		}
		const prepared = new PreparedChangeSet(client, modelId, dimensionIds, await numberChangeSet(client));
		let cells = 0;
		let done = 0;
		let fresh: SeriesChange[] = [];
		let changed: SeriesChange[] = [];
		const send = async () => {
			await prepared.write(fresh, true);
			await prepared.write(changed);
			done += fresh.length + changed.length;
			progress(gathered.rows.read, `Writing, ${done} series`);
			fresh = [];
			changed = [];
		};
		for (const { change, isFresh, count } of changesOf(model, stored.origin, standing, stampsOf, contention, gathered, ask.way)) {
			(isFresh ? fresh : changed).push(change);
			cells += count;
			if (fresh.length + changed.length >= CHUNK) await send();
		}
		await send();
		let revision: number | null = null;
		// Figures that were the same may have to be written anew: a result had come above them.
		if (done > 0) {
			await extendSpans(client, modelId, ask.person, stored.name, gathered);
			await describe(client, ask.batchId, gathered, { state: 'loaded', revision: null, cells });
			await lockModel(client, modelId);
			revision = await prepared.post({ modelId, person: ask.person, acting: ask.acting, kind: 'load', through: stored.name, cells });
			await client.query('UPDATE batch SET revision = $2, sets_aside = $3 WHERE id = $1', [ask.batchId, revision, contention.setsAside]);
			await contention.markRuns(client);
		} else await describe(client, ask.batchId, gathered, { state: 'loaded', revision: null, cells });
		return { revision, cells };
	});
}

/**
 * The series that change. Replacing: in the extent what the file says, elsewhere what was there. Adding: what was there
 * and the file's amounts on top. Cells of the extent that are not in the file and not open stay as they are.
 */
function* changesOf(
	model: Model,
	origin: number,
	standing: SeriesStore,
	stampsOf: (block: Block, series: number) => Float64Array,
	contention: Contention,
	{ store, extent, guard }: Gathered,
	way: 'replace' | 'add'
): Generator<{ change: SeriesChange; isFresh: boolean; count: number }> {
	const memberIds = model.dimensions.map((dimension) => Int32Array.from(dimension.members, ({ id }) => id));
	const address = new Int32Array(model.dimensions.length);
	const inPeriods = new Map<number, Uint8Array>();
	for (const index of extent.periods) {
		const { fiscalYear, position } = model.periods.leaf(index);
		for (const [year, place] of [
			[fiscalYear, position],
			[0, 0]
		] as const) {
			const flags = inPeriods.get(year) ?? new Uint8Array(model.periods.width);
			flags[place] = 1;
			inPeriods.set(year, flags);
		}
	}
	const none = new Uint8Array(model.periods.width);
	const make = (year: number, before: Float64Array, amounts: Float64Array, stamps: Float64Array | undefined, stated?: Float64Array) => {
		let count = 0;
		for (let position = 0; position < amounts.length; position++)
			if (!Object.is(before[position], amounts[position]) && before[position] !== amounts[position]) count++;
		const above = contention.of(address, year);
		const again = above && stated ? above.writtenAgain(stated, amounts, before, stamps) : undefined;
		if (count === 0 && !again) return undefined;
		const members = memberIds.map((ids, axis) => ids[address[axis]!]!);
		const change: SeriesChange = { origin, members, year, before, amounts };
		if (stamps) Object.assign(change, { stampsBefore: stamps, stamps: stampsAfter(before, amounts, stamps, again) });
		return { change, isFresh: stamps === undefined, count };
	};
	for (const { year, block } of store.blocks()) {
		const flags = inPeriods.get(year) ?? none;
		for (let series = 0; series < block.count; series++) {
			block.readAddress(series, address);
			const stated = block.values.slice(series * block.width, (series + 1) * block.width);
			const there = standing.blockOf(address, year);
			const at = there ? there.find(address) : -1;
			const before =
				at < 0 ? new Float64Array(block.width).fill(Number.NaN) : there!.values.slice(at * block.width, (at + 1) * block.width);
			const amounts = before.map((value, position) => {
				const loaded = stated[position]!;
				if (way === 'add') return loaded !== loaded ? value : value !== value ? loaded : value + loaded;
				if (loaded === loaded) return loaded;
				return flags[position] && mayEmpty(model, guard, address, year, position) ? Number.NaN : value;
			});
			const made = make(year, before, amounts, at < 0 ? undefined : stampsOf(there!, at), stated);
			if (made) yield made;
		}
	}
	if (way === 'add') return;
	for (const { year, block } of standing.blocks()) {
		const flags = inPeriods.get(year);
		if (!flags) continue;
		for (let series = 0; series < block.count; series++) {
			block.readAddress(series, address);
			if (!extent.covers(address) || (store.blockOf(address, year)?.find(address) ?? -1) >= 0) continue;
			const before = block.values.slice(series * block.width, (series + 1) * block.width);
			const amounts = before.map((value, position) =>
				value === value && flags[position] && mayEmpty(model, guard, address, year, position) ? Number.NaN : value
			);
			const made = make(year, before, amounts, stampsOf(block, series));
			if (made) yield made;
		}
	}
}

/** Scenarios that the load reaches beyond speak about its periods from now on. */
async function extendSpans(
	client: pg.PoolClient,
	modelId: number,
	person: number | null,
	through: string,
	{ extent }: Gathered
): Promise<void> {
	for (const { scenario, period, words } of extent.beyond()) {
		await client.query('UPDATE scenario SET span_to = $2 WHERE member_id = $1', [scenario, period]);
		const changed = await client.query<{ id: number }>('SELECT dimension_id AS id FROM member WHERE id = $1', [scenario]);
		await countUpStructureOf(client, changed.rows[0]!.id);
		await client.query('UPDATE dimension SET version = version + 1 WHERE id = (SELECT dimension_id FROM member WHERE id = $1)', [scenario]);
		await client.query(
			'INSERT INTO structure_change (person_id, model_id, dimension_id, words) SELECT $1, $2, dimension_id, $3 FROM member WHERE id = $4',
			[person, modelId, `${through}: ${words}`, scenario]
		);
	}
}
