import { Model, RowReader, SeriesStore, sum, Sum, WriteGuard, type RowFault, type SourceRow } from '../../core';
import { readLocks } from '../access';
import { pool, transaction } from '../database';
import { copyRows, readOriginSeries } from '../database/cells';
import { lockModel, postChangeSet } from '../database/change-set';
import { readModelDefinition } from '../database/definitions';
import type { SeriesChange } from '../database/series';
import { askEngine } from '../engine';
import { Fault, notFound } from '../fault';
import { requirePermission, type SignedIn } from '../session';
import { readRows } from './file';
import { readRules, readStoredImport, type StoredImport } from './recipe';

export { MOST_BYTES } from './file';

/** Rejected rows kept with a batch; further ones are only counted. */
const MOST_REJECTS = 5_000;

/** Loads of one import take turns: any number, the same in every server. */
const IMPORT_LOCK = 7202;

export interface LoadOutcome {
	batch: number;
	rowsRead: number;
	rowsLoaded: number;
	rowsRejected: number;
	cells: number;
}

/** What a file came to before anything is written. */
interface Gathered {
	store: SeriesStore;
	periods: Set<number>;
	scenarios: Set<number>;
	rows: { read: number; loaded: number; skipped: number; rejected: number };
	amounts: { read: Sum; loaded: Sum; rejected: Sum };
	rejects: { line: number; fault: RowFault; values: SourceRow }[];
	hash: Buffer;
}

/**
 * Loads a file through a saved import: rows are read and mapped while they stream in, summed by cell, and replace what
 * this import wrote before for the scenarios and periods in the file. Rows that cannot be mapped are rejected with their
 * line and reason and change nothing. One change set, or none when no row loads.
 * @throws Fault when the file cannot be read as this import expects, or a lock covers one of its cells
 */
export async function loadFile(
	person: SignedIn | undefined,
	modelId: number,
	code: string,
	fileName: string,
	body: ReadableStream<Uint8Array>
): Promise<LoadOutcome> {
	const loader = requirePermission(person, 'data.load');
	const stored = await readStoredImport(pool(), modelId, code);
	const definition = await readModelDefinition(pool(), modelId);
	if (!definition) throw notFound('model');
	const model = new Model(definition);
	const reader = new RowReader(model, {
		rules: await readRules(pool(), modelId, stored.id),
		amountColumn: stored.source.amountColumn,
		amountStyle: { decimal: stored.source.decimal, group: stored.source.group }
	});
	const gathered = await gather(model, reader, stored, body);
	if (gathered.rows.read === 0) throw new Fault(422, 'no rows', 'The file has headings but no rows. Nothing was loaded.');
	await refuseLocked(model, modelId, gathered);
	const outcome = await write(model, stored, gathered, loader, fileName);
	if (outcome.revision !== null) await askEngine(modelId, 'ready', { revision: outcome.revision });
	return {
		batch: outcome.batch,
		rowsRead: gathered.rows.read,
		rowsLoaded: gathered.rows.loaded,
		rowsRejected: gathered.rows.rejected,
		cells: outcome.cells
	};
}

async function gather(model: Model, reader: RowReader, stored: StoredImport, body: ReadableStream<Uint8Array>): Promise<Gathered> {
	const gathered: Gathered = {
		store: new SeriesStore(model.dimensions.length, model.periods.width, model.scenarioAxis),
		periods: new Set(),
		scenarios: new Set(),
		rows: { read: 0, loaded: 0, skipped: 0, rejected: 0 },
		amounts: { read: new Sum(), loaded: new Sum(), rejected: new Sum() },
		rejects: [],
		hash: Buffer.alloc(0)
	};
	const { store, rows, amounts } = gathered;
	const file = readRows(body, stored.source, reader.columns);
	for (let next = await file.next(); ; next = await file.next()) {
		if (next.done) {
			gathered.hash = next.value;
			return gathered;
		}
		const { line, values } = next.value;
		rows.read++;
		const read = reader.read(values);
		const amount = reader.amountOf(values) ?? 0;
		amounts.read.add(amount);
		if ('skipped' in read) rows.skipped++;
		else if ('faults' in read) {
			rows.rejected++;
			amounts.rejected.add(amount);
			if (gathered.rejects.length < MOST_REJECTS) gathered.rejects.push({ line, fault: read.faults[0]!, values });
		} else {
			rows.loaded++;
			amounts.loaded.add(amount);
			const leaf = model.periods.leaf(read.mapped.period);
			const block = store.ensureBlockOf(read.mapped.address, leaf.fiscalYear);
			const place = block.ensure(read.mapped.address) * block.width + leaf.position;
			const before = block.values[place]!;
			block.values[place] = before === before ? before + read.mapped.amount : read.mapped.amount;
			gathered.periods.add(leaf.index);
			gathered.scenarios.add(read.mapped.address[model.scenarioAxis]!);
		}
	}
}

async function refuseLocked(model: Model, modelId: number, { store, periods }: Gathered): Promise<void> {
	const guard = new WriteGuard(model, { mayEnter: true, grants: [], locks: await readLocks(modelId) });
	const address = new Int32Array(model.dimensions.length);
	for (const { year, block } of store.blocks())
		for (let series = 0; series < block.count; series++) {
			block.readAddress(series, address);
			for (const period of periods) {
				const leaf = model.periods.leaf(period);
				if (leaf.fiscalYear !== year || Number.isNaN(block.values[series * block.width + leaf.position])) continue;
				const lock = guard.lockOn(address, period);
				if (lock)
					throw new Fault(
						422,
						'locked',
						`${lock.name} is ${lock.state}, and the file has rows for ${model.periods.dimension.member(leaf.ordinal).name}. Nothing was loaded. Leave these rows out, or ask for the lock to be opened.`
					);
			}
		}
}

