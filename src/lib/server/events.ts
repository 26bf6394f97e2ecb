// Server-sent events, and a way to end all of them when the server stops.
const shared = globalThis as unknown as { eventStreams?: Set<() => void> };
const streams = (shared.eventStreams ??= new Set());

const BEAT_MILLISECONDS = 15_000;

/** Ends every open stream. */
export const closeEventStreams = (): void => {
	for (const end of [...streams]) end();
};

/**
 * A response that stays open and sends events.
 * @param subscribe is given the function to send with, and returns how to stop
 */
export function eventStream(subscribe: (send: (event: string, data: unknown) => void) => () => void): Response {
	const encoder = new TextEncoder();
	let end = () => {};
	const body = new ReadableStream<Uint8Array>({
		start(controller) {
			let ended = false;
			let unsubscribe = () => {};
			const push = (text: string) => {
				if (!ended) controller.enqueue(encoder.encode(text));
			};
			const beat = setInterval(() => push(': beat\n\n'), BEAT_MILLISECONDS);
			end = () => {
				if (ended) return;
				ended = true;
				clearInterval(beat);
				unsubscribe();
				streams.delete(end);
				try {
					controller.close();
				} catch {
					// The reader has closed it already.
				}
			};
			streams.add(end);
			push('retry: 2000\n\n');
			unsubscribe = subscribe((event, data) => push(`event: ${event}\ndata: ${JSON.stringify(data)}\n\n`));
		},
		cancel() {
			end();
		}
	});
	return new Response(body, { headers: { 'content-type': 'text/event-stream', 'cache-control': 'no-cache, no-transform' } });
}
