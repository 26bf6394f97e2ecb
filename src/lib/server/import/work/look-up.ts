import { isWithin, SeriesStore, type Model } from '../../../core';
import { pool } from '../../database';
import { readOwnExtents } from '../../database/branch-series';
import { ownExtents } from '../../database/own-extents';
import { readRows } from '../file/rows';
import { keptBytes, keptFile } from '../file/keep';
import { openSource, styleOf } from '../file/source-rows';
import { sourceSchema, type Source } from '../../definition/source-schema';
import { modelContext } from './context';
import { readAddresses, readEntries, type BatchAddresses } from './row-index';

/** A row of a kept file and the cells it became part of. */
export interface RowOfFile {
	line: number;
	headings: string[];
	values: string[];
	cells: { words: string; amount: number; members: number[]; period: number }[];
	rejected: string | null;
}

/** Rows that make up a cell's loaded value. */
export interface RowsOfCell {
	batch: number;
	/** The import's code. */
	import: string;
	fileName: string;
	headings: string[];
	rows: { line: number; values: string[]; amount: number }[];
	/** All rows on the cell; `rows` holds the first ones. */
	count: number;
	total: number;
}

const MOST_ROWS = 200;

interface BatchFile {
	id: number;
	import: string;
	fileName: string;
	file: number | null;
	source: Source | null;
	way: 'replace' | 'add';
	rejectsOf: number | null;
}

/** A row of a batch by its line, with what it became. Undefined when the file has no row that begins there. */
export async function lookUpRow(modelId: number, batchId: number, line: number): Promise<RowOfFile | undefined> {
	const batch = (await batchFiles('b.id = $2', [modelId, batchId]))[0];
	if (!batch?.file || !batch.source) return undefined;
	const { model } = await modelContext(modelId);
	const addresses = await readAddresses(batchId, addressOf(model));
	const cells: RowOfFile['cells'] = [];
	for await (const entries of readEntries(batchId, line))
		for (let at = 0; at < entries.lines.length; at++)
			if (entries.lines[at] === line) {
				const { year, members } = addresses[entries.blocks[at]!]!;
				const ids = members.map((column) => column[entries.series[at]!]!);
				const leaf = model.periods.at(year, entries.positions[at]!);
				const names = ids.map((id, axis) => memberName(model, axis, id));
				cells.push({
					words: [...names, leaf ? model.periods.dimension.member(leaf.ordinal).name : 'all years'].join(' · '),
					amount: entries.amounts[at]!,
					members: ids,
					period: leaf ? model.periods.dimension.member(leaf.ordinal).id : 0
				});
			}
	const found = await rowsOnLines(modelId, batch, batchId, new Set([line]));
	const values = found.rows.get(line);
	if (!values) return undefined;
	const reject = await pool().query<{ message: string }>('SELECT message FROM reject WHERE batch_id = $1 AND file_line = $2', [
		batchId,
		line
	]);
	return { line, headings: found.headings, values, cells, rejected: reject.rows[0]?.message ?? null };
}

/**
 * The rows behind a leaf cell: of the latest batch of each import that states it, and of batches added to it since. In a
 * branch of the batches loaded there, for the imports whose cell is the branch's own.
 * @param members member ids per dimension
 */
export async function lookUpCell(
	modelId: number,
	members: readonly number[],
	period: number,
	branch: number | null
): Promise<RowsOfCell[]> {
	const { model } = await modelContext(modelId);
	const ordinal = model.periods.dimension.ordinal(period);
	const leaf = ordinal === undefined ? undefined : model.periods.leaf(model.periods.range(ordinal).from);
	if (!leaf) return [];
	const account = model.accounts.ordinal(members[model.accountAxis]!);
	const often = (account === undefined ? undefined : model.account(account)?.frequency) ?? 'per period';
	const year = often === 'timeless' ? 0 : leaf.fiscalYear;
	const position = often === 'per period' ? leaf.position : 0;
	const found: RowsOfCell[] = [];
	const imports = await pool().query<{ id: number; origin: number }>(
		'SELECT id, origin_id AS origin FROM import WHERE model_id = $1 ORDER BY id',
		[modelId]
	);
	const address = Int32Array.from(members, (member, axis) => model.dimensions[axis]?.ordinal(member) ?? -1);
	const extents = branch === null ? [] : ownExtents(model, await readOwnExtents(pool(), branch));
	const isOwn = (origin: number) => extents.some((each) => each.origin === origin && isWithin(model, each, address, year, position));
	for (const { id, origin } of imports.rows)
		for (const batch of await (isOwn(origin)
			? batchFiles("b.import_id = $2 AND b.state = 'loaded' AND b.id IN (SELECT batch_id FROM branch_load WHERE branch_id = $3)", [
					modelId,
					id,
					branch
				])
			: batchFiles("b.import_id = $2 AND b.state = 'loaded' AND b.branch_id IS NULL", [modelId, id]))) {
			const rows = await rowsOfCell(model, batch, members, year, position);
			if (rows) found.push(rows);
			// A batch that replaced the cell leaves nothing of those before it.
			if (rows && batch.way === 'replace') break;
		}
	return found;
}

