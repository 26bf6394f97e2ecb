import type pg from 'pg';
import { SeriesStore, type LoadGuard, type Model } from '../../../core';
import { loadGuard, type LoadAccess } from './load-access';
import { pool, transaction } from '../../database';
import { readOriginSeries } from '../../database/cells';
import { lockModel, numberChangeSet, PreparedChangeSet } from '../../database/change-set';
import { stampsAfter, unpackSeries, type SeriesChange } from '../../database/series';
import { Fault } from '../../fault';
import { modelContext } from './context';
import { refuseOfOtherShape } from '../../database/shape';
import { structureVersion } from '../../database/structure-version';
import { keepStructureStill, lockImport } from '../../database/locks';

const CHUNK = 5_000;

export interface TakeBackAsk {
	modelId: number;
	person: number;
	acting: number | null;
	access: LoadAccess;
	import: { id: number; origin: number; name: string };
	/** Batches to be taken back, the latest first. */
	batches: number[];
}

export interface TakeBackOutcome {
	revision: number | null;
	cells: number;
	/** Cells that a later load has written again: they stay. */
	written: number;
}

/** What taking a batch back would do. */
export interface TakeBackPreview {
	/** Cells the batch wrote, and those of them nothing has written since. */
	cells: number;
	holds: number;
	/** Later batches that wrote some of the same cells, the latest first. */
	later: number[];
}

/** A place in a series, as a number of its own within a store. */
type Touched = Map<string, Set<number>>;

const keyOf = (members: ArrayLike<number>, year: number) => `${Array.from(members).join()} ${year}`;

/** @returns how many cells of a batch still hold, and which later batches of the import wrote the others */
export async function previewTakeBack(modelId: number, origin: number, batchId: number): Promise<TakeBackPreview> {
	const client = await pool().connect();
	try {
		const own = await changesOfBatch(client, modelId, batchId);
		if (!own) return { cells: 0, holds: 0, later: [] };
		const later = await laterChangeSets(client, modelId, origin, own.revision);
		const meets = new Set<number>();
		let cells = 0;
		let holds = 0;
		const mine = new Map<string, SeriesChange>();
		for (const change of own.changes) mine.set(keyOf(change.members, change.year), change);
		const lost: Touched = new Map();
		for (const { number, batch } of later)
			for await (const change of changesOf(client, modelId, number, origin)) {
				const key = keyOf(change.members, change.year);
				const there = mine.get(key);
				if (!there) continue;
				for (let position = 0; position < change.amounts.length; position++)
					if (differs(change, position) && differs(there, position)) {
						if (batch !== null) meets.add(batch);
						const places = lost.get(key) ?? new Set<number>();
						lost.set(key, places.add(position));
					}
			}
		for (const [key, change] of mine)
			for (let position = 0; position < change.amounts.length; position++)
				if (differs(change, position)) {
					cells++;
					if (!lost.get(key)?.has(position)) holds++;
				}
		return { cells, holds, later: [...meets].sort((a, b) => b - a) };
	} finally {
		client.release();
	}
}

/**
 * Takes batches back, the latest first, in one change set: each cell a batch wrote goes back to what it was before,
 * unless something other than these batches has written it since.
 * @throws Fault when a cell is locked or out of the person's grants: then nothing is taken back
 */
export async function takeBack(ask: TakeBackAsk): Promise<TakeBackOutcome> {
	const { model, structure } = await modelContext(ask.modelId);
	const guard = loadGuard(model, ask.access);
	const { origin } = ask.import;
	return transaction(async (client) => {
		await lockImport(client, ask.import.id);
		await keepStructureStill(client, ask.modelId);
		if ((await structureVersion(client, ask.modelId)) !== structure)
			throw new Fault(409, 'changed meanwhile', 'The structure of the model has changed at this moment. Try once more.');
		const target = new Target(model, origin);
		let written = 0;
		for (const batch of ask.batches) {
			const own = await changesOfBatch(client, ask.modelId, batch);
			if (!own) continue;
			await refuseOfOtherShape(client, ask.modelId, own.revision);
			const lost: Touched = new Map();
			for (const { number, batch: other } of await laterChangeSets(client, ask.modelId, origin, own.revision)) {
				if (other !== null && ask.batches.includes(other)) continue;
				for await (const change of changesOf(client, ask.modelId, number, origin)) {
					const places = lost.get(keyOf(change.members, change.year)) ?? new Set<number>();
					for (let position = 0; position < change.amounts.length; position++) if (differs(change, position)) places.add(position);
					lost.set(keyOf(change.members, change.year), places);
				}
			}
			for (const change of own.changes) written += target.restore(change, lost.get(keyOf(change.members, change.year)));
		}
		target.refuseLocked(guard);
		const ids = model.dimensions.map(({ id }) => id);
		const prepared = new PreparedChangeSet(client, ask.modelId, ids, await numberChangeSet(client));
		const { changes, cells } = await target.changes(client);
		for (let from = 0; from < changes.length; from += CHUNK) await prepared.write(changes.slice(from, from + CHUNK));
		let revision: number | null = null;
		if (changes.length > 0) {
			await lockModel(client, ask.modelId);
			revision = await prepared.post({
				modelId: ask.modelId,
				person: ask.person,
				acting: ask.acting,
				kind: 'take back',
				through: `${ask.import.name}: ${ask.batches.length === 1 ? `batch ${ask.batches[0]}` : `batches ${ask.batches.toReversed().join(', ')}`} taken back`,
				cells
			});
		}
		await client.query("UPDATE batch SET state = 'taken back', taken_back_at = now(), taken_back_by = $2 WHERE id = ANY ($1)", [
			ask.batches,
			ask.person
		]);
		return { revision, cells, written };
	});
}

