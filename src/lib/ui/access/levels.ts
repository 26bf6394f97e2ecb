import type { GrantState } from '$lib/server/access';

/** What a grant lets one do, in words and as the letter of a matrix. */
export const LEVELS: Readonly<Record<GrantState['level'], string>> = { read: 'read', write: 'read and write', none: 'keep out' };
export const LETTERS: Readonly<Record<GrantState['level'], string>> = { read: 'r', write: 'w', none: '—' };
