/** How steps shared out, as their runs kept it. */
import { deflateSync, inflateSync } from 'node:zlib';
import { deserialize, serialize } from 'node:v8';
import { isValue, type LineTrace } from '../../../core';
import type { ModelEngine } from '../model-engine';

/** How the lines of one step were shared out, for keeping. */
export const packTraces = (traces: readonly LineTrace[]): Uint8Array => new Uint8Array(deflateSync(serialize(traces)));

/** Packed traces that are kept at hand. */
const MOST_KEPT = 40;
const kept = new Map<string, LineTrace[]>();

/** The traces a run (id) kept of an origin (id); none where it kept none. */
export async function tracesOf({ database }: ModelEngine, run: number, origin: number): Promise<LineTrace[]> {
	const key = `${run} ${origin}`;
	const known = kept.get(key);
	if (known) return known;
	const found = await database.query<{ trace: Buffer }>('SELECT trace FROM run_trace WHERE run_id = $1 AND origin_id = $2', [run, origin]);
	const traces = found.rows[0] ? (deserialize(inflateSync(found.rows[0].trace)) as LineTrace[]) : [];
	kept.set(key, traces);
	for (const oldest of kept.keys()) {
		if (kept.size <= MOST_KEPT) break;
		kept.delete(oldest);
	}
	return traces;
}

/** The origin of a step's results, and the runs (ids) that kept how it shared out, the newest first. */
export interface KeptOrigin {
	id: number;
	runs: readonly number[];
}

/** A trace, and the periods (ids) for which it is the newest. */
export interface PeriodTrace {
	trace: LineTrace;
	periods: ReadonlySet<number>;
}

/**
 * Traces of results that stand: of each origin and period the newest run's, where the origin holds something in that period
 * still. What was cleared, or is no longer written, has flowed nowhere.
 */
export class StandingTraces {
	readonly #engine: ModelEngine;
	/** By origin (id): the periods (ids) in which it holds something. */
	readonly #held: ReadonlyMap<number, ReadonlySet<number>>;

	/** O(series of the cube). */
	constructor(engine: ModelEngine, origins: readonly KeptOrigin[]) {
		this.#engine = engine;
		this.#held = periodsHeld(engine, new Set(origins.filter(({ runs }) => runs.length > 0).map(({ id }) => id)));
	}

	/** @param within the periods (ids) that are asked for; all without */
	async of({ id, runs }: KeptOrigin, within?: ReadonlySet<number>): Promise<PeriodTrace[]> {
		const open = new Set([...(this.#held.get(id) ?? [])].filter((period) => within?.has(period) ?? true));
		const found: PeriodTrace[] = [];
		for (const run of runs) {
			if (open.size === 0) break;
			const traces = await tracesOf(this.#engine, run, id);
			const own = new Set<number>();
			for (const { sharings } of traces) for (const period of sharings.period) if (open.has(period)) own.add(period);
			for (const trace of traces) found.push({ trace, periods: own });
			for (const period of own) open.delete(period);
		}
		return found;
	}
}

function periodsHeld({ model, cube }: ModelEngine, origins: ReadonlySet<number>): Map<number, Set<number>> {
	const held = new Map<number, Set<number>>();
	const values = new Float64Array(cube.store.width);
	for (const { year, block } of cube.store.blocks())
		for (let series = 0; series < block.count && origins.size > 0; series++)
			for (const origin of cube.originsOf(block, series)) {
				if (!origins.has(origin)) continue;
				let periods = held.get(origin);
				if (!periods) held.set(origin, (periods = new Set()));
				cube.heldAt(block, series, origin, values);
				values.forEach((value, position) => {
					const leaf = isValue(value) ? model.periods.at(year, position) : undefined;
					if (leaf) periods.add(model.periods.dimension.member(leaf.ordinal).id);
				});
			}
	return held;
}
