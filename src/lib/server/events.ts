/** Server-sent events: streams of pages, how they are bounded, and how they end. */
import { isSessionOpen } from './session/open';

interface Stream {
	/** Whose it is, and the session it was opened in. */
	person: number;
	token: string;
	end: () => void;
}

const shared = globalThis as unknown as { eventStreams?: Set<Stream>; streamBeat?: NodeJS.Timeout };
const streams = (shared.eventStreams ??= new Set());

const BEAT_MILLISECONDS = 15_000;
/** A person has a page or two for each screen; beyond this the oldest page hears no more and asks again. */
const MOST_PER_PERSON = 12;

/** Ends every open stream. */
export const closeEventStreams = (): void => {
	for (const { end } of [...streams]) end();
};

/** Ends the streams of a session. */
export const closeStreamsOf = (token: string): void => {
	for (const stream of [...streams]) if (stream.token === token) stream.end();
};

export const streamsOpen = (): number => streams.size;

/** Streams end with their session: signed out elsewhere, run out, or of a person who was let go. */
async function endForgotten(): Promise<void> {
	for (const token of new Set([...streams].map((stream) => stream.token)))
		// What cannot be asked, while the database is away, stays.
		if ((await isSessionOpen(token).catch(() => true)) === false) closeStreamsOf(token);
}

/** What a stream sends with: an event, or the end where nothing more can be heard. */
export interface Sender {
	send: (event: string, data: unknown) => void;
	end: () => void;
}

/**
 * A response that stays open and sends events.
 * @param subscribe is given what to send with, and returns how to stop
 * @param beat is called with each heartbeat: to send again what the page must not have missed
 */
export function eventStream(
	{ person, token }: { person: number; token: string },
	subscribe: (sender: Sender) => () => void,
	beat?: (sender: Sender) => void
): Response {
	const encoder = new TextEncoder();
	let end = () => {};
	const body = new ReadableStream<Uint8Array>({
		start(controller) {
			let ended = false;
			let unsubscribe = () => {};
			const push = (text: string) => {
				if (!ended) controller.enqueue(encoder.encode(text));
			};
			const sender: Sender = { send: (event, data) => push(`event: ${event}\ndata: ${JSON.stringify(data)}\n\n`), end: () => end() };
			const timer = setInterval(() => {
				push(': beat\n\n');
				beat?.(sender);
			}, BEAT_MILLISECONDS);
			const stream: Stream = { person, token, end: () => end() };
			end = () => {
				if (ended) return;
				ended = true;
				clearInterval(timer);
				unsubscribe();
				streams.delete(stream);
				try {
					controller.close();
				} catch {
					// The reader has closed it already.
				}
			};
			const own = [...streams].filter((other) => other.person === person);
			for (const oldest of own.slice(0, Math.max(0, own.length + 1 - MOST_PER_PERSON))) oldest.end();
			streams.add(stream);
			shared.streamBeat ??= setInterval(() => void endForgotten(), BEAT_MILLISECONDS).unref();
			push('retry: 2000\n\n');
			unsubscribe = subscribe(sender);
			// Subscribing may have found at once that nothing can be heard.
			if (ended) unsubscribe();
		},
		cancel() {
			end();
		}
	});
	return new Response(body, { headers: { 'content-type': 'text/event-stream', 'cache-control': 'no-store, no-transform' } });
}
