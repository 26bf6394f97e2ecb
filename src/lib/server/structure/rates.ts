import { z } from 'zod';
import {
	dateOfDay,
	dateStyle,
	dayNumber,
	isDate,
	isValue,
	nearest,
	numberStyle,
	RateTable,
	readDate,
	readNumber,
	type RateSetDefinition
} from '../../core';
import { pool, transaction } from '../database';
import { Fault, notFound } from '../fault';
import { requirePermission, type SignedIn } from '../session';
import { addCurrencies } from './new-model';
import { lastRateChanges, type RateToSet } from './rate-changes';
import { spansOf, type RateKindStored, type RateSpan } from './rate-spans';
import { countUpStructure } from '../database/structure-version';
import { writeJournal } from '../definition/journal';

export interface RateLineFacts {
	currency: string;
	kind: RateKindStored;
	spans: RateSpan[];
	/** Stretches of the model's horizon without a rate, plain dates. */
	gaps: { from: string; to: string }[];
}

export interface RateSetPage {
	id: number;
	name: string;
	pivot: string;
	version: number;
	lines: RateLineFacts[];
	/** Scenarios of this model that read with it. */
	usedBy: string[];
	/** Other models that read with it: what changes here moves their figures too. */
	elsewhere: string[];
	/** What was changed last, where that can be taken back. */
	lastChange: string | null;
}

export interface RatesPage {
	reporting: string;
	currencies: string[];
	horizon: { from: string; to: string };
	months: { start: string; end: string; name: string }[];
	sets: RateSetPage[];
}

/** A closing rate serves for so long after its day: see the core's rate table. */
const CLOSING_DAYS = 62;

/** Every rate set with its lines and their gaps in the model's horizon. */
export async function readRates(person: SignedIn | undefined, modelId: number): Promise<RatesPage> {
	requirePermission(person, 'structure.read');
	const model = (await pool().query<{ reporting: string }>('SELECT reporting_currency AS reporting FROM model WHERE id = $1', [modelId]))
		.rows[0];
	if (!model) throw notFound('model');
	const currencies = (
		await pool().query<{ currency: string }>('SELECT currency FROM model_currency WHERE model_id = $1 ORDER BY position', [modelId])
	).rows.map(({ currency }) => currency);
	const months = (
		await pool().query<{ start: string; end: string; name: string }>(
			`SELECT p.start_date AS start, p.end_date AS end, m.name FROM model_dimension md JOIN member m ON m.dimension_id = md.dimension_id
			JOIN period p ON p.member_id = m.id WHERE md.model_id = $1 AND NOT EXISTS (SELECT FROM hierarchy_node n WHERE n.parent_id = m.id)
			ORDER BY p.start_date`,
			[modelId]
		)
	).rows;
	const horizon = { from: months[0]?.start ?? '', to: months.at(-1)?.end ?? '' };
	const sets = await pool().query<Omit<RateSetPage, 'lines' | 'lastChange'>>(
		`SELECT r.id, r.name, r.pivot, r.version, coalesce(u.here, '{}') AS "usedBy", coalesce(u.elsewhere, '{}') AS elsewhere
		FROM rate_set r LEFT JOIN LATERAL (
			SELECT array_agg(DISTINCT m.name ORDER BY m.name) FILTER (WHERE md.model_id = $1) AS here,
				array_agg(DISTINCT o.name ORDER BY o.name) FILTER (WHERE md.model_id <> $1) AS elsewhere
			FROM scenario s JOIN member m ON m.id = s.member_id JOIN model_dimension md ON md.dimension_id = m.dimension_id
				JOIN model o ON o.id = md.model_id LEFT JOIN scenario_rates sr ON sr.member_id = s.member_id
			WHERE s.rate_set_id = r.id OR sr.rate_set_id = r.id) u ON true
		ORDER BY u.here IS NULL, u.elsewhere IS NOT NULL, r.id`,
		[modelId]
	);
	const last = await lastRateChanges(pool());
	const pages: RateSetPage[] = [];
	for (const set of sets.rows) {
		const spans = await spansOf(pool(), set.id);
		const wanted = currencies.filter((currency) => currency !== set.pivot);
		const keys = new Set([...wanted.flatMap((currency) => [`${currency} average`, `${currency} closing`]), ...spans.keys()]);
		pages.push({
			...set,
			lastChange: last.get(set.id)?.words ?? null,
			lines: [...keys].sort().map((key) => {
				const [currency, kind] = key.split(' ') as [string, RateKindStored];
				const own = spans.get(key) ?? [];
				return { currency, kind, spans: own, gaps: kind === 'historical' || !horizon.from ? [] : gapsIn(own, horizon, kind) };
			})
		});
	}
	return { reporting: model.reporting, currencies, horizon, months, sets: pages };
}

