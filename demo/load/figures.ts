// Origins, and every figure in the change sets it would have come in.
import type pg from 'pg';
import { generatePeriods } from '../../src/lib/core';
import { lockModel, postChangeSet, type EntryChange } from '../../src/lib/server/database/change-set';
import type { SeriesChange } from '../../src/lib/server/database/series';
import { figures } from '../figures';
import { FILE_MONTH } from '../ledger';
import { monthFacts } from '../months';
import { seededRandom } from '../random';
import { CALENDAR, SCENARIOS } from '../structure';
import { insertId, type Dimensions, type Ids, type LoadedDimension } from './dimensions';

export interface Origins {
	entry: number;
	opening: number;
	ledger: number;
	ticketing: number;
	handover: number;
}

export async function loadOrigins(client: pg.PoolClient, modelId: number): Promise<Origins> {
	const origin = (mode: string, name: string) =>
		insertId(client, 'INSERT INTO origin (model_id, mode, name) VALUES ($1, $2, $3) RETURNING id', [modelId, mode, name]);
	return {
		entry: await origin('entry', 'Entry'),
		opening: await origin('loads', 'Opening figures'),
		ledger: await origin('loads', 'Ledger, monthly'),
		ticketing: await origin('loads', 'Ticketing counts'),
		handover: await origin('loads', 'Figures taken over')
	};
}

/** Writes all series in three change sets: what was loaded, what opened the plans, and what planners typed since. */
export async function loadFigures(
	client: pg.PoolClient,
	modelId: number,
	ordered: LoadedDimension[],
	dimensions: Dimensions,
	periods: Ids,
	origins: Origins,
	people: Ids
): Promise<number> {
	const months = generatePeriods(CALENDAR).filter((period) => period.level === 'month');
	const loaded: SeriesChange[] = [];
	const opened: SeriesChange[] = [];
	const typed: SeriesChange[] = [];
	const entries: EntryChange[] = [];
	const random = seededRandom(2_028);
	let cells = 0;
	for (const figure of figures())
		for (const scenario of SCENARIOS)
			for (const version of scenario.versions) {
				const members = [
					dimensions.account.ids.get(figure.account)!,
					dimensions.scenario.ids.get(scenario.code)!,
					dimensions.entity.ids.get(figure.entity)!,
					dimensions.department.ids.get(figure.department)!,
					dimensions.route.ids.get(figure.route)!,
					dimensions.version.ids.get(version)!
				];
				const isActual = scenario.code === 'ACT';
				const origin = !isActual
					? origins.opening
					: figure.system === 'ledger'
						? origins.ledger
						: figure.system === 'ticketing'
							? origins.ticketing
							: origins.handover;
				for (let year = CALENDAR.firstYear; year < CALENDAR.firstYear + CALENDAR.years; year++) {
					const amounts = new Float64Array(12).fill(Number.NaN);
					months
						.filter((month) => month.fiscalYear === year)
						.forEach((month, position) => {
							const waits = isActual && month.code === FILE_MONTH && figure.system !== 'people';
							if (month.code < scenario.from || month.code > scenario.to || waits) return;
							amounts[position] = figure.amount(monthFacts(month.code, scenario.code, version));
						});
					const present = amounts.filter((amount) => amount === amount).length;
					if (present === 0) continue;
					cells += present;
					(isActual ? loaded : opened).push({ origin, members, year, amounts, before: new Float64Array(12).fill(Number.NaN) });
					// A planner has been at work on the Skerry Line's summer.
					if (
						scenario.code === 'BUD28' &&
						version === 'WORK' &&
						figure.entity === 'SKE' &&
						figure.account.startsWith('40') &&
						random() < 0.6
					) {
						const own = new Float64Array(12).fill(Number.NaN);
						for (const position of [3, 4]) {
							own[position] = Math.round((amounts[position]! * (1.02 + random() * 0.05)) / 100) * 100;
							const month = months.find((each) => each.fiscalYear === year && each.code.endsWith(position === 3 ? '-07' : '-08'))!;
							entries.push({
								origin: origins.entry,
								address: members,
								period: periods.get(month.code)!,
								before: Number.NaN,
								after: own[position]!,
								beneath: amounts[position]!
							});
						}
						typed.push({ origin: origins.entry, members, year, amounts: own, before: new Float64Array(12).fill(Number.NaN) });
					}
				}
			}
	opened.push(...bonusRules(dimensions, periods, origins.opening));
	await lockModel(client, modelId);
	const ids = ordered.map(({ id }) => id);
	const controller = people.get('osric.hale@brinewater.example')!;
	const planner = people.get('tove.brandal@brinewater.example')!;
	await postChangeSet(
		client,
		{ modelId, person: controller, kind: 'load', through: 'Figures to August 2026', cells: countCells(loaded) },
		ids,
		loaded
	);
	await postChangeSet(
		client,
		{ modelId, person: controller, kind: 'load', through: 'Opening figures', cells: countCells(opened) },
		ids,
		opened
	);
	await postChangeSet(
		client,
		{ modelId, person: planner, kind: 'save', through: 'Route contribution', cells: entries.length },
		ids,
		typed,
		entries
	);
	// As if it had happened in the weeks before the demo's today.
	await client.query(
		`UPDATE change_set SET at = CASE revision WHEN 1 THEN timestamptz '2026-09-08 09:12+02' WHEN 2 THEN timestamptz '2026-11-03 14:40+01' ELSE timestamptz '2026-11-19 16:02+01' END WHERE model_id = $1`,
		[modelId]
	);
	return cells;
}

const countCells = (series: SeriesChange[]): number =>
	series.reduce((total, { amounts }) => total + amounts.filter((amount) => amount === amount).length, 0);

/** In which month each line pays a bonus, and what part of a month's pay it is: once for each planned year. */
function bonusRules(dimensions: Dimensions, periods: Ids, origin: number): SeriesChange[] {
	const rules = { NOR: ['-12', 0.5], SKE: ['-11', 0.6], AMB: ['-12', 0.4] } as const;
	const plans = [
		['BUD28', 2_028],
		['STR', 2_028],
		['STR', 2_029]
	] as const;
	return Object.entries(rules).flatMap(([entity, [month, share]]) =>
		plans.flatMap(([scenario, year]) =>
			(
				[
					['B10', periods.get(`${year - 1}${month}`)!],
					['B20', share]
				] as const
			).map(([account, value]): SeriesChange => {
				const amounts = new Float64Array(12).fill(Number.NaN);
				amounts[0] = value;
				const members = [
					dimensions.account.ids.get(account)!,
					dimensions.scenario.ids.get(scenario)!,
					dimensions.entity.ids.get(entity)!,
					dimensions.department.ids.get('NODEP')!,
					dimensions.route.ids.get('NOROUTE')!,
					dimensions.version.ids.get('WORK')!
				];
				return { origin, members, year, amounts, before: new Float64Array(12).fill(Number.NaN) };
			})
		)
	);
}