/** What the cells shall be once the batches are taken back. */
class Target {
	readonly #model: Model;
	readonly #origin: number;
	readonly #store: SeriesStore;
	/** With which revision the values of the store were written. */
	readonly #stamps = new Map<unknown, Float64Array[]>();
	/** 1 where a cell of the store is to be set. */
	readonly #set = new Map<unknown, Uint8Array[]>();
	readonly #address: Int32Array;

	constructor(model: Model, origin: number) {
		this.#model = model;
		this.#origin = origin;
		this.#store = new SeriesStore(model.dimensions.length, model.periods.width, model.scenarioAxis);
		this.#address = new Int32Array(model.dimensions.length);
	}

	/** @returns how many of its cells stay because something has written them since */
	restore(change: SeriesChange, lost: ReadonlySet<number> | undefined): number {
		if (!this.#placeAt(change.members)) return 0;
		const block = this.#store.ensureBlockOf(this.#address, change.year);
		const series = block.ensure(this.#address);
		const flags = this.#set.get(block) ?? [];
		this.#set.set(block, flags);
		const own = (flags[series] ??= new Uint8Array(block.width));
		const known = this.#stamps.get(block) ?? [];
		this.#stamps.set(block, known);
		const stamps = (known[series] ??= new Float64Array(block.width));
		let stays = 0;
		for (let position = 0; position < change.amounts.length; position++) {
			if (!differs(change, position) && !isNewer(change, position)) continue;
			if (lost?.has(position)) stays++;
			else {
				own[position] = 1;
				stamps[position] = change.stampsBefore?.[position] ?? 0;
				block.values[series * block.width + position] = change.before[position]!;
			}
		}
		return stays;
	}

	refuseLocked(guard: LoadGuard): void {
		for (const { year, block } of this.#store.blocks())
			for (let series = 0; series < block.count; series++) {
				block.readAddress(series, this.#address);
				const flags = this.#set.get(block)![series]!;
				for (let position = 0; position < block.width; position++) {
					const leaf = flags[position] ? this.#model.periods.at(year, position) : undefined;
					const why = leaf && guard.whyNot(this.#address, leaf.index);
					if (why) {
						const name = this.#model.periods.dimension.member(leaf.ordinal).name;
						throw new Fault(422, 'locked', `${why} The batch wrote to ${name}, so it cannot be taken back. Nothing was changed.`);
					}
				}
			}
	}

	async changes(client: pg.PoolClient): Promise<{ changes: SeriesChange[]; cells: number }> {
		const model = this.#model;
		const ids = model.dimensions.map(({ id }) => id);
		const standing = new SeriesStore(ids.length, model.periods.width, model.scenarioAxis);
		const years = [...new Set([...this.#store.blocks()].map(({ year }) => year))];
		const stampsOf = new Map<unknown, (number | Float64Array)[]>();
		await readOriginSeries(client, model.definition.id, ids, this.#origin, years, ({ members, year, amounts, stamps }) => {
			if (!this.#placeAt(members)) return;
			const block = standing.ensureBlockOf(this.#address, year);
			// First the place: making it may replace the block's values by larger ones.
			const series = block.ensure(this.#address);
			block.values.set(amounts, series * block.width);
			const known = stampsOf.get(block) ?? [];
			stampsOf.set(block, known);
			known[series] = typeof stamps === 'number' ? stamps : stamps.slice();
		});
		const changes: SeriesChange[] = [];
		let cells = 0;
		for (const { year, block } of this.#store.blocks())
			for (let series = 0; series < block.count; series++) {
				block.readAddress(series, this.#address);
				const there = standing.blockOf(this.#address, year);
				const at = there ? there.find(this.#address) : -1;
				const before =
					at < 0 ? new Float64Array(block.width).fill(Number.NaN) : there!.values.slice(at * block.width, (at + 1) * block.width);
				const flags = this.#set.get(block)![series]!;
				const amounts = before.map((value, position) => (flags[position] ? block.values[series * block.width + position]! : value));
				const members = Array.from(this.#address, (ordinal, axis) => model.dimensions[axis]!.member(ordinal).id);
				const own = (there && stampsOf.get(there)?.[at]) ?? 0;
				const stampsBefore = typeof own === 'number' ? new Float64Array(block.width).fill(own) : own;
				const back = this.#stamps.get(block)![series]!;
				// What stands again is as old as it was.
				const stamps = stampsAfter(before, amounts, stampsBefore).map((stamp, position) => (flags[position] ? back[position]! : stamp));
				const change = { origin: this.#origin, members, year, before, amounts, stampsBefore, stamps };
				let count = 0;
				let isOlder = false;
				for (let position = 0; position < amounts.length; position++) {
					if (differs(change, position)) count++;
					else if (flags[position] && stamps[position] !== stampsBefore[position]) isOlder = true;
				}
				if (count > 0 || isOlder) changes.push(change);
				cells += count;
			}
		return { changes, cells };
	}

	#placeAt(members: ArrayLike<number>): boolean {
		for (let axis = 0; axis < this.#address.length; axis++) {
			const ordinal = this.#model.dimensions[axis]!.ordinal(members[axis]!);
			// A member that is gone took its numbers with it.
			if (ordinal === undefined) return false;
			this.#address[axis] = ordinal;
		}
		return true;
	}
}

/** Whether a place of a changed series is different afterwards. */
function differs({ before, amounts }: { before: Float64Array; amounts: Float64Array }, position: number): boolean {
	const [was, is] = [before[position]!, amounts[position]!];
	return was !== is && (was === was || is === is);
}

/** Whether an equal value was written anew, and so became newer. */
function isNewer({ stampsBefore, stamps, amounts }: SeriesChange, position: number): boolean {
	const amount = amounts[position]!;
	return stamps !== undefined && stampsBefore !== undefined && amount === amount && stamps[position] !== stampsBefore[position];
}

async function changesOfBatch(
	client: pg.PoolClient,
	modelId: number,
	batch: number
): Promise<{ revision: number; changes: SeriesChange[] } | undefined> {
	const found = await client.query<{ revision: number; number: number; origin: number }>(
		`SELECT c.revision, c.number, i.origin_id AS origin FROM batch b JOIN import i ON i.id = b.import_id
		JOIN change_set c ON c.model_id = i.model_id AND c.revision = b.revision WHERE b.id = $1 AND i.model_id = $2`,
		[batch, modelId]
	);
	const set = found.rows[0];
	if (!set) return undefined;
	const changes: SeriesChange[] = [];
	for await (const change of changesOf(client, modelId, set.number, set.origin)) changes.push(change);
	return { revision: set.revision, changes };
}

/** Change sets after a revision that may have written an origin, with their batch where they are loads. */
async function laterChangeSets(
	client: pg.PoolClient,
	modelId: number,
	origin: number,
	revision: number
): Promise<{ number: number; batch: number | null }[]> {
	const found = await client.query<{ number: number; batch: number | null }>(
		`SELECT c.number, b.id AS batch FROM change_set c
		LEFT JOIN batch b ON b.revision = c.revision AND b.import_id IN (SELECT id FROM import WHERE model_id = $1) AND c.kind = 'load'
		WHERE c.model_id = $1 AND c.revision > $2 AND c.kind <> 'save' AND (c.origins IS NULL OR $3 = ANY (c.origins)) ORDER BY c.revision`,
		[modelId, revision, origin]
	);
	return found.rows;
}

async function* changesOf(client: pg.PoolClient, modelId: number, number: number, origin: number): AsyncGenerator<SeriesChange> {
	const parts = await client.query<{ part: number }>(
		'SELECT part FROM block_change WHERE model_id = $1 AND change_set = $2 ORDER BY part',
		[modelId, number]
	);
	for (const { part } of parts.rows) {
		const found = await client.query<{ packed: Buffer }>(
			'SELECT packed FROM block_change WHERE model_id = $1 AND change_set = $2 AND part = $3',
			[modelId, number, part]
		);
		for (const change of unpackSeries(found.rows[0]!.packed)) if (change.origin === origin) yield change;
	}
}