async function write(
	model: Model,
	stored: StoredImport,
	gathered: Gathered,
	loader: SignedIn,
	fileName: string
): Promise<{ batch: number; revision: number | null; cells: number }> {
	const modelId = model.definition.id;
	const dimensionIds = model.dimensions.map(({ id }) => id);
	return transaction(async (client) => {
		await client.query('SELECT pg_advisory_xact_lock($1, $2)', [IMPORT_LOCK, stored.id]);
		// Only loads of this import write its origin, and they take turns: all this is prepared before the model is locked.
		const years = [...new Set([...gathered.periods].map((index) => model.periods.leaf(index).fiscalYear))];
		const existing = await readOriginSeries(client, modelId, dimensionIds, stored.origin, years);
		const { changes, cells } = replaceExtent(model, stored.origin, existing, gathered);
		const extent = extentInWords(model, gathered);
		const batch = await insertBatch(client, stored, gathered, loader, fileName, extent);
		let revision: number | null = null;
		if (changes.length > 0) {
			await lockModel(client, modelId);
			revision = await postChangeSet(
				client,
				{ modelId, person: loader.id, kind: 'load', through: stored.name, cells },
				dimensionIds,
				changes
			);
			await client.query('UPDATE batch SET revision = $2 WHERE id = $1', [batch, revision]);
		}
		return { batch, revision, cells };
	});
}

/** The series that change: in the extent (scenarios and periods of the file) what the file says, elsewhere what was there. */
function replaceExtent(
	model: Model,
	origin: number,
	existing: Awaited<ReturnType<typeof readOriginSeries>>,
	{ store, periods, scenarios }: Gathered
): { changes: SeriesChange[]; cells: number } {
	const changes: SeriesChange[] = [];
	let cells = 0;
	const inExtent = (year: number, position: number) => {
		const leaf = model.periods.at(year, position);
		return leaf !== undefined && periods.has(leaf.index);
	};
	const add = (members: ArrayLike<number>, year: number, before: Float64Array, amounts: Float64Array) => {
		let changed = 0;
		for (let position = 0; position < amounts.length; position++)
			if (!Object.is(before[position], amounts[position]) && !(before[position] === amounts[position])) changed++;
		if (changed > 0) changes.push({ origin, members, year, before, amounts });
		cells += changed;
	};
	const met = new Map<unknown, Set<number>>();
	const address = new Int32Array(model.dimensions.length);
	for (const { members, year, amounts: before } of existing) {
		for (let axis = 0; axis < address.length; axis++) address[axis] = model.dimensions[axis]!.ordinal(members[axis]!) ?? -1;
		if (!scenarios.has(address[model.scenarioAxis]!)) continue;
		const block = store.blockOf(address, year);
		const series = block ? block.find(address) : -1;
		if (block && series >= 0) met.set(block, (met.get(block) ?? new Set()).add(series));
		const amounts = before.map((amount, position) =>
			inExtent(year, position) ? (series < 0 ? Number.NaN : block!.values[series * block!.width + position]!) : amount
		);
		add(members, year, before, amounts);
	}
	for (const { year, block } of store.blocks())
		for (let series = 0; series < block.count; series++) {
			if (met.get(block)?.has(series)) continue;
			block.readAddress(series, address);
			const members = model.dimensions.map((dimension, axis) => dimension.member(address[axis]!).id);
			add(
				members,
				year,
				new Float64Array(block.width).fill(Number.NaN),
				block.values.slice(series * block.width, (series + 1) * block.width)
			);
		}
	return { changes, cells };
}

async function insertBatch(
	client: Parameters<typeof copyRows>[0],
	stored: StoredImport,
	{ rows, amounts, rejects, hash }: Gathered,
	loader: SignedIn,
	fileName: string,
	extent: string
): Promise<number> {
	const orZero = (total: Sum) => sum([0, total.value]);
	const inserted = await client.query<{ id: number }>(
		`INSERT INTO batch (import_id, person_id, file_name, file_hash, rows_read, rows_loaded, rows_skipped, rows_rejected, amount_read, amount_loaded, amount_rejected, extent)
		VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12) RETURNING id`,
		[
			stored.id,
			loader.id,
			fileName,
			hash,
			rows.read,
			rows.loaded,
			rows.skipped,
			rows.rejected,
			orZero(amounts.read),
			orZero(amounts.loaded),
			orZero(amounts.rejected),
			extent
		]
	);
	const batch = inserted.rows[0]!.id;
	const escaped = (text: string) =>
		text.replace(/[\\\t\n\r]/g, (character) => ({ '\\': '\\\\', '\t': '\\t', '\n': '\\n', '\r': '\\r' })[character]!);
	await copyRows(
		client,
		'COPY reject (batch_id, file_line, code, source_column, value, message, row_values) FROM STDIN',
		rejects,
		({ line, fault, values }) =>
			[batch, line, fault.code, fault.column, fault.value, fault.message, JSON.stringify(values)]
				.map((field) => escaped(String(field)))
				.join('\t') + '\n'
	);
	return batch;
}

function extentInWords(model: Model, { periods, scenarios }: Gathered): string {
	const names = [...scenarios].map((ordinal) => model.scenarios.member(ordinal).name).join(', ');
	const indexes = [...periods].sort((a, b) => a - b);
	const period = (index: number | undefined) =>
		index === undefined ? '' : model.periods.dimension.member(model.periods.leaf(index).ordinal).name;
	if (indexes.length === 0) return 'nothing';
	return `${names}, ${indexes.length === 1 ? period(indexes[0]) : `${period(indexes[0])} to ${period(indexes.at(-1))}`}`;
}
