/** Rates set, looked at before they are, and taken back. */
import type pg from 'pg';
import { z } from 'zod';
import { isDate } from '../../core';
import { pool, transaction, type Database } from '../database';
import { askRunner, type EffectLine } from '../engine';
import { guardClosed } from '../locks';
import { Fault, notFound } from '../fault';
import { requirePermission, type SignedIn } from '../session';
import { spansOf, withSpan, type RateKindStored, type RateSpan } from './rate-spans';
import { countUpStructure, modelVersions } from '../database/structure-version';
import { writeJournal } from '../definition/journal';

const currency = z.string().regex(/^[A-Z]{3}$/);
export const ratesSchema = z.object({
	/** The version the page showed. */
	version: z.number().int(),
	/** Rates to set; an existing span that meets a new one of the same line is replaced, cut where it only overlaps. Null takes rates away. */
	rates: z
		.array(
			z.object({
				currency,
				kind: z.enum(['average', 'closing', 'historical']),
				from: z.string().max(20),
				to: z.string().max(20),
				value: z.number().nullable()
			})
		)
		.min(1)
		.max(50_000)
});

export type RateToSet = z.infer<typeof ratesSchema>['rates'][number];

type Lines = Map<string, RateSpan[]>;

/** A line of a set (“EUR average”) before and after; null where it had, or has, nothing. */
interface ChangedLine {
	key: string;
	before: RateSpan[];
	after: RateSpan[];
}

/** What setting rates would change: each stretch with its rate before and after, and the figures it moves most. */
export interface RatePreview {
	changes: { currency: string; kind: RateKindStored; from: string; to: string; before: number | null; after: number | null }[];
	/** Of those, how many there are in all. */
	count: number;
	effect: EffectLine[];
}

/** Changes told of a preview. */
const MOST_TOLD = 60;

/** Sets rates of a set. @throws Fault 409 when somebody changed the set meanwhile, 422 naming the first faulty rate */
export async function setRates(
	person: SignedIn | undefined,
	modelId: number,
	setId: number,
	{ version, rates }: z.infer<typeof ratesSchema>
): Promise<{ version: number }> {
	const writer = requirePermission(person, 'structure.write');
	return transaction(async (client) => {
		const set = await lockSet(client, setId, version);
		const changed = await changedBy(client, set, rates);
		if (changed.length === 0) return { version };
		await storeLines(client, setId, changed);
		await writeJournal(client, {
			person: writer.id,
			modelId,
			dimensionId: null,
			words: `Changed rates of ${currenciesIn(changed)} in “${set.name}”`,
			objects: changed.map(({ key, before, after }) => ({ kind: 'rate set' as const, id: setId, name: key, before, after }))
		});
		return { version: await counted(client, setId) };
	});
}

/** What setting rates would change, and the totals of this model that would move most. Nothing is written. */
export async function previewRates(
	person: SignedIn | undefined,
	modelId: number,
	setId: number,
	{ version, rates }: z.infer<typeof ratesSchema>
): Promise<RatePreview> {
	requirePermission(person, 'structure.write');
	const set = await readSet(pool(), setId, version, '');
	const changed = await changedBy(pool(), set, rates);
	const changes = changed.flatMap(({ key, before, after }) => {
		const [code, kind] = key.split(' ') as [string, RateKindStored];
		const told = rates.filter((rate) => rate.currency === code && rate.kind === kind);
		const at = (spans: readonly RateSpan[], day: string) => spans.find(({ from, to }) => from <= day && to >= day)?.value ?? null;
		return told.flatMap(({ from, to }) => {
			const [was, is] = [at(before, to), at(after, to)];
			return was === is ? [] : [{ currency: code, kind, from, to, before: was, after: is }];
		});
	});
	const lines = await spansOf(pool(), setId);
	for (const { key, after } of changed) lines.set(key, after);
	const versions = await modelVersions(pool(), modelId);
	const effect = await askRunner(modelId, 'effect', {
		...versions,
		dimension: null,
		nodes: [],
		accounts: [],
		balanceRoles: undefined,
		rateSet: {
			id: setId,
			name: set.name,
			pivot: set.pivot,
			rates: [...lines].flatMap(([key, spans]) => {
				const [code, kind] = key.split(' ') as [string, RateKindStored];
				return spans.map((span) => ({ currency: code, kind, ...span }));
			})
		},
		changed: []
	});
	return { changes: changes.slice(0, MOST_TOLD), count: changes.length, effect };
}

/** The last change of each rate set's rates that still stands and is not itself a taking back. */
export async function lastRateChanges(database: Database): Promise<Map<number, { change: number; words: string }>> {
	const found = await database.query<{ set: number; change: number; words: string }>(
		`SELECT DISTINCT ON (o.object_id) o.object_id AS set, c.id AS change, c.words
		FROM structure_change_object o JOIN structure_change c ON c.id = o.change_id
		WHERE o.kind = 'rate set' AND jsonb_typeof(o.after) = 'array' AND c.undone_by IS NULL
			AND NOT EXISTS (SELECT FROM structure_change u WHERE u.undone_by = c.id)
		ORDER BY o.object_id, c.id DESC`
	);
	return new Map(found.rows.map(({ set, ...last }) => [set, last]));
}

