import { isWithin, SeriesStore, TAKEN_AWAY, type Model, type OwnExtent } from '../../../core';
import { transaction } from '../../database';
import {
	lockBranch,
	readBranchOrigins,
	readOwnExtents,
	writeBranch,
	type BranchCell,
	type BranchSeries
} from '../../database/branch-series';
import { keepStructureStill, lockImport } from '../../database/locks';
import { ownExtents } from '../../database/own-extents';
import { structureVersion } from '../../database/structure-version';
import { Fault } from '../../fault';
import type { Gathered } from './gather';
import { describe } from './batch-record';
import type { LoadAsk, Progress } from './load';
import { mayEmpty, readStanding, StructureMoved } from './standing';

/** A branch is what was changed by people: larger files belong in the plan. */
const MOST_CELLS = 200_000;

/**
 * Writes what a file says into a branch, as its import's own there: of the plan's, nothing of the import reads through in
 * the extent from then on. Figures of the plan stay as they are, and so does what scenarios speak about.
 */
export async function writeIntoBranch(
	model: Model,
	structure: number,
	ask: LoadAsk,
	gathered: Gathered,
	progress: Progress
): Promise<{ revision: null; cells: number }> {
	const { modelId, import: stored } = ask;
	const { id: branch, part } = ask.branch!;
	const { origin } = stored;
	return transaction(async (client) => {
		await lockImport(client, stored.id);
		await keepStructureStill(client, modelId);
		if ((await structureVersion(client, modelId)) !== structure) throw new StructureMoved();
		const { state } = await lockBranch(client, branch);
		if (state !== 'open') throw new Fault(409, 'branch closed', 'This branch has been frozen, merged or dropped meanwhile.');
		const { standing } = await readStanding(client, model, origin, gathered.store);
		const extent = gathered.extent.state().members;
		const timeless = [...gathered.store.blocks()].some(({ year }) => year === 0);
		const [own] = ownExtents(model, [{ origin, extent, part, timeless }]);
		refuseClosed(model, standing, own!, gathered);
		const held = await readBranchOrigins(client, branch, [origin]);
		const before = (await readOwnExtents(client, branch)).filter((each) => each.origin === origin);
		const shown = shownIn(model, standing, held, ownExtents(model, before));
		const cells = [...statedCells(model, origin, gathered.store), ...takenBack(model, held, gathered.store, own!)];
		const changed = countChanged(model, gathered.store, shown, own!);
		if (cells.length > MOST_CELLS)
			throw new Fault(
				413,
				'too large',
				`The file is about ${cells.length} cells, and a branch takes ${MOST_CELLS} at once. Load it into the plan, or a part of it here.`
			);
		progress(gathered.rows.read, `Writing, ${cells.length} cells`);
		await client.query(
			'DELETE FROM branch_load WHERE branch_id = $1 AND origin_id = $2 AND extent = $3 AND part IS NOT DISTINCT FROM $4 AND timeless = $5',
			[branch, origin, JSON.stringify(extent), part && JSON.stringify(part), timeless]
		);
		await client.query('INSERT INTO branch_load (branch_id, origin_id, batch_id, extent, part, timeless) VALUES ($1, $2, $3, $4, $5, $6)', [
			branch,
			origin,
			ask.batchId,
			JSON.stringify(extent),
			part && JSON.stringify(part),
			timeless
		]);
		const by = { person: ask.person!, acting: ask.acting, words: `Load of “${stored.name}”` };
		await writeBranch(client, branch, by, cells, model.periods.width);
		await describe(client, ask.batchId, gathered, { state: 'loaded', revision: null, cells: changed });
		return { revision: null, cells: changed };
	});
}

/** What the load would take away without being let to stays in the plan: then it is not the branch’s own, and the file is too wide. */
function refuseClosed(model: Model, standing: SeriesStore, own: OwnExtent, { guard }: Gathered): void {
	eachValue(model, standing, (ordinals, year, position) => {
		if (!isWithin(model, own, ordinals, year, position) || mayEmpty(model, guard, ordinals, year, position)) return;
		throw new Fault(
			422,
			'not open',
			`This load replaces more than may be changed here: ${guard.whyNot(ordinals, model.periods.at(year, position)!.index)} Load a file about less of the model, or limit the branch.`
		);
	});
}

