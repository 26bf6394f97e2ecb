// Opening a model cold: all cells out of PostgreSQL into a cube.
import type pg from 'pg';
import { to as copyTo } from 'pg-copy-streams';
import { Cube } from '../src/lib/core';
import { createCellTable, readAllSeries, writeSeries } from '../src/lib/server/database/cells';
import { transaction } from '../src/lib/server/database/pool';
import type { StoredSeries } from '../src/lib/server/database/series';
import { withPostgres } from './application';
import type { BenchData } from './data';
import { millions } from './open-form';
import { measure, medianOf, type Measure } from './timing';

/** Ours: a binary COPY of the series into a fresh cube. Peer: COPY … TO of a row-per-cell table, its bytes thrown away. */
export const openCold = (data: BenchData): Promise<Measure> => withPostgres((pool) => compare(data, pool));

async function compare(data: BenchData, pool: pg.Pool): Promise<Measure> {
	const { model, cube } = data;
	const ids = model.dimensions.map(({ id }) => id);
	// The view for reporting names tables of definitions that are not here, and stamps are those of change sets.
	await pool.query(
		`CREATE TABLE member (id integer, code text);
		CREATE TABLE origin (id integer, name text);
		CREATE TABLE change_set (model_id integer, number bigint, revision integer, PRIMARY KEY (model_id, number));
		INSERT INTO change_set VALUES (1, 1, 1)`
	);
	await createCellTable(
		pool,
		1,
		model.dimensions.map(({ id, code }) => ({ id, code }))
	);
	await transaction((client) => writeSeries(client, 1, ids, 1, stored(data)), pool);
	await pool.query(
		`CREATE TABLE cell AS SELECT ${ids.map((id) => `d${id}`).join(', ')}, fiscal_year * 12 + place AS period, amount FROM cells_1, unnest(amounts) WITH ORDINALITY AS a (amount, place) WHERE amount IS NOT NULL`
	);
	const ours = () =>
		transaction(async (client) => {
			const opened = new Cube(model);
			const address = new Int32Array(ids.length);
			await readAllSeries(client, 1, ids, ({ members, year, origin, amounts }) => {
				for (let axis = 0; axis < ids.length; axis++) address[axis] = model.dimensions[axis]!.ordinal(members[axis]!)!;
				opened.writeSeries(origin, address, year, amounts);
			});
			if (opened.cells !== cube.cells) throw new Error(`${opened.cells} cells came back of ${cube.cells}.`);
		}, pool);
	const peer = () =>
		transaction(async (client) => {
			let bytes = 0;
			for await (const chunk of client.query(copyTo('COPY cell TO STDOUT (FORMAT binary)'))) bytes += (chunk as Buffer).length;
			return bytes;
		}, pool);
	return measure(
		`open a model of ${millions(data)} cells cold (peer: PostgreSQL COPY)`,
		await medianOf(7, ours),
		await medianOf(7, peer),
		1
	);
}

function* stored({ model, cube }: BenchData): Generator<StoredSeries> {
	const address = new Int32Array(model.dimensions.length);
	for (const { year, block } of cube.store.blocks())
		for (let series = 0; series < block.count; series++) {
			block.readAddress(series, address);
			const members = model.dimensions.map((dimension, axis) => dimension.member(address[axis]!).id);
			yield { origin: 2, members, year, amounts: block.values.slice(series * block.width, (series + 1) * block.width) };
		}
}
