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
		const shown = shownIn(model, standing, await readBranchOrigins(client, branch, [origin]), [
			...ownExtents(
				model,
				(await readOwnExtents(client, branch)).filter((each) => each.origin === origin)
			)
		]);
		const { cells, changed } = cellsOf(model, origin, gathered.store, shown, own!);
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
	const address = new Int32Array(model.dimensions.length);
	for (const { year, block } of standing.blocks())
		for (let series = 0; series < block.count; series++) {
			block.readAddress(series, address);
			for (let position = 0; position < block.width; position++) {
				const value = block.values[series * block.width + position]!;
				if (value !== value || !isWithin(model, own, address, year, position) || mayEmpty(model, guard, address, year, position)) continue;
				const leaf = model.periods.at(year, position)!;
				throw new Fault(
					422,
					'not open',
					`This load replaces more than may be changed here: ${guard.whyNot(address, leaf.index)} Load a file about less of the model, or limit the branch.`
				);
			}
		}
}

/** What the branch shows of the import: what it holds, and what reads through of the plan’s. */
function shownIn(model: Model, standing: SeriesStore, held: readonly BranchSeries[], before: readonly OwnExtent[]): SeriesStore {
	const shown = new SeriesStore(model.dimensions.length, model.periods.width, model.scenarioAxis);
	const address = new Int32Array(model.dimensions.length);
	for (const { year, block } of standing.blocks())
		for (let series = 0; series < block.count; series++) {
			block.readAddress(series, address);
			const into = shown.ensureBlockOf(address, year);
			const at = into.ensure(address) * into.width;
			for (let position = 0; position < block.width; position++)
				if (!before.some((extent) => isWithin(model, extent, address, year, position)))
					into.values[at + position] = block.values[series * block.width + position]!;
		}
	for (const { address: members, year, amounts } of held) {
		const ordinals = members.map((member, axis) => model.dimensions[axis]!.ordinal(member) ?? -1);
		if (ordinals.includes(-1)) continue;
		address.set(ordinals);
		const into = shown.ensureBlockOf(address, year);
		const at = into.ensure(address) * into.width;
		amounts.forEach((amount, position) => {
			if (amount !== null) into.values[at + position] = amount === TAKEN_AWAY ? Number.NaN : amount;
		});
	}
	return shown;
}

/** What the branch is to hold: all the file says, and nothing else of the import in the extent. And how much of it shows otherwise than before. */
function cellsOf(
	model: Model,
	origin: number,
	file: SeriesStore,
	shown: SeriesStore,
	own: OwnExtent
): { cells: BranchCell[]; changed: number } {
	const cells: BranchCell[] = [];
	let changed = 0;
	const ordinals = new Int32Array(model.dimensions.length);
	const members = () => Array.from(ordinals, (ordinal, axis) => model.dimensions[axis]!.member(ordinal).id);
	for (const { year, block } of file.blocks())
		for (let series = 0; series < block.count; series++) {
			block.readAddress(series, ordinals);
			const there = shown.blockOf(ordinals, year);
			const at = there?.find(ordinals) ?? -1;
			const address = members();
			for (let position = 0; position < block.width; position++) {
				const value = block.values[series * block.width + position]!;
				if (value !== value) continue;
				cells.push({ origin, address, year, position, value, seen: Number.NaN });
				if (at < 0 || there!.values[at * there!.width + position] !== value) changed++;
			}
		}
	for (const { year, block } of shown.blocks())
		for (let series = 0; series < block.count; series++) {
			block.readAddress(series, ordinals);
			const stated = file.blockOf(ordinals, year);
			const at = stated?.find(ordinals) ?? -1;
			let address: number[] | undefined;
			for (let position = 0; position < block.width; position++) {
				const value = block.values[series * block.width + position]!;
				if (value !== value || !isWithin(model, own, ordinals, year, position)) continue;
				if (at >= 0 && !Number.isNaN(stated!.values[at * stated!.width + position]!)) continue;
				changed++;
				cells.push({ origin, address: (address ??= members()), year, position, value: null, seen: Number.NaN });
			}
		}
	return { cells, changed };
}