/** Takes back the last change of a rate set's rates. @throws Fault 409 where its rates were changed since, 422 without one */
export async function undoRates(
	person: SignedIn | undefined,
	modelId: number,
	setId: number,
	{ version }: { version: number }
): Promise<{ version: number; words: string }> {
	const writer = requirePermission(person, 'structure.write');
	return transaction(async (client) => {
		const set = await lockSet(client, setId, version);
		const last = (await lastRateChanges(client)).get(setId);
		if (!last) throw new Fault(422, 'not possible', 'There is nothing to take back.');
		const lines = await client.query<{ name: string; before: RateSpan[] | null; after: RateSpan[] | null }>(
			"SELECT name, before, after FROM structure_change_object WHERE change_id = $1 AND kind = 'rate set' AND object_id = $2",
			[last.change, setId]
		);
		const now = await spansOf(client, setId);
		const changed = lines.rows.map(({ name, before, after }) => ({ key: name, before: after ?? [], after: before ?? [] }));
		const moved = changed.find(({ key, before }) => !isSame(now.get(key) ?? [], before));
		if (moved) throw new Fault(409, 'conflict', `The rates of ${moved.key} were changed since, so this cannot be taken back as a whole.`);
		await storeLines(client, setId, changed);
		const words = `Took back: ${last.words}`;
		const change = await writeJournal(client, {
			person: writer.id,
			modelId,
			dimensionId: null,
			words,
			objects: changed.map(({ key, before, after }) => ({ kind: 'rate set' as const, id: setId, name: key, before, after }))
		});
		await client.query('UPDATE structure_change SET undone_by = $2 WHERE id = $1', [last.change, change]);
		return { version: await counted(client, set.id), words };
	});
}

interface StoredSet {
	id: number;
	name: string;
	pivot: string;
	version: number;
}

const lockSet = (client: pg.PoolClient, setId: number, version: number) => readSet(client, setId, version, ' FOR UPDATE');

async function readSet(database: Database, setId: number, version: number, lock: string): Promise<StoredSet> {
	const set = (await database.query<StoredSet>(`SELECT id, name, pivot, version FROM rate_set WHERE id = $1${lock}`, [setId])).rows[0];
	if (!set) throw notFound('rate set');
	if (set.version !== version)
		throw new Fault(409, 'conflict', 'Somebody else changed these rates meanwhile. They are shown anew; make your change again.');
	return set;
}

/** The lines of a set that would be others. @throws Fault 422 naming the first faulty rate */
async function changedBy(database: Database, set: StoredSet, rates: readonly RateToSet[]): Promise<ChangedLine[]> {
	for (const { currency: code, kind, from, to, value } of rates) {
		const where = `${code} ${kind} ${from}`;
		if (!isDate(from) || !isDate(to)) throw new Fault(422, 'not possible', `${where}: dates are written like 2027-04-01.`);
		if (to < from) throw new Fault(422, 'not possible', `${where}: it ends before it begins.`);
		if (value !== null && !(value > 0 && value < 1e12)) throw new Fault(422, 'not possible', `${where}: a rate is a number above 0.`);
	}
	const known = new Set((await database.query<{ code: string }>('SELECT code FROM currency')).rows.map(({ code }) => code));
	const unknown = rates.find(({ currency: code }) => !known.has(code) || code === set.pivot);
	if (unknown)
		throw new Fault(
			422,
			'not possible',
			unknown.currency === set.pivot
				? `Rates are for one ${set.pivot}, so ${set.pivot} has none itself.`
				: `${unknown.currency} is not used by any model.`
		);
	const before: Lines = await spansOf(database, set.id);
	const after = new Map(before);
	for (const { currency: code, kind, from, to, value } of rates) {
		const key = `${code} ${kind}`;
		after.set(key, withSpan(after.get(key) ?? [], { from, to }, value));
	}
	return changedLines(before, after);
}

/** The lines that differ. */
export const changedLines = (before: Lines, after: Lines): ChangedLine[] =>
	[...after]
		.map(([key, spans]) => ({ key, before: before.get(key) ?? [], after: spans }))
		.filter((line) => !isSame(line.before, line.after));

const isSame = (one: readonly RateSpan[], other: readonly RateSpan[]) =>
	one.length === other.length &&
	one.every(({ from, to, value }, at) => from === other[at]!.from && to === other[at]!.to && value === other[at]!.value);

/** Writes lines as they shall be; joins the caller's transaction, which counts the set's version. */
export async function storeLines(client: pg.PoolClient, setId: number, changed: readonly ChangedLine[]): Promise<void> {
	for (const { key, after } of changed) {
		const [code, kind] = key.split(' ');
		await client.query('DELETE FROM rate WHERE rate_set_id = $1 AND currency = $2 AND kind = $3', [setId, code, kind]);
		await client.query(
			`INSERT INTO rate (rate_set_id, currency, kind, valid_from, valid_to, value)
			SELECT $1, $2, $3, f, t, v FROM unnest($4::date[], $5::date[], $6::double precision[]) AS r (f, t, v)`,
			[setId, code, kind, after.map(({ from }) => from), after.map(({ to }) => to), after.map(({ value }) => value)]
		);
	}
}

async function counted(client: pg.PoolClient, setId: number): Promise<number> {
	await countUpStructure(client, 'all', 'rates');
	await guardRates(client);
	return (await client.query<{ version: number }>('UPDATE rate_set SET version = version + 1 WHERE id = $1 RETURNING version', [setId]))
		.rows[0]!.version;
}

const currenciesIn = (changed: readonly ChangedLine[]) => [...new Set(changed.map(({ key }) => key.slice(0, 3)))].join(', ');

/** Rates are of every model: each looks whether closed figures of it would move. */
async function guardRates(client: pg.PoolClient): Promise<void> {
	const models = await client.query<{ id: number }>("SELECT DISTINCT model_id AS id FROM access_lock WHERE state = 'closed' ORDER BY id");
	for (const { id } of models.rows) await guardClosed(client, id, 'rates');
}