async function rowsOfCell(
	model: Model,
	batch: BatchFile,
	members: readonly number[],
	year: number,
	position: number
): Promise<RowsOfCell | undefined> {
	const addresses = await readAddresses(batch.id, addressOf(model));
	const blockNumber = addresses.findIndex((block) => block.year === year && findSeries(block, members) >= 0);
	if (blockNumber < 0) return undefined;
	const series = findSeries(addresses[blockNumber]!, members);
	const lines = new Map<number, number>();
	let count = 0;
	let total = 0;
	for await (const entries of readEntries(batch.id))
		for (let at = 0; at < entries.lines.length; at++)
			if (entries.series[at] === series && entries.blocks[at] === blockNumber && entries.positions[at] === position) {
				count++;
				total += entries.amounts[at]!;
				if (lines.size < MOST_ROWS) lines.set(entries.lines[at]!, (lines.get(entries.lines[at]!) ?? 0) + entries.amounts[at]!);
			}
	if (count === 0) return undefined;
	const read = await rowsOnLines(model.definition.id, batch, batch.id, new Set(lines.keys()));
	return {
		batch: batch.id,
		import: batch.import,
		fileName: batch.fileName,
		headings: read.headings,
		rows: [...lines].map(([line, amount]) => ({ line, values: read.rows.get(line) ?? [], amount })),
		count,
		total
	};
}

function findSeries({ members }: BatchAddresses, wanted: readonly number[]): number {
	const first = members[0];
	if (!first) return -1;
	for (let series = 0; series < first.length; series++) if (members.every((column, axis) => column[series] === wanted[axis])) return series;
	return -1;
}

async function batchFiles(condition: string, values: readonly unknown[]): Promise<BatchFile[]> {
	const found = await pool().query<Omit<BatchFile, 'source'> & { recipe: { source: unknown } | null }>(
		`SELECT b.id, i.code AS import, b.file_name AS "fileName", b.file_id AS file, b.recipe, b.way, b.rejects_of AS "rejectsOf"
		FROM batch b JOIN import i ON i.id = b.import_id WHERE i.model_id = $1 AND ${condition} ORDER BY b.id DESC LIMIT 50`,
		values as unknown[]
	);
	return found.rows.map(({ recipe, ...batch }) => ({ ...batch, source: recipe ? sourceSchema.parse(recipe.source) : null }));
}

/** Rows of a batch's file by the line they begin on. Runs that hold none of the lines are not read. */
async function rowsOnLines(
	modelId: number,
	batch: BatchFile,
	batchId: number,
	lines: ReadonlySet<number>
): Promise<{ headings: string[]; rows: Map<number, string[]> }> {
	const rows = new Map<number, string[]>();
	if (!batch.file || !batch.source) return { headings: [], rows };
	const file = await keptFile(modelId, batch.file);
	const opened = await openSource(file, batch.source);
	const { headings } = opened;
	if (batch.source.range !== '') {
		// A range cuts rows too; sheets are small enough to be read whole.
		for await (const chunk of opened.chunks)
			for (let at = 0; at < chunk.rows.length; at++) if (lines.has(chunk.lines[at]!)) rows.set(chunk.lines[at]!, chunk.rows[at]!);
		return { headings, rows };
	}
	await opened.chunks.return(undefined);
	const { style, sheet } = styleOf(file, batch.source);
	const runs = await pool().query<{ next: number; to: number }>(
		'SELECT next_line AS next, file_to AS to FROM batch_rows WHERE batch_id = $1 ORDER BY part',
		[batchId]
	);
	const mark = await markBytes(file.id, sheet);
	for (const line of [...lines].sort((a, b) => a - b)) {
		if (rows.has(line)) continue;
		// From the end of the last run before the line on.
		const run = runs.rows.findLast(({ next }) => next <= line);
		for await (const chunk of readRows(keptBytes(file.id, sheet, run ? run.to + mark : 0), style, run?.next ?? 1)) {
			for (let at = 0; at < chunk.rows.length; at++) if (lines.has(chunk.lines[at]!)) rows.set(chunk.lines[at]!, chunk.rows[at]!);
			if (chunk.lines.at(-1)! >= line) break;
		}
	}
	return { headings, rows };
}

/** Bytes of the mark some encodings begin with: rows are counted from behind it. */
async function markBytes(fileId: number, sheet: number): Promise<number> {
	for await (const bytes of keptBytes(fileId, sheet)) {
		if (bytes[0] === 0xef && bytes[1] === 0xbb && bytes[2] === 0xbf) return 3;
		return (bytes[0] === 0xff && bytes[1] === 0xfe) || (bytes[0] === 0xfe && bytes[1] === 0xff) ? 2 : 0;
	}
	return 0;
}

