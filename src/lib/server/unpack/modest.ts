import JSZip from 'jszip';
import { Fault } from '../fault';

/** What a packed file may come to. */
export interface Modesty {
	/** Bytes of all its parts, inflated. */
	bytes: number;
	/** Cells of all its sheets. */
	cells: number;
	parts: number;
	/** What is said beyond. */
	words: string;
}

const MARK = '<c';

/** Counts cells of a sheet as its text goes by; a mark may be cut by the end of a piece. */
export class CellCounter {
	count = 0;
	#cut = '';

	take(piece: Uint8Array): void {
		const text = this.#cut + Buffer.from(piece.buffer, piece.byteOffset, piece.byteLength).toString('latin1');
		for (let at = text.indexOf(MARK); at >= 0; at = text.indexOf(MARK, at + 1)) {
			const next = text[at + MARK.length];
			if (next === undefined) {
				this.#cut = MARK;
				return;
			}
			if (next === ' ' || next === '>' || next === '/' || next === '\n' || next === '\t' || next === '\r') this.count++;
		}
		this.#cut = text.endsWith('<') ? '<' : '';
	}
}

/**
 * Opens a zip and inflates all of it once, keeping nothing, so that what it comes to is counted and not believed.
 * @throws Fault 413 beyond a limit, 422 when it is no zip
 */
export async function openModestly(packed: Uint8Array, most: Modesty, notReadable: () => Fault): Promise<JSZip> {
	let zip: JSZip;
	try {
		zip = await JSZip.loadAsync(packed);
	} catch {
		throw notReadable();
	}
	const tooLarge = () => new Fault(413, 'too large', most.words);
	const entries = Object.values(zip.files).filter(({ dir }) => !dir);
	if (entries.length > most.parts) throw tooLarge();
	let bytes = 0;
	let cells = 0;
	for (const entry of entries) {
		const counter = /\/worksheets\/[^/]+\.xml$/i.test(entry.name) ? new CellCounter() : undefined;
		await new Promise<void>((done, failed) => {
			// Not in its types: the stream that keeps nothing.
			const stream = (entry as unknown as { internalStream: (type: 'uint8array') => InflatedStream }).internalStream('uint8array');
			stream
				.on('data', (piece) => {
					bytes += piece.byteLength;
					counter?.take(piece);
					if (bytes <= most.bytes && cells + (counter?.count ?? 0) <= most.cells) return;
					stream.pause();
					failed(tooLarge());
				})
				.on('error', () => failed(notReadable()))
				.on('end', () => done())
				.resume();
		});
		cells += counter?.count ?? 0;
	}
	return zip;
}

interface InflatedStream {
	on(event: 'data', take: (piece: Uint8Array) => void): InflatedStream;
	on(event: 'error', take: (error: Error) => void): InflatedStream;
	on(event: 'end', take: () => void): InflatedStream;
	pause(): void;
	resume(): void;
}
