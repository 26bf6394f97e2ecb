import { Fault } from '../fault';

/** How much a route takes, and what is said beyond it. */
export interface BodyLimit {
	bytes: number;
	words: string;
}

const inWords = (bytes: number): string =>
	bytes >= 1024 ** 3 ? `${bytes / 1024 ** 3} GB` : bytes >= 1024 ** 2 ? `${bytes / 1024 ** 2} MB` : `${bytes / 1024} kB`;

export const tooLarge = ({ bytes, words }: BodyLimit) => new Fault(413, 'too large', words.replace('%', inWords(bytes)));

/** Read and thrown away after the limit, so that the answer arrives before the line is cut. */
const THROWN_AWAY_BYTES = 64 * 1024 ** 2;
const THROWN_AWAY_MILLISECONDS = 5_000;

/** Lets whoever sends come to an end of it; who does not is cut off. */
async function letGo(reader: ReadableStreamDefaultReader<Uint8Array>): Promise<void> {
	const until = Date.now() + THROWN_AWAY_MILLISECONDS;
	try {
		for (let bytes = 0; bytes < THROWN_AWAY_BYTES && Date.now() < until;) {
			const { done, value } = await reader.read();
			if (done) return;
			bytes += value.byteLength;
		}
		await reader.cancel();
	} catch {
		// It is gone already.
	}
}

/**
 * The same request with a body that ends in a Fault once more bytes have come than the limit: counted as they arrive,
 * whatever the request says of its length. At most one piece beyond the limit is ever held.
 * @throws Fault 413 where the request itself says that it is too large
 */
export function limitBody(request: Request, limit: BodyLimit): Request {
	if (!request.body) return request;
	if (Number(request.headers.get('content-length') ?? 0) > limit.bytes) throw tooLarge(limit);
	const reader = request.body.getReader() as ReadableStreamDefaultReader<Uint8Array>;
	let taken = 0;
	const counted = new ReadableStream<Uint8Array>({
		async pull(controller) {
			const { done, value } = await reader.read();
			if (done) return controller.close();
			taken += value.byteLength;
			if (taken <= limit.bytes) return controller.enqueue(value);
			controller.error(tooLarge(limit));
			void letGo(reader);
		},
		cancel: (reason) => reader.cancel(reason)
	});
	// What else a request says (method, headers, signal) is taken over.
	return new Request(request, { body: counted, duplex: 'half' } as RequestInit);
}
