// Saved imports and their maps.
import type pg from 'pg';
import { accountMapLines, ledgerUnit, MEASURES } from '../ledger';
import { ROUTES } from '../structure';
import { insertId, type Dimensions, type LoadedDimension } from './dimensions';
import type { Origins } from './figures';
import { addImport, addMap, addRule, patterns, type DemoMapLine, type DemoRule } from './recipes';

export async function loadImports(
	client: pg.PoolClient,
	modelId: number,
	dimensions: Dimensions,
	periods: LoadedDimension,
	origins: Origins
): Promise<void> {
	const map = (name: string, dimension: LoadedDimension, lines: DemoMapLine[]) => addMap(client, name, dimension, lines);
	const rule = (importId: number, dimension: LoadedDimension, { column, ...values }: Omit<DemoRule, 'columns'> & { column?: string }) =>
		addRule(client, importId, dimension, { ...values, ...(column !== undefined && { columns: [column] }) });
	const importOf = (origin: number, code: string, name: string, description: string, source: object) =>
		addImport(client, { modelId, origin, code, name, description, source });

	const accountMap = await map('Ledger accounts', dimensions.account, accountMapLines());
	const ledger = await importOf(
		origins.ledger,
		'ledger',
		'Ledger, monthly',
		'The month’s postings of all lines, in each line’s own currency. Replaces what it loaded before for the same months.',
		{
			delimiter: ';',
			encoding: 'utf-8',
			amountColumns: ['Amount'],
			decimal: '.',
			group: ' ',
			extendsSpan: true
		}
	);
	const unitLines = patterns({ 'N-*': 'NOR', 'S-*': 'SKE', 'A-*': 'AMB', 'G-*': 'SVC' });
	const departments = ['DK', 'EN', 'SH', 'TM', 'BK', 'FC', 'AD'];
	await rule(ledger, dimensions.account, { column: 'Account', label: 'Text', map: accountMap });
	const lineMap = await map('Ledger units to lines', dimensions.entity, unitLines);
	await rule(ledger, dimensions.entity, { column: 'Unit', map: lineMap });
	const departmentMap = await map(
		'Ledger units to departments',
		dimensions.department,
		patterns(Object.fromEntries(departments.map((code) => [ledgerUnit('NOR', code).replace('N-', '*-'), code])))
	);
	await rule(ledger, dimensions.department, { column: 'Unit', map: departmentMap });
	const routeMap = await map('Ledger routes', dimensions.route, [
		...ROUTES.map((route) => ({ kind: 'single', member: route.code, terms: { value: `RT-${route.code.slice(1)}` } })),
		{ kind: 'single', member: 'NOROUTE', terms: { value: '' } }
	]);
	await rule(ledger, dimensions.route, { column: 'Route', map: routeMap });
	await rule(ledger, periods, { column: 'Posting date', format: 'DD.MM.YYYY' });
	await rule(ledger, dimensions.scenario, { member: dimensions.scenario.ids.get('ACT')! });
	await rule(ledger, dimensions.version, { member: dimensions.version.ids.get('FINAL')! });

	const ticketing = await importOf(
		origins.ticketing,
		'ticketing',
		'Ticketing counts',
		'Departures, capacity, passengers and vehicles by route and month.',
		{
			delimiter: ',',
			encoding: 'utf-8',
			amountColumns: ['count'],
			decimal: '.',
			group: '',
			extendsSpan: true
		}
	);
	await rule(ticketing, dimensions.account, {
		column: 'measure',
		map: await map(
			'Ticketing measures',
			dimensions.account,
			Object.entries(MEASURES).map(([member, value]) => ({ kind: 'single', member, terms: { value } }))
		)
	});
	await rule(ticketing, dimensions.entity, {
		column: 'line',
		map: await map(
			'Ticketing lines',
			dimensions.entity,
			['NOR', 'SKE', 'AMB'].map((code) => ({ kind: 'single', member: code, terms: { value: code } }))
		)
	});
	await rule(ticketing, dimensions.route, {
		column: 'route',
		map: await map(
			'Ticketing routes',
			dimensions.route,
			ROUTES.map(({ code }) => ({ kind: 'single', member: code, terms: { value: code } }))
		)
	});
	await rule(ticketing, periods, { column: 'month', format: 'YYYYMM' });
	await rule(ticketing, dimensions.department, { member: dimensions.department.ids.get('NODEP')! });
	await rule(ticketing, dimensions.scenario, { member: dimensions.scenario.ids.get('ACT')! });
	await rule(ticketing, dimensions.version, { member: dimensions.version.ids.get('FINAL')! });

	// The same ledger asked directly: its rows go through the same maps.
	const origin = await insertId(client, "INSERT INTO origin (model_id, mode, name) VALUES ($1, 'loads', 'Ledger service') RETURNING id", [
		modelId
	]);
	const service = await importOf(
		origin,
		'ledger-service',
		'Ledger service',
		'Postings fetched from the ledger by month, through the maps of the monthly file.',
		{
			place: { kind: 'ledger', company: '', from: '2026-10', to: '2026-10' },
			delimiter: ',',
			encoding: 'utf-8',
			amountColumns: ['Amount'],
			decimal: '.',
			group: '',
			currencyColumn: 'Currency',
			extendsSpan: true
		}
	);
	await rule(service, dimensions.account, { column: 'Account', map: accountMap });
	await rule(service, dimensions.entity, { column: 'Unit', map: lineMap });
	await rule(service, dimensions.department, { column: 'Unit', map: departmentMap });
	await rule(service, dimensions.route, { column: 'Route', map: routeMap });
	await rule(service, periods, { column: 'Posting date', format: 'YYYY-MM-DD' });
	await rule(service, dimensions.scenario, { member: dimensions.scenario.ids.get('ACT')! });
	await rule(service, dimensions.version, { member: dimensions.version.ids.get('FINAL')! });
}
