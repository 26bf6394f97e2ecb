/** The median of `runs` timings in milliseconds, after one that does not count. */
export async function medianOf(runs: number, work: () => unknown): Promise<number> {
	await work();
	const times: number[] = [];
	for (let run = 0; run < runs; run++) {
		const from = performance.now();
		await work();
		times.push(performance.now() - from);
	}
	times.sort((a, b) => a - b);
	return times[Math.floor(times.length / 2)]!;
}

/** The medians of two kinds of work done in turns, so that a slow moment meets both; after a fifth of the runs that do not count. */
export async function inTurns(runs: number, one: () => unknown, other: () => unknown): Promise<[number, number]> {
	const times: [number[], number[]] = [[], []];
	for (let run = -Math.ceil(runs / 5); run < runs; run++)
		for (const [kind, work] of [one, other].entries()) {
			const from = performance.now();
			await work();
			if (run >= 0) times[kind]!.push(performance.now() - from);
		}
	const [left, right] = times.map((each) => each.sort((a, b) => a - b)[Math.floor(runs / 2)]!);
	return [left!, right!];
}

/** One line of the table: ours against a peer in the same run. */
export interface Measure {
	name: string;
	/** Milliseconds, medians. */
	ours: number;
	peer: number;
	ratio: number;
	/** The ratio we want to stay at or below. */
	aim: number;
}

export const measure = (name: string, ours: number, peer: number, aim: number): Measure => ({ name, ours, peer, ratio: ours / peer, aim });
