import type pg from 'pg';
import { pool } from '../database';
import { requirePermission, type SignedIn } from '../session';
import { planChange, type AccessChange } from './change';
import { grantedPeople, reachOf } from './reach';

/** What a change of grants would give somebody, or take from them, at the members of a dimension. */
export interface EffectOnPerson {
	name: string;
	lines: { words: 'may write' | 'may read' | 'no longer writes' | 'no longer reads'; members: string[]; count: number }[];
}

/** People that are looked at; of a larger group the others are counted. */
const MOST_PEOPLE = 40;
const MOST_NAMES = 6;

/**
 * What a change would do to people, before it is made: done in a transaction, looked at, and undone.
 * @param dimension (id) at whose leaves
 * @throws Fault as the change itself would
 */
export async function effectOfChange(
	person: SignedIn | undefined,
	modelId: number,
	{ change, dimension }: { change: AccessChange; dimension: number }
): Promise<{ people: EffectOnPerson[]; others: number; touched: number }> {
	requirePermission(person, 'access.write');
	const touched = await peopleOf(pool(), change);
	const looked = touched.slice(0, MOST_PEOPLE);
	const before = await grantedPeople(pool(), modelId, looked);
	const after = await planChange(person, modelId, change, (client) => grantedPeople(client, modelId, looked));
	const both = await reachOf(pool(), modelId, dimension, [...before, ...after], true);
	const people = before.map(({ name }, index): EffectOnPerson => {
		const [was, is] = [both.levels[index]!, both.levels[before.length + index]!];
		const where = (holds: (was: number, is: number) => boolean) =>
			both.members.filter((_, place) => holds(was[place]!, is[place]!)).map((member) => member.name);
		const lines = (
			[
				['may write', where((one, other) => one < 2 && other === 2)],
				['may read', where((one, other) => one === 0 && other === 1)],
				['no longer writes', where((one, other) => one === 2 && other === 1)],
				['no longer reads', where((one, other) => one > 0 && other === 0)]
			] as const
		).flatMap(([words, names]) => (names.length > 0 ? [{ words, members: names.slice(0, MOST_NAMES), count: names.length }] : []));
		return { name, lines };
	});
	return { people: people.filter(({ lines }) => lines.length > 0), others: touched.length - looked.length, touched: touched.length };
}

/** Whom a change of a grant is about: its holder, or everybody in the group, before and after. */
async function peopleOf(database: pg.Pool, { before, after }: AccessChange): Promise<number[]> {
	const holders = [before, after].flatMap((state) => {
		const holder = (state as { holder?: { person?: unknown; group?: unknown } } | null | undefined)?.holder;
		return holder ? [holder] : [];
	});
	const numbers = (key: 'person' | 'group') => holders.flatMap((holder) => (Number.isInteger(holder[key]) ? [holder[key] as number] : []));
	const found = await database.query<{ id: number }>(
		`SELECT id FROM person WHERE active AND (id = ANY ($1::integer[]) OR id IN (SELECT person_id FROM people_group_member WHERE group_id = ANY ($2::integer[])))
		ORDER BY name`,
		[numbers('person'), numbers('group')]
	);
	return found.rows.map(({ id }) => id);
}
