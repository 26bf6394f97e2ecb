import { page } from '$app/state';
import { staysInBranch } from './branch/in-branch';

/** Requests that concern the person alone, whatever the model. */
const OF_NO_MODEL = new Set(['/api/theme', '/api/locale', '/api/marks']);

/** The address of a page, or of a request (`/api/…`), in the model this page is in, and its branch: every address names them. */
export function at(path: string): string {
	const here = page.params.model ?? '';
	if (OF_NO_MODEL.has(path) || path.startsWith('/api/account/')) return path;
	if (path.startsWith('/api/')) return `/api/m/${encodeURIComponent(here)}${path.slice(4)}`;
	return `/m/${encodeURIComponent(staysInBranch(path) ? here : planOf(here))}${path}`;
}

/** The model an address names, without the branch. */
const planOf = (model: string): string => model.replace(/~\d+$/, '');

/** The address of a page of the plan, or of a branch of it. */
export const atBranch = (branch: number | null, path: string): string =>
	`/m/${encodeURIComponent(planOf(page.params.model ?? '') + (branch === null ? '' : `~${branch}`))}${path}`;
