import type pg from 'pg';

/** Places of figures that are kept as they were: by table, what is needed to put them back. */
export interface KeptPlaces {
	places: { table: 'note' | 'detail_line' | 'cell_link'; id: number; place: number[] }[];
	methods: { place: number[]; method: unknown; person: number; at: string; filled: unknown }[];
}

/**
 * Takes one member out of the places at which something stands beside figures. Methods of rows that fall together go but
 * for the newest. @param axis which one, from 0. @returns how they were
 */
export async function narrowPlaces(client: pg.PoolClient, modelId: number, axis: number): Promise<KeptPlaces> {
	const places: KeptPlaces['places'] = [];
	for (const table of ['note', 'detail_line', 'cell_link'] as const) {
		const found = await client.query<{ id: number; place: number[] }>(`SELECT id, place FROM ${table} WHERE model_id = $1`, [modelId]);
		places.push(...found.rows.map((row) => ({ table, ...row })));
		await client.query(`UPDATE ${table} SET place = place[1:$2] || place[$3:] WHERE model_id = $1`, [modelId, axis, axis + 2]);
	}
	const methods = await client.query<KeptPlaces['methods'][number]>(
		'DELETE FROM row_method WHERE model_id = $1 RETURNING place, method, person_id AS person, at, filled',
		[modelId]
	);
	const newest = new Map<string, KeptPlaces['methods'][number]>();
	for (const method of methods.rows.sort((one, other) => Number(new Date(one.at)) - Number(new Date(other.at))))
		newest.set(method.place.toSpliced(axis, 1).join(), { ...method, place: method.place.toSpliced(axis, 1) });
	await addMethods(client, modelId, [...newest.values()]);
	return { places, methods: methods.rows };
}

/** Puts places back as they were; what was written since stands at a member of the dimension that is back. */
export async function restorePlaces(
	client: pg.PoolClient,
	modelId: number,
	{ places, methods }: KeptPlaces,
	since: { axis: number; member: number }
): Promise<void> {
	for (const table of ['note', 'detail_line', 'cell_link'] as const)
		await client.query(
			`UPDATE ${table} SET place = place[1:$2] || $3::integer || place[$4:] WHERE model_id = $1 AND NOT (id = ANY ($5::integer[]))`,
			[modelId, since.axis, since.member, since.axis + 1, places.filter((each) => each.table === table).map(({ id }) => id)]
		);
	for (const { table, id, place } of places)
		await client.query(`UPDATE ${table} SET place = $3 WHERE model_id = $1 AND id = $2`, [modelId, id, place]);
	await client.query('DELETE FROM row_method WHERE model_id = $1', [modelId]);
	await addMethods(client, modelId, methods);
}

async function addMethods(client: pg.PoolClient, modelId: number, methods: KeptPlaces['methods']): Promise<void> {
	for (const { place, method, person, at, filled } of methods)
		await client.query('INSERT INTO row_method (model_id, place, method, person_id, at, filled) VALUES ($1, $2, $3, $4, $5, $6)', [
			modelId,
			place,
			JSON.stringify(method),
			person,
			at,
			JSON.stringify(filled)
		]);
}