/** Stretches within a horizon that no span covers; a closing rate covers the two months after its day. */
export function gapsIn(
	spans: readonly RateSpan[],
	horizon: { from: string; to: string },
	kind: RateKindStored
): { from: string; to: string }[] {
	const gaps: { from: string; to: string }[] = [];
	let next = dayNumber(horizon.from);
	const end = dayNumber(horizon.to);
	for (const span of spans) {
		const [from, to] = [dayNumber(span.from), dayNumber(span.to) + (kind === 'closing' ? CLOSING_DAYS : 0)];
		if (from > next && next <= end) gaps.push({ from: dateOfDay(next), to: dateOfDay(Math.min(from - 1, end)) });
		next = Math.max(next, to + 1);
	}
	// Before its first rate a month has none, unless a day of it has: a month’s closing rate is dated on its last day.
	const first = gaps[0];
	if (kind === 'closing' && first && spans[0] && dayNumber(spans[0].from) - dayNumber(horizon.from) < 31 && first.from === horizon.from)
		gaps.shift();
	if (next <= end) gaps.push({ from: dateOfDay(next), to: dateOfDay(end) });
	return gaps;
}

const currency = z.string().regex(/^[A-Z]{3}$/);
export const rateSetSchema = z.object({
	name: z.string().trim().min(1).max(80),
	pivot: currency,
	/** The rate set (id) it begins as a copy of, pivot included. */
	copyOf: z.number().int().nullish()
});

/** Starts a rate set: empty, or as a copy of another one. */
export async function addRateSet(person: SignedIn | undefined, modelId: number, wanted: z.infer<typeof rateSetSchema>): Promise<number> {
	const writer = requirePermission(person, 'structure.write');
	return transaction(async (client) => {
		const known = await client.query('SELECT FROM rate_set WHERE lower(name) = lower($1)', [wanted.name]);
		if (known.rowCount) throw new Fault(422, 'not possible', `There is a rate set ${wanted.name} already.`);
		const copied = wanted.copyOf
			? (await client.query<{ name: string; pivot: string }>('SELECT name, pivot FROM rate_set WHERE id = $1', [wanted.copyOf])).rows[0]
			: undefined;
		if (wanted.copyOf && !copied) throw notFound('rate set');
		const pivot = await client.query('SELECT FROM currency WHERE code = $1', [wanted.pivot]);
		if (!pivot.rowCount) throw new Fault(422, 'not possible', `${wanted.pivot} is not used by any model.`);
		const made = await client.query<{ id: number }>('INSERT INTO rate_set (name, pivot) VALUES ($1, $2) RETURNING id', [
			wanted.name,
			copied?.pivot ?? wanted.pivot
		]);
		const id = made.rows[0]!.id;
		if (copied)
			await client.query(
				`INSERT INTO rate (rate_set_id, currency, kind, valid_from, valid_to, value)
				SELECT $1, currency, kind, valid_from, valid_to, value FROM rate WHERE rate_set_id = $2`,
				[id, wanted.copyOf]
			);
		await writeJournal(client, {
			person: writer.id,
			modelId,
			dimensionId: null,
			words: `Started the rate set “${wanted.name}”${copied ? ` as a copy of “${copied.name}”` : ''}`,
			objects: [{ kind: 'rate set', id, name: wanted.name, before: null, after: wanted }]
		});
		await countUpStructure(client, 'all', 'rates');
		return id;
	});
}

export const modelCurrencySchema = z.object({ currency });

/**
 * Adds a currency to a model: its entities may have it as their own, and its forms offer it to read in.
 * @throws Fault 422 when it is none of ISO 4217, or in use already
 */
export async function addModelCurrency(
	person: SignedIn | undefined,
	modelId: number,
	{ currency: code }: z.infer<typeof modelCurrencySchema>
): Promise<void> {
	const writer = requirePermission(person, 'structure.write');
	await transaction(async (client) => {
		await client.query('SELECT FROM model WHERE id = $1 FOR UPDATE', [modelId]);
		const known = await client.query('SELECT FROM model_currency WHERE model_id = $1 AND currency = $2', [modelId, code]);
		if (known.rowCount) throw new Fault(422, 'not possible', `${code} is a currency of this model already.`);
		await addCurrencies(client, [code]);
		await client.query(
			'INSERT INTO model_currency (model_id, currency, position) SELECT $1, $2, coalesce(max(position), 0) + 1 FROM model_currency WHERE model_id = $1',
			[modelId, code]
		);
		await writeJournal(client, {
			person: writer.id,
			modelId,
			dimensionId: null,
			words: `Added the currency ${code}`,
			objects: [{ kind: 'model', id: modelId, name: code, before: null, after: { currency: code } }]
		});
		await countUpStructure(client, [modelId], 'definition');
	});
}

