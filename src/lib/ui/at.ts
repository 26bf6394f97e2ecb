import { page } from '$app/state';

/** Requests that concern the person alone, whatever the model. */
const OF_NO_MODEL = new Set(['/api/theme', '/api/locale', '/api/marks']);

/** The address of a page, or of a request (`/api/…`), in the model this page is in: every address names its model. */
export function at(path: string): string {
	const model = encodeURIComponent(page.params.model ?? '');
	if (OF_NO_MODEL.has(path) || path.startsWith('/api/account/')) return path;
	return path.startsWith('/api/') ? `/api/m/${model}${path.slice(4)}` : `/m/${model}${path}`;
}