function memberName(model: Model, axis: number, id: number): string {
	const dimension = model.dimensions[axis]!;
	const ordinal = dimension.ordinal(id);
	return ordinal === undefined ? 'a member that is gone' : dimension.member(ordinal).name;
}

export interface BatchDifference {
	/** Cells only one of them states, cells both state differently, and alike. */
	onlyFirst: number;
	onlySecond: number;
	different: number;
	same: number;
	totals: { first: number; second: number };
	/** The largest differences. */
	largest: { words: string; first: number | null; second: number | null }[];
}

const MOST_DIFFERENCES = 200;

/** Compares what two batches state, cell by cell. */
export async function compareBatches(modelId: number, first: number, second: number): Promise<BatchDifference> {
	const { model } = await modelContext(modelId);
	const [a, b] = [await statedBy(model, first), await statedBy(model, second)];
	const outcome: BatchDifference = { onlyFirst: 0, onlySecond: 0, different: 0, same: 0, totals: { first: 0, second: 0 }, largest: [] };
	const address = new Int32Array(model.dimensions.length);
	const note = (year: number, position: number, one: number, other: number) => {
		const [isOne, isOther] = [one === one, other === other];
		if (isOne) outcome.totals.first += one;
		if (isOther) outcome.totals.second += other;
		if (isOne && isOther && Math.abs(one - other) < 1e-9) {
			outcome.same++;
			return;
		}
		outcome[isOne && isOther ? 'different' : isOne ? 'onlyFirst' : 'onlySecond']++;
		const size = Math.abs((isOne ? one : 0) - (isOther ? other : 0));
		const least = outcome.largest.at(-1);
		if (outcome.largest.length >= MOST_DIFFERENCES && least && size <= sizeOf(least)) return;
		const leaf = model.periods.at(year, position);
		const names = Array.from(address, (ordinal, axis) => model.dimensions[axis]!.member(ordinal).name);
		outcome.largest.push({
			words: [...names, leaf ? model.periods.dimension.member(leaf.ordinal).name : ''].filter((name) => name !== '').join(' · '),
			first: isOne ? one : null,
			second: isOther ? other : null
		});
		outcome.largest.sort((left, right) => sizeOf(right) - sizeOf(left));
		outcome.largest.length = Math.min(outcome.largest.length, MOST_DIFFERENCES);
	};
	for (const { year, block } of a.blocks())
		for (let series = 0; series < block.count; series++) {
			block.readAddress(series, address);
			const there = b.blockOf(address, year);
			const at = there ? there.find(address) : -1;
			for (let position = 0; position < block.width; position++) {
				const one = block.values[series * block.width + position]!;
				const other = at < 0 ? Number.NaN : there!.values[at * block.width + position]!;
				if (one === one || other === other) note(year, position, one, other);
			}
		}
	for (const { year, block } of b.blocks())
		for (let series = 0; series < block.count; series++) {
			block.readAddress(series, address);
			if ((a.blockOf(address, year)?.find(address) ?? -1) >= 0) continue;
			for (let position = 0; position < block.width; position++) {
				const other = block.values[series * block.width + position]!;
				if (other === other) note(year, position, Number.NaN, other);
			}
		}
	return outcome;
}

const sizeOf = ({ first, second }: { first: number | null; second: number | null }) => Math.abs((first ?? 0) - (second ?? 0));

/** A batch's amounts by cell, as its rows state them. */
async function statedBy(model: Model, batchId: number): Promise<SeriesStore> {
	const store = new SeriesStore(model.dimensions.length, model.periods.width, model.scenarioAxis);
	const addresses = await readAddresses(batchId, addressOf(model));
	const address = new Int32Array(model.dimensions.length);
	for await (const entries of readEntries(batchId))
		for (let at = 0; at < entries.lines.length; at++) {
			const { year, members } = addresses[entries.blocks[at]!]!;
			let isThere = true;
			for (let axis = 0; axis < address.length; axis++) {
				const ordinal = model.dimensions[axis]!.ordinal(members[axis]![entries.series[at]!]!);
				if (ordinal === undefined) isThere = false;
				else address[axis] = ordinal;
			}
			if (!isThere) continue;
			const block = store.ensureBlockOf(address, year);
			const place = block.ensure(address) * block.width + entries.positions[at]!;
			const before = block.values[place]!;
			block.values[place] = before === before ? before + entries.amounts[at]! : entries.amounts[at]!;
		}
	return store;
}

/** Dimensions (ids) in address order. */
const addressOf = ({ dimensions }: Model): number[] => dimensions.map(({ id }) => id);
