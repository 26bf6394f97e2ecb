/**
 * A seeded generator of numbers in [0, 1): the same seed gives the same demo every time.
 * Source: mulberry32 by Tommy Ettinger, public domain.
 */
export function seededRandom(seed: number): () => number {
	let state = seed >>> 0;
	return () => {
		state = (state + 0x6d2b79f5) >>> 0;
		let mixed = Math.imul(state ^ (state >>> 15), state | 1);
		mixed ^= mixed + Math.imul(mixed ^ (mixed >>> 7), mixed | 61);
		return ((mixed ^ (mixed >>> 14)) >>> 0) / 4_294_967_296;
	};
}

/** A seed from a text. */
export function seedOf(text: string): number {
	let hash = 2_166_136_261;
	for (let index = 0; index < text.length; index++) hash = Math.imul(hash ^ text.charCodeAt(index), 16_777_619);
	return hash >>> 0;
}
