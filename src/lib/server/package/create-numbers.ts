import type pg from 'pg';
import { NOTHING } from '../../core';
import { lockModel, postChangeSet } from '../database/change-set';
import { Fault } from '../fault';
import { codedAccounts, NOTHING_PACKED, type ModelPackage, type PackedSeries } from '../definition/package-format';
import type { Made } from './made';

/** The numbers that some texts are kept as. */
async function textsOf(client: pg.PoolClient, texts: readonly string[]): Promise<Map<string, number>> {
	const wanted = [...new Set(texts)];
	if (wanted.length === 0) return new Map();
	await client.query('INSERT INTO text_value (value) SELECT unnest($1::text[]) ON CONFLICT (value) DO NOTHING', [wanted]);
	const found = await client.query<{ id: number; value: string }>('SELECT id, value FROM text_value WHERE value = ANY ($1)', [wanted]);
	return new Map(found.rows.map(({ id, value }) => [value, id]));
}

/** Stores the numbers of a package under one change set. @throws Fault 422 naming the line that does not fit */
export async function createNumbers(
	client: pg.PoolClient,
	modelId: number,
	person: number,
	packed: ModelPackage,
	made: ReadonlyMap<string, Made>,
	origins: ReadonlyMap<string, number>,
	numbers: readonly PackedSeries[]
): Promise<void> {
	await lockModel(client, modelId);
	const addressed = packed.model.dimensions.map((key) => made.get(key)!).filter(({ kind }) => kind !== 'period');
	const accountAxis = addressed.findIndex(({ kind }) => kind === 'account');
	const coded = codedAccounts(packed);
	const texts = await textsOf(
		client,
		numbers.flatMap(({ members, amounts }) => {
			const account = coded.get(members[accountAxis]!);
			return account && account.chosenFrom === undefined ? amounts.filter((amount) => typeof amount === 'string') : [];
		})
	);
	let cells = 0;
	// Older than anything that is written here: places between 0 and 1, in the order in which they were written there.
	const revisions = [...new Set(numbers.flatMap(({ written }) => written))].sort((one, other) => one - other);
	const ageOf = new Map(revisions.map((revision, place) => [revision, (place + 1) / (revisions.length + 1)]));
	const series = numbers.map(({ origin, members, year, amounts, written }, index) => {
		const id = origins.get(origin);
		const address = members.map((code, axis) => addressed[axis]!.ids.get(code));
		if (id === undefined || address.some((member) => member === undefined))
			throw new Fault(422, 'not understood', `numbers.csv, line ${index + 2}: an origin or a member is not in the package.`);
		cells += amounts.filter((amount) => amount !== null).length;
		return {
			origin: id,
			members: address as number[],
			year,
			before: new Float64Array(amounts.length).fill(Number.NaN),
			...(written.length > 0 && { stamps: Float64Array.from(amounts, (_, place) => ageOf.get(written[place] ?? written[0]!)!) }),
			amounts: Float64Array.from(amounts, (amount) => {
				if (amount === NOTHING_PACKED) return NOTHING;
				if (typeof amount !== 'string') return amount ?? Number.NaN;
				const chosenFrom = coded.get(members[accountAxis]!)?.chosenFrom;
				const value = chosenFrom === undefined ? texts.get(amount) : made.get(chosenFrom)?.ids.get(amount);
				if (value === undefined)
					throw new Fault(422, 'not understood', `numbers.csv, line ${index + 2}: “${amount.slice(0, 100)}” is not among the choices.`);
				return value;
			})
		};
	});
	await postChangeSet(
		client,
		{ modelId, person, kind: 'structure', through: 'Model package', cells },
		addressed.map(({ id }) => id),
		series
	);
}
