import { Fault } from '../fault';

/** How much a route takes, and what is said beyond it. */
export interface BodyLimit {
	bytes: number;
	words: string;
}

const inWords = (bytes: number): string =>
	bytes >= 1024 ** 3 ? `${bytes / 1024 ** 3} GB` : bytes >= 1024 ** 2 ? `${bytes / 1024 ** 2} MB` : `${bytes / 1024} kB`;

export const tooLarge = ({ bytes, words }: BodyLimit) => new Fault(413, 'too large', words.replace('%', inWords(bytes)));

/**
 * The same request with a body that ends in a Fault once more bytes have come than the limit: counted as they arrive,
 * whatever the request says of its length. At most one piece beyond the limit is ever held.
 * @throws Fault 413 where the request itself says that it is too large
 */
export function limitBody(request: Request, limit: BodyLimit): Request {
	if (!request.body) return request;
	if (Number(request.headers.get('content-length') ?? 0) > limit.bytes) throw tooLarge(limit);
	let taken = 0;
	const counted = request.body.pipeThrough(
		new TransformStream<Uint8Array, Uint8Array>({
			transform(piece, controller) {
				taken += piece.byteLength;
				if (taken > limit.bytes) controller.error(tooLarge(limit));
				else controller.enqueue(piece);
			}
		})
	);
	// What else a request says (method, headers, signal) is taken over.
	return new Request(request, { body: counted, duplex: 'half' } as RequestInit);
}