/** What the branch shows of the import: what it holds, and what reads through of the plan’s. */
function shownIn(model: Model, standing: SeriesStore, held: readonly BranchSeries[], before: readonly OwnExtent[]): SeriesStore {
	const shown = new SeriesStore(model.dimensions.length, model.periods.width, model.scenarioAxis);
	const put = (ordinals: Int32Array, year: number, position: number, value: number) => {
		const block = shown.ensureBlockOf(ordinals, year);
		// First the place: making it may replace the block's values by larger ones.
		const at = block.ensure(ordinals) * block.width + position;
		block.values[at] = value;
	};
	eachValue(model, standing, (ordinals, year, position, value) => {
		if (!before.some((extent) => isWithin(model, extent, ordinals, year, position))) put(ordinals, year, position, value);
	});
	for (const { address, year, amounts } of held) {
		const ordinals = Int32Array.from(address, (member, axis) => model.dimensions[axis]!.ordinal(member) ?? -1);
		if (ordinals.includes(-1)) continue;
		amounts.forEach((amount, position) => {
			if (amount !== null) put(ordinals, year, position, amount === TAKEN_AWAY ? Number.NaN : amount);
		});
	}
	return shown;
}

/** All the file says, as the branch is to hold it: also where it shows that already, as it is newer from then on. */
function statedCells(model: Model, origin: number, file: SeriesStore): BranchCell[] {
	const cells: BranchCell[] = [];
	eachValue(model, file, (ordinals, year, position, value) => {
		const address = Array.from(ordinals, (ordinal, axis) => model.dimensions[axis]!.member(ordinal).id);
		cells.push({ origin, address, year, position, value, seen: Number.NaN });
	});
	return cells;
}

/** What the branch holds of the import in the extent and the file does not say. The plan's own does not show there either. */
function takenBack(model: Model, held: readonly BranchSeries[], file: SeriesStore, own: OwnExtent): BranchCell[] {
	return held.flatMap(({ origin, address, year, amounts }) => {
		const ordinals = Int32Array.from(address, (member, axis) => model.dimensions[axis]!.ordinal(member) ?? -1);
		if (ordinals.includes(-1)) return [];
		return amounts.flatMap((amount, position) =>
			amount === null || !isWithin(model, own, ordinals, year, position) || isValueAt(file, ordinals, year, position)
				? []
				: [{ origin, address, year, position, value: null, seen: Number.NaN }]
		);
	});
}

/** How many cells show something else afterwards. */
function countChanged(model: Model, file: SeriesStore, shown: SeriesStore, own: OwnExtent): number {
	let changed = 0;
	eachValue(model, file, (ordinals, year, position, value) => {
		const there = shown.blockOf(ordinals, year);
		const at = there?.find(ordinals) ?? -1;
		if (at < 0 || there!.values[at * there!.width + position] !== value) changed++;
	});
	eachValue(model, shown, (ordinals, year, position) => {
		if (isWithin(model, own, ordinals, year, position) && !isValueAt(file, ordinals, year, position)) changed++;
	});
	return changed;
}

/** Calls back with every value of a store; the address is reused. */
function eachValue(
	model: Model,
	store: SeriesStore,
	visit: (ordinals: Int32Array, year: number, position: number, value: number) => void
): void {
	const ordinals = new Int32Array(model.dimensions.length);
	for (const { year, block } of store.blocks())
		for (let series = 0; series < block.count; series++) {
			block.readAddress(series, ordinals);
			for (let position = 0; position < block.width; position++) {
				const value = block.values[series * block.width + position]!;
				if (value === value) visit(ordinals, year, position, value);
			}
		}
}

function isValueAt(store: SeriesStore, ordinals: Int32Array, year: number, position: number): boolean {
	const block = store.blockOf(ordinals, year);
	const at = block?.find(ordinals) ?? -1;
	return at >= 0 && !Number.isNaN(block!.values[at * block!.width + position]!);
}
