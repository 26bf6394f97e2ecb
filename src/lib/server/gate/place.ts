/**
 * Where to go after signing in: only places of this application, read the way a browser reads an address.
 * @param wanted what the address asks for
 * @param origin of this application
 */
export function ownPlace(wanted: string | null, origin: string): string {
	if (wanted === null || !wanted.startsWith('/')) return '/';
	let place: URL;
	try {
		place = new URL(wanted, origin);
	} catch {
		return '/';
	}
	// Browsers drop tabs and line ends, and read a backslash as a stroke: what is left decides.
	if (place.origin !== origin || place.pathname.startsWith('//')) return '/';
	return place.pathname + place.search + place.hash;
}
