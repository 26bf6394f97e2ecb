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
