import { imageSize } from 'image-size';
import { Fault } from '../fault';

const TYPES: Readonly<Record<string, string>> = { png: 'image/png', jpg: 'image/jpeg', webp: 'image/webp', gif: 'image/gif' };
/** On a side, in pixels: larger ones only take memory of whoever looks. */
const MOST_SIDE = 6_000;

/** What a picture is, by what is in it and not by what it is called. @throws Fault 422 where it is none that is shown */
export function pictureType(bytes: Uint8Array): string {
	try {
		const { type, width, height } = imageSize(bytes);
		const known = TYPES[type ?? ''];
		if (known && width <= MOST_SIDE && height <= MOST_SIDE) return known;
	} catch {
		// Not a picture at all: said as any other.
	}
	throw new Fault(422, 'no picture', `This is no PNG, JPEG, WebP or GIF of at most ${MOST_SIDE} pixels on a side. Nothing was kept.`);
}
