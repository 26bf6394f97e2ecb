import { stringify } from 'csv-stringify/sync';
import Cursor from 'pg-cursor';
import { Model } from '../../../core';
import { pool } from '../../database';
import { readModelDefinition } from '../../database/definitions';
import { Fault } from '../../fault';

const ROWS_AT_ONCE = 5_000;

/**
 * The stored leaf amounts of a slice of another model as CSV: a column per dimension with codes, the first day of the
 * period, the amount. Entries stand above proposals, additions come on top; results of live formulas are not stored and
 * not among them.
 * @param slice members (ids) by dimension id; all under them count
 * @throws Fault when the model is gone
 */
export async function* modelRows(modelId: number, slice: Readonly<Record<string, readonly number[]>>): AsyncGenerator<Uint8Array> {
	const definition = await readModelDefinition(pool(), modelId);
	if (!definition) throw new Fault(422, 'no model', 'The model these rows come from is not there any more. Choose another.');
	const model = new Model(definition);
	const conditions: string[] = [];
	const values: number[][] = [];
	for (const dimension of model.dimensions) {
		const wanted = slice[dimension.id];
		if (!wanted || wanted.length === 0) continue;
		const leaves = wanted.flatMap((member) => {
			const ordinal = dimension.ordinal(member);
			return ordinal === undefined ? [] : dimension.leavesOf(ordinal).map((leaf) => dimension.member(leaf).id);
		});
		values.push([...new Set(leaves)]);
		conditions.push(`c.d${Math.trunc(dimension.id)} = ANY ($${values.length})`);
	}
	const periods = wantedPeriods(model, slice[model.periods.dimension.id] ?? []);
	const keys = model.dimensions.map(({ id }) => `c.d${Math.trunc(id)}`);
	const statement = `
		SELECT ${keys.join(', ')}, c.fiscal_year, a.place,
			coalesce(max(a.amount) FILTER (WHERE o.mode = 'entry'), sum(a.amount) FILTER (WHERE o.mode = 'proposes'), 0)
				+ coalesce(sum(a.amount) FILTER (WHERE o.mode = 'adds'), 0) AS amount
		FROM cells_${Math.trunc(modelId)} c JOIN origin o ON o.id = c.origin_id
		CROSS JOIN LATERAL unnest(c.amounts) WITH ORDINALITY AS a (amount, place)
		WHERE a.amount IS NOT NULL ${conditions.map((condition) => `AND ${condition}`).join(' ')}
		GROUP BY ${keys.join(', ')}, c.fiscal_year, a.place`;
	const client = await pool().connect();
	try {
		yield Buffer.from(stringify([[...model.dimensions.map(({ name }) => name), model.periods.dimension.name, 'Amount']]));
		const cursor = client.query(new Cursor<number[]>(statement, values, { rowMode: 'array' }));
		for (;;) {
			const rows = await cursor.read(ROWS_AT_ONCE);
			if (rows.length === 0) break;
			const written = rows.flatMap((row) => {
				const leaf = model.periods.at(row[keys.length]!, row[keys.length + 1]! - 1);
				if (!leaf || (periods && !periods.has(leaf.index))) return [];
				const codes = model.dimensions.map((dimension, axis) => {
					const ordinal = dimension.ordinal(row[axis]!);
					return ordinal === undefined ? '' : dimension.member(ordinal).code;
				});
				return [[...codes, leaf.start, String(row[keys.length + 2])]];
			});
			if (written.length > 0) yield Buffer.from(stringify(written));
		}
		await cursor.close();
	} finally {
		client.release();
	}
}

function wantedPeriods(model: Model, members: readonly number[]): Set<number> | undefined {
	if (members.length === 0) return undefined;
	const wanted = new Set<number>();
	for (const member of members) {
		const ordinal = model.periods.dimension.ordinal(member);
		if (ordinal === undefined) continue;
		const { from, to } = model.periods.range(ordinal);
		for (let index = from; index <= to; index++) wanted.add(index);
	}
	return wanted;
}
