import type { Namer } from '$lib/server/cycle';

/** What a round can be made of. */
export interface RoundChoices {
	scenarios: { id: number; name: string; isOpen: boolean; from: number | null; to: number | null }[];
	periods: { id: number; name: string }[];
	dimensions: { id: number; name: string; kind: string }[];
	namers: (Namer & { words: string })[];
	forms: { id: number; name: string; checks: number }[];
	people: { id: number; name: string }[];
}
