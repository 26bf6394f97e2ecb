/** Series taken from one array at a time. */
const SERIES = 8_192;

/** Room for the values of many series: slices of few large arrays, as an array each costs more than the values in it. */
export class SeriesPool {
	readonly #width: number;
	#room = new Float64Array(0);
	#used = 0;

	constructor(width: number) {
		this.#width = width;
	}

	/** Places for one more series; whoever takes them fills them. */
	take(): Float64Array {
		if (this.#used === this.#room.length) {
			this.#room = new Float64Array(SERIES * this.#width);
			this.#used = 0;
		}
		return this.#room.subarray(this.#used, (this.#used += this.#width));
	}
}
