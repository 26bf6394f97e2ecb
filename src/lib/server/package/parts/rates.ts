import type pg from 'pg';
import { spansOf } from '../../structure/rate-spans';
import { changedLines, storeLines } from '../../structure/rate-changes';
import { addCurrencies } from '../../structure/new-model';
import type { ModelPackage } from '../../definition/package-format';
import { countUpStructure } from '../../database/structure-version';
import type { Part } from './part';

type PackedRates = ModelPackage['rates'][number];
type RateLines = Awaited<ReturnType<typeof spansOf>>;

/** Rate sets are shared by models: one of its name that says the same is shared, another one of its name gets a free name. */
export const ratesPart: Part<PackedRates> = {
	what: 'rate set',
	items: ({ rates }) => rates,
	nameOf: ({ name }) => name,
	async put({ client, rateSets }, { name, pivot, rates }, isNew) {
		await addCurrencies(client, [...new Set([pivot, ...rates.map(({ currency }) => currency)])]);
		const after: RateLines = new Map();
		for (const { currency, kind, from, to, value } of rates) {
			const key = `${currency} ${kind}`;
			after.set(key, [...(after.get(key) ?? []), { from, to, value }]);
		}
		for (const spans of after.values()) spans.sort((one, other) => (one.from < other.from ? -1 : 1));
		const known = isNew ? await sameSet(client, name, pivot, after) : rateSets.get(name);
		if (isNew && known) {
			rateSets.set(name, known);
			return { kind: 'rate set', id: known.id };
		}
		const { id } = known ?? (await newSet(client, name, pivot));
		if (!known) rateSets.set(name, { id, name });
		await storeLines(client, id, linesToStore(await spansOf(client, id), after));
		if (!isNew) {
			await client.query('UPDATE rate_set SET version = version + 1 WHERE id = $1', [id]);
			await countUpStructure(client, 'all', 'rates');
		}
		return { kind: 'rate set', id };
	}
};

/** The lines that differ, those that are to go included. */
function linesToStore(before: RateLines, after: RateLines) {
	const all = new Map(after);
	for (const key of before.keys()) if (!all.has(key)) all.set(key, []);
	return changedLines(before, all);
}

/** The set of a name, where it says the same: models share it. */
async function sameSet(
	client: pg.PoolClient,
	name: string,
	pivot: string,
	rates: RateLines
): Promise<{ id: number; name: string } | undefined> {
	const found = await client.query<{ id: number; name: string }>('SELECT id, name FROM rate_set WHERE name = $1 AND pivot = $2', [
		name,
		pivot
	]);
	const set = found.rows[0];
	return set && linesToStore(await spansOf(client, set.id), rates).length === 0 ? set : undefined;
}

async function newSet(client: pg.PoolClient, name: string, pivot: string): Promise<{ id: number }> {
	const taken = new Set((await client.query<{ name: string }>('SELECT name FROM rate_set')).rows.map((row) => row.name));
	let free = name;
	for (let number = 2; taken.has(free); number++) free = `${name} ${number}`;
	return (await client.query<{ id: number }>('INSERT INTO rate_set (name, pivot) VALUES ($1, $2) RETURNING id', [free, pivot])).rows[0]!;
}
