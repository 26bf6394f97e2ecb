import type { Database } from '../database';
import type { PackedDimension } from '../definition/package-format';

/** Those who work here: ids by address. */
export async function activePeople(database: Database): Promise<Map<string, number>> {
	const found = await database.query<{ email: string; id: number }>('SELECT email, id FROM person WHERE active');
	return new Map(found.rows.map(({ email, id }) => [email, id]));
}

/** Facts of a member without people who are not here; whoever was left out goes into `lost`. */
export function withoutLost(
	facts: PackedDimension['members'][number]['facts'],
	people: ReadonlyMap<string, number>,
	lost: Set<string>
): NonNullable<PackedDimension['members'][number]['facts']> {
	return Object.fromEntries(
		Object.entries(facts ?? {}).flatMap(([key, value]): [string, string | number | boolean][] => {
			if (key !== 'owner' && key !== 'reviewers') return [[key, value]];
			const named = String(value)
				.split(';')
				.map((email) => email.trim());
			for (const email of named) if (!people.has(email)) lost.add(email);
			const here = named.filter((email) => people.has(email));
			return here.length === 0 ? [] : [[key, here.join('; ')]];
		})
	);
}
