import type { CellPlace } from '../cell';
import type { Block, WorkCube } from '../cube';
import { factPeriod, leafOfPlace, type Model } from '../model';
import { isValue } from '../number';
import type { Scope } from '../script';
import { whereBothRan, type MembersNamed, type Overlap } from './answers';
import { isAddressIn } from './slice';

/** An origin that results of this runbook stand under: of which step, and for which members it ran. */
export interface ResultOrigin {
	origin: number;
	step: number;
	named: MembersNamed;
}

/** What taking results away is told, and tells. */
interface Removing {
	/** Why a cell may not be written; undefined when it may. */
	whyNot: (address: Int32Array, leaf: number) => string | undefined;
	breathe: () => void;
	/** Told of a cell of a step that may not be written and keeps what it has. */
	closed: (step: number, address: Int32Array, leaf: number, reason: string) => void;
}

/** What is taken away of one origin before a run: in which periods, and only where earlier and present run meet. */
interface Removal {
	periods: Uint8Array | undefined;
	overlaps: ReadonlyMap<number, Overlap> | undefined;
}

/**
 * Takes away what a runbook wrote before and is about to write anew: in the periods its steps reach, results for the same
 * members, and of results for others what both were for. Of steps that are gone everything goes. Cells that may not be
 * written keep what they have. O(series of the cube).
 * @param reachOf the leaf periods of each step that runs; undefined for all
 * @returns how many cells were taken away by step that had been written for other members
 */
export function removeEarlier(
	model: Model,
	work: WorkCube,
	results: readonly ResultOrigin[],
	named: MembersNamed,
	own: ReadonlySet<number>,
	reachOf: ReadonlyMap<number, Uint8Array | undefined>,
	{ whyNot, breathe, closed }: Removing
): Map<number, number> {
	const removals = new Map<number, Removal>();
	for (const { origin, step, named: then } of results) {
		const periods = reachOf.get(step);
		if (own.has(origin)) removals.set(origin, { periods, overlaps: undefined });
		else {
			const overlaps = whereBothRan(model, named, then);
			if (overlaps) removals.set(origin, { periods, overlaps });
		}
	}
	const replaced = new Map<number, number>();
	const stepOf = new Map(results.map(({ origin, step }) => [origin, step]));
	eachHeld(model, work, new Set(removals.keys()), undefined, (origin, address, year, position, leaf) => {
		breathe();
		const { periods, overlaps } = removals.get(origin)!;
		const account = address[model.accountAxis]!;
		const reached = leafOfPlace(model, account, year, position, (each) => periods?.[each] !== 0);
		if (periods && year !== 0 && (reached === undefined || periods[reached] === 0)) return;
		const judged = reached ?? leaf ?? factPeriod(model, address);
		if (overlaps && !isMet(model, overlaps, address, judged)) return;
		// What has been closed since keeps what it had.
		const reason = whyNot(address, judged);
		if (reason !== undefined) return closed(stepOf.get(origin)!, address, judged, reason);
		work.write(origin, address, year, position, Number.NaN);
		if (overlaps) replaced.set(stepOf.get(origin)!, (replaced.get(stepOf.get(origin)!) ?? 0) + 1);
	});
	return replaced;
}

/**
 * Takes away all that stands under some origins, whatever it was written for.
 * @returns by step how many cells were taken away
 */
export function clearResults(
	model: Model,
	work: WorkCube,
	results: readonly ResultOrigin[],
	{ whyNot, breathe, closed }: Removing
): Map<number, number> {
	const cleared = new Map<number, number>();
	const stepOf = new Map(results.map(({ origin, step }) => [origin, step]));
	eachHeld(model, work, new Set(stepOf.keys()), undefined, (origin, address, year, position, leaf) => {
		breathe();
		const step = stepOf.get(origin)!;
		const judged = leaf ?? factPeriod(model, address);
		const reason = whyNot(address, judged);
		if (reason !== undefined) return closed(step, address, judged, reason);
		work.write(origin, address, year, position, Number.NaN);
		cleared.set(step, (cleared.get(step) ?? 0) + 1);
	});
	return cleared;
}

/** Whether a cell lies where both runs were: not at a member that only the earlier one was for. */
function isMet(model: Model, overlaps: ReadonlyMap<number, Overlap>, address: Int32Array, leaf: number): boolean {
	for (const [id, { both, then }] of overlaps) {
		const axis = model.dimensions.findIndex((dimension) => dimension.id === id);
		const ordinal = axis < 0 ? model.periods.leaf(leaf).ordinal : address[axis]!;
		if (then.has(ordinal) && !both.has(ordinal)) return false;
	}
	return true;
}

/** Results that were put aside, to be put back where they were. */
export interface LeftAside extends CellPlace {
	origin: number;
	value: number;
	stamp: number;
}

/** Leaves results of some origins aside at the cells a step may set, so that it reads what stands beneath them. */
export function leaveAside(model: Model, work: WorkCube, origins: ReadonlySet<number>, writes: readonly Scope[]): LeftAside[] {
	const left: LeftAside[] = [];
	eachHeld(model, work, origins, writes, (origin, address, year, position) => {
		const { values, stamps } = work.lift(origin, address, year);
		left.push({ origin, address: address.slice(), year, position, value: values[position]!, stamp: stamps[position]! });
	});
	for (const { origin, address, year, position } of left) work.lay(origin, address, year, position, Number.NaN, 0);
	return left;
}

export function putBack(work: WorkCube, left: readonly LeftAside[]): void {
	for (const { origin, address, year, position, value, stamp } of left) work.lay(origin, address, year, position, value, stamp);
}

/** Which of some origins have results that show where a step reads. O(series of the cube). */
export function resultsRead(model: Model, work: WorkCube, origins: ReadonlySet<number>, reads: readonly Scope[]): Set<number> {
	const read = new Set<number>();
	eachHeld(model, work, origins, reads, (origin, _, __, position, ___, block, series) => {
		if (!read.has(origin) && work.cube.standingAt(block, series, position).has(origin)) read.add(origin);
	});
	return read;
}

/** Calls back with every value some origins hold, within parts of the model where those are given. The address is reused. */
function eachHeld(
	model: Model,
	work: WorkCube,
	origins: ReadonlySet<number>,
	within: readonly Scope[] | undefined,
	visit: (
		origin: number,
		address: Int32Array,
		year: number,
		position: number,
		leaf: number | undefined,
		block: Block,
		series: number
	) => void
): void {
	if (origins.size === 0 || within?.length === 0) return;
	const { cube } = work;
	const found = cube.seriesOfOrigins(origins);
	const address = new Int32Array(model.dimensions.length);
	const held = new Float64Array(cube.store.width);
	for (const { origin, block, series, year } of found) {
		block.readAddress(series, address);
		const scopes = within?.filter((scope) => isAddressIn(scope, address));
		if (scopes?.length === 0) continue;
		cube.heldAt(block, series, origin, held);
		const account = address[model.accountAxis]!;
		for (let position = 0; position < held.length; position++) {
			if (!isValue(held[position]!)) continue;
			const leaf = leafOfPlace(model, account, year, position, (each) => scopes?.some(({ periods }) => periods?.[each] !== 0) ?? true);
			if (scopes && year !== 0 && (leaf === undefined || !scopes.some(({ periods }) => periods?.[leaf] !== 0))) continue;
			visit(origin, address, year, position, leaf, block, series);
		}
	}
}
