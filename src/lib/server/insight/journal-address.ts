/** The journal by its address. */
import { journalSchema, type JournalAsk } from './journal';

/** What an address asks of the journal; undefined where it makes no sense. */
export function journalAsk(parameters: URLSearchParams): JournalAsk | undefined {
	const one = (name: string) => parameters.get(name) || undefined;
	const number = (name: string) => (one(name) === undefined ? undefined : Number(one(name)));
	return journalSchema.safeParse({
		of: one('of'),
		kind: one('kind'),
		person: number('person'),
		from: one('from'),
		to: one('to'),
		text: one('text'),
		members: one('members')?.split('.').map(Number),
		least: number('least'),
		before: one('before')
	}).data;
}