export const pastedRatesSchema = z.object({
	grid: z
		.array(z.array(z.string().max(100)).max(60))
		.min(2)
		.max(50_000)
});

/** A pasted or uploaded table of rates as rates to set, with the faults of its rows. Two shapes: a row a rate (Currency, Kind, From, To, Rate), or a column a currency. */
export function readPastedRates(
	grid: readonly (readonly string[])[],
	locale: string
): {
	rates: RateToSet[];
	faults: { row: number; message: string }[];
} {
	const headings = grid[0]!.map((heading) => heading.trim().toLowerCase());
	const at = (...names: string[]) => headings.findIndex((heading) => names.includes(heading));
	const [currencyAt, kindAt, fromAt, toAt, rateAt] = [
		at('currency'),
		at('kind', 'rate kind'),
		at('from', 'date', 'valid from'),
		at('to', 'until', 'valid to'),
		at('rate', 'value')
	];
	const rates: RateToSet[] = [];
	const faults: { row: number; message: string }[] = [];
	if (fromAt < 0) {
		const close = nearest('From', grid[0]!);
		return { rates, faults: [{ row: 1, message: `There is no column “From” (or “Date”).${close ? ` Is it “${close}”?` : ''}` }] };
	}
	const wide = headings.flatMap((heading, place) => (/^[a-z]{3}$/.test(heading) ? [{ currency: heading.toUpperCase(), place }] : []));
	const [numbers, dates] = [numberStyle(locale), dateStyle(locale)];
	const number = (text: string) => readNumber(text, numbers)?.amount ?? Number.NaN;
	const date = (text: string) => readDate(text, dates.order, dates.months) ?? text;
	grid.slice(1).forEach((cells, index) => {
		if (cells.every((cell) => cell.trim() === '')) return;
		const row = index + 2;
		const from = date((cells[fromAt] ?? '').trim());
		const to = (toAt < 0 ? '' : date((cells[toAt] ?? '').trim())) || from;
		const kind = (kindAt < 0 ? 'average' : (cells[kindAt] ?? '').trim().toLowerCase()) || 'average';
		const refuse = (message: string) => faults.push({ row, message });
		if (!isDate(from) || !isDate(to)) return refuse(`“${from}” is not a date like 2027-04-01.`);
		if (kind !== 'average' && kind !== 'closing' && kind !== 'historical')
			return refuse(`“${kind}” is none of average, closing, historical.`);
		const take = (code: string, text: string) => {
			const value = number(text);
			if (!/^[A-Z]{3}$/.test(code)) return refuse(`“${code}” is not a currency.`);
			if (!(value > 0)) return refuse(`${code}: “${text.slice(0, 30)}” is not a rate above 0.`);
			rates.push({ currency: code, kind, from, to, value });
		};
		if (currencyAt >= 0 && rateAt >= 0) return take((cells[currencyAt] ?? '').trim().toUpperCase(), cells[rateAt] ?? '');
		for (const { currency: code, place } of wide) if ((cells[place] ?? '').trim() !== '') take(code, cells[place]!);
	});
	if (rates.length === 0 && faults.length === 0)
		faults.push({ row: 1, message: 'No rates were found: give Currency and Rate, or one column a currency.' });
	return { rates, faults };
}

/** What one unit of a currency is worth in another, month by month, through the pivot; null where a rate is missing. */
export async function crossRates(
	person: SignedIn | undefined,
	modelId: number,
	setId: number,
	from: string,
	to: string,
	kind: RateKindStored
): Promise<{ name: string; value: number | null }[]> {
	const page = await readRates(person, modelId);
	const set = page.sets.find(({ id }) => id === setId);
	if (!set) throw notFound('rate set');
	const definition: RateSetDefinition = {
		id: set.id,
		name: set.name,
		pivot: set.pivot,
		rates: set.lines.flatMap((line) => line.spans.map((span) => ({ currency: line.currency, kind: line.kind, ...span })))
	};
	const table = new RateTable(definition);
	return page.months.map(({ name, start, end }) => {
		const value = table.factor(from, to, kind, start, end);
		return { name, value: isValue(value) ? value : null };
	});
}
