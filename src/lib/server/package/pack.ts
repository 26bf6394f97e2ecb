import JSZip from 'jszip';
import { stringify } from 'csv-stringify/sync';
import {
	inTreeOrder,
	Model,
	NOTHING,
	printScript,
	type Expression,
	type FormLayout,
	type FormulaScope,
	type StoredScript
} from '../../core';
import { readGuarded } from '../access/rules';
import { pool, type Database } from '../database';
import { readAllSeries } from '../database/cells';
import { addressDimensions, readModelDefinition } from '../database/definitions';
import { notFound } from '../fault';
import { sourceSchema } from '../definition/source-schema';
import { requirePermission, type SignedIn } from '../session';
import { calendarDefinition } from '../structure/calendar';
import { inNames } from '../structure/formulas';
import { readDimension } from '../structure/read-state';
import { shortNames } from '../structure/short-names';
import { firstOfName, packBoards } from './pack-boards';
import { packRunbooks } from './pack-runbooks';
import {
	NOTHING_PACKED,
	PACKAGE_VERSION,
	packageSchema,
	type ModelPackage,
	type PackedDimension,
	type PackedForm,
	type PackedSeries
} from '../definition/package-format';
import { formsOf } from '../definition/forms';
import { mapMembers } from '../definition/layout-members';
import { mapDimensions, mapRateSets } from './map-layout';

/** The whole model as a zip of JSON files in a stable order, and its numbers as CSV where asked. */
export async function exportPackage(
	person: SignedIn | undefined,
	modelId: number,
	withNumbers: boolean
): Promise<{ name: string; zip: Buffer }> {
	requirePermission(person, 'structure.write');
	const packed = await packModel(pool(), modelId);
	const zip = new JSZip();
	// One date for all, and none for folders, so that equal models make equal files.
	const date = new Date('2020-01-01T00:00:00Z');
	const add = (path: string, content: unknown) =>
		zip.file(path, typeof content === 'string' ? content : `${JSON.stringify(content, null, '\t')}\n`, { date, createFolders: false });
	add('model.json', packed.model);
	add('calendar.json', packed.calendar);
	for (const dimension of packed.dimensions) add(`dimensions/${dimension.key}.json`, dimension);
	for (const list of packed.lists) add(`lists/${list.key}.json`, list);
	add('rates.json', packed.rates);
	add('variables.json', packed.variables);
	add('formulas.json', packed.formulas);
	add('locks.json', packed.locks);
	for (const form of packed.forms) add(`forms/${form.code}.json`, form);
	keysOf(packed.views.map(({ name }) => name)).forEach((key, place) => add(`views/${key}.json`, packed.views[place]));
	keysOf(packed.boards.map(({ name }) => name)).forEach((key, place) => add(`boards/${key}.json`, packed.boards[place]));
	for (const each of packed.imports) add(`imports/${each.code}.json`, each);
	keysOf(packed.runbooks.map(({ name }) => name)).forEach((key, place) => add(`runbooks/${key}.json`, packed.runbooks[place]));
	if (withNumbers) add('numbers.csv', numbersAsCsv(packed, await packNumbers(modelId)));
	return {
		name: packed.model.name,
		zip: await zip.generateAsync({ type: 'nodebuffer', compression: 'DEFLATE', compressionOptions: { level: 6 } })
	};
}

/** All definitions of a model with codes for ids, in a stable order: two versions can be compared as text. */
export async function packModel(database: Database, modelId: number): Promise<ModelPackage> {
	const definition = await readModelDefinition(database, modelId);
	const calendar = await calendarDefinition(database, modelId);
	if (!definition || !calendar) throw notFound('model');
	const lists = await choiceListsOf(database, modelId);
	const known = [...definition.dimensions, ...lists];
	const keys = keysOf(known.map(({ name }) => name));
	const keyOf = new Map(definition.dimensions.map(({ id }, index) => [id, keys[index]!]));
	const members = new Map(
		definition.dimensions.flatMap((dimension) =>
			dimension.members.map(({ id, code }) => [id, { dimension: keyOf.get(dimension.id)!, member: code }] as const)
		)
	);
	const codeOf = (id: number) => members.get(id)?.member ?? '';
	const dimensions: ModelPackage['dimensions'] = [];
	for (const [index, { code, kind }] of known.entries()) {
		const { state, attributes, hierarchies } = await readDimension(database, modelId, code);
		const orders = new Map(
			hierarchies.map((name) => [name, new Map(inTreeOrder(state, name).map(({ member }, order) => [member.id, order]))])
		);
		dimensions.push({
			key: keys[index]!,
			name: state.name,
			kind,
			hierarchies,
			attributes: attributes.map(({ name, type, choices }) => ({ name, type, choices: [...choices] })),
			members: inTreeOrder(state).map(({ member }) => ({
				code: member.code,
				name: member.name,
				parent: member.parent === null ? null : state.members.get(member.parent)!.code,
				weight: member.weight as 1 | 0 | -1,
				...(member.unassigned && { unassigned: true }),
				...(member.retired && { retired: true }),
				...(Object.keys(member.facts).length > 0 && { facts: inFieldOrder(member.facts, keys, known) }),
				...(Object.keys(member.places).length > 0 && {
					places: Object.fromEntries(
						Object.entries(member.places).map(([name, { parent, weight }]) => [
							name,
							{
								parent: parent === null ? null : state.members.get(parent)!.code,
								weight: weight as 1 | 0 | -1,
								order: orders.get(name)!.get(member.id)!
							}
						])
					)
				})
			}))
		});
	}
	const model = new Model(definition);
	const runbooks = await packRunbooks(database, model, keyOf, members);
	const runbookNames = new Map(runbooks.map(({ id, packed }) => [id, packed.name]));
	const usedSets = new Set(
		definition.scenarios.flatMap(({ rateSet, laterRates }) => [rateSet, ...(laterRates ?? []).map((each) => each.rateSet)])
	);
	const forms = await formsOf(database, modelId, 'made');
	const rateSetNames = new Map(definition.rateSets.map(({ id, name }) => [id, name]));
	const shared = await sharedViews(database, modelId);
	for (const { layout } of [...forms, ...shared]) mapRateSets(layout, (set) => (usedSets.add(set), set));
	const views = firstOfName(shared.sort((a, b) => compare([a.name], [b.name]))).map((view) => {
		const { code, folder: _, instructions: __, runbooks: ___, ...form } = packForm(view, keyOf, members, runbookNames, rateSetNames);
		return { code, form };
	});
	// Through the format's own schema: keys come in its order, whoever wrote them.
	return packageSchema.parse({
		model: {
			format: 'noble lattice model',
			version: PACKAGE_VERSION,
			name: definition.name,
			reportingCurrency: definition.reportingCurrency,
			currencies: definition.currencies.map(({ code }) => code),
			dimensions: keys.slice(0, definition.dimensions.length),
			guarded: await guardedKeys(database, modelId, definition.dimensions, keys),
			origins: definition.origins.map(({ name, mode }) => ({ name, mode }))
		},
		calendar: calendar as ModelPackage['calendar'],
		dimensions: dimensions.slice(0, definition.dimensions.length),
		lists: dimensions.slice(definition.dimensions.length),
		rates: definition.rateSets
			.filter(({ id }) => usedSets.has(id))
			.map(({ name, pivot, rates }) => ({
				name,
				pivot,
				rates: [...rates].sort((a, b) =>
					compare([a.currency, a.kind, a.from], [b.currency, b.kind, b.from])
				) as ModelPackage['rates'][number]['rates']
			})),
		variables: (definition.variables ?? []).map(({ name, member, number }) => ({
			name,
			member: member === null ? null : members.get(member)!,
			number
		})),
		formulas: await packFormulas(database, model, codeOf),
		locks: await packLocks(database, modelId, members),
		forms: forms.map((form) => packForm(form, keyOf, members, runbookNames, rateSetNames)).sort((a, b) => compare([a.code], [b.code])),
		imports: await packImports(database, modelId, keyOf, codeOf),
		runbooks: runbooks.map(({ packed }) => packed),
		views: views.map(({ form }) => form),
		boards: await packBoards(database, modelId, keyOf, members, {
			runbooks: runbookNames,
			views: new Map(views.map(({ code, form }) => [code, form.name]))
		})
	} satisfies ModelPackage);
}

/** The views of the explorer that are shared. */
async function sharedViews(database: Database, modelId: number): Promise<Awaited<ReturnType<typeof formsOf>>> {
	const shared = await database.query<{ id: number }>(
		'SELECT id FROM form WHERE model_id = $1 AND owner_id IS NOT NULL AND kept AND shared',
		[modelId]
	);
	const ids = new Set(shared.rows.map(({ id }) => id));
	return (await formsOf(database, modelId, 'all')).filter(({ id }) => ids.has(id));
}

async function guardedKeys(
	database: Database,
	modelId: number,
	dimensions: readonly { id: number }[],
	keys: readonly string[]
): Promise<string[]> {
	const guarded = new Set(await readGuarded(modelId, database));
	return keys.filter((_, place) => place < dimensions.length && guarded.has(dimensions[place]!.id));
}

/** What accounts of a model choose from that is no axis of it: lists of its own, and dimensions of models it shares accounts with. */
async function choiceListsOf(
	database: Database,
	modelId: number
): Promise<{ id: number; code: string; name: string; kind: PackedDimension['kind'] }[]> {
	const found = await database.query<{ id: number; code: string; name: string; kind: PackedDimension['kind'] }>(
		`SELECT d.id, d.code, d.name, d.kind FROM known_dimension k JOIN dimension d ON d.id = k.dimension_id
		WHERE k.model_id = $1 AND d.id NOT IN (SELECT dimension_id FROM model_dimension WHERE model_id = $1) ORDER BY d.name, d.id`,
		[modelId]
	);
	return found.rows;
}

/** The dimensions of a model and the lists its accounts choose from, by their keys in a package. */
export async function dimensionsByKey(
	database: Database,
	modelId: number
): Promise<Map<string, { id: number; code: string; kind: PackedDimension['kind'] }>> {
	const axes = await database.query<{ id: number; code: string; name: string; kind: PackedDimension['kind'] }>(
		'SELECT d.id, d.code, d.name, d.kind FROM model_dimension md JOIN dimension d ON d.id = md.dimension_id WHERE md.model_id = $1 ORDER BY md.position',
		[modelId]
	);
	const known = [...axes.rows, ...(await choiceListsOf(database, modelId))];
	const keys = keysOf(known.map(({ name }) => name));
	return new Map(known.map(({ id, code, kind }, place) => [keys[place]!, { id, code, kind }]));
}

/** Short names for the files of dimensions, different within a model. */
export const keysOf = (names: readonly string[]): string[] => shortNames(names, 'dimension', 'of files');

/** Facts sorted by key; a choice list names its dimension by its key in the package. */
function inFieldOrder(
	facts: Readonly<Record<string, string | number | boolean>>,
	keys: readonly string[],
	dimensions: readonly { code: string }[]
): Record<string, string | number | boolean> {
	return Object.fromEntries(
		Object.entries(facts)
			.map(([key, value]): [string, string | number | boolean] =>
				key === 'choiceDimension' ? [key, keys[dimensions.findIndex(({ code }) => code === value)] ?? value] : [key, value]
			)
			.sort(([a], [b]) => (a < b ? -1 : 1))
	);
}

/** Formulas as text with today's names: what one reads, and what another system can read. */
async function packFormulas(database: Database, model: Model, codeOf: (id: number) => string): Promise<ModelPackage['formulas']> {
	const found = await database.query<{
		account: number;
		timing: 'after totals' | 'per leaf';
		expression: Expression;
		script: StoredScript | null;
		scope: FormulaScope | null;
		mayBeTyped: boolean;
	}>(
		'SELECT account_id AS account, timing, expression, script, scope, may_be_typed AS "mayBeTyped" FROM formula WHERE model_id = $1 ORDER BY id',
		[model.definition.id]
	);
	return found.rows
		.map(({ account, timing, expression, script, scope, mayBeTyped }) => ({
			account: codeOf(account),
			timing,
			text: script ? printScript(model, script) : inNames(model, expression),
			...(mayBeTyped && { mayBeTyped }),
			...(scope && {
				scope: {
					...(scope.scenarios && { scenarios: scope.scenarios.map(codeOf).sort() }),
					...(scope.from !== undefined && { from: codeOf(scope.from) }),
					...(scope.to !== undefined && { to: codeOf(scope.to) }),
					...(scope.within && { within: scope.within })
				}
			})
		}))
		.sort((a, b) => compare([a.account, a.text], [b.account, b.text]));
}

function packForm(
	form: { code: string; name: string; layout: FormLayout; folder?: string; description?: string; instructions?: string },
	keyOf: ReadonlyMap<number, string>,
	members: ReadonlyMap<number, { dimension: string; member: string }>,
	runbookNames: ReadonlyMap<number, string>,
	rateSetNames: ReadonlyMap<number, string>
): PackedForm {
	const named: { dimension: string; member: string }[] = [];
	const places = new Map<number, number>();
	const dimensions: string[] = [];
	const rateSets: string[] = [];
	const byRateSet = mapRateSets(form.layout, (set) => {
		const name = rateSetNames.get(set) ?? '';
		if (!rateSets.includes(name)) rateSets.push(name);
		return rateSets.indexOf(name);
	});
	const layout = mapDimensions(
		mapMembers(byRateSet, (member) => {
			if (!places.has(member)) {
				places.set(member, named.length);
				named.push(members.get(member) ?? { dimension: '', member: '' });
			}
			return places.get(member)!;
		}),
		(id) => {
			const key = keyOf.get(id) ?? '';
			if (!dimensions.includes(key)) dimensions.push(key);
			return dimensions.indexOf(key);
		}
	);
	const runs = (layout.runs ?? []).filter(({ runbook }) => runbookNames.has(runbook));
	return {
		code: form.code,
		name: form.name,
		folder: form.folder ?? '',
		description: form.description ?? '',
		instructions: form.instructions ?? '',
		dimensions,
		members: named,
		runbooks: runs.map(({ runbook }) => runbookNames.get(runbook)!),
		rateSets,
		layout: layout.runs ? { ...layout, runs: runs.map((run, place) => ({ ...run, runbook: place })) } : layout
	};
}

async function packLocks(
	database: Database,
	modelId: number,
	members: ReadonlyMap<number, { dimension: string; member: string }>
): Promise<ModelPackage['locks']> {
	const found = await database.query<{ name: string; layer: 'board'; state: 'closed'; members: number[] }>(
		`SELECT l.name, l.layer, l.state, coalesce(array_agg(m.member_id ORDER BY m.member_id) FILTER (WHERE m.member_id IS NOT NULL), '{}') AS members
		FROM access_lock l LEFT JOIN access_lock_member m ON m.lock_id = l.id WHERE l.model_id = $1 AND l.layer <> 'cycle' GROUP BY l.id ORDER BY l.name, l.id`,
		[modelId]
	);
	return found.rows.map((lock) => ({
		...lock,
		members: lock.members.map((member) => members.get(member)!).sort((a, b) => compare([a.dimension, a.member], [b.dimension, b.member]))
	}));
}

async function packImports(
	database: Database,
	modelId: number,
	keyOf: ReadonlyMap<number, string>,
	codeOf: (id: number) => string
): Promise<ModelPackage['imports']> {
	const imports = await database.query<{ id: number; code: string; name: string; description: string; origin: string; source: unknown }>(
		'SELECT i.id, i.code, i.name, i.description, o.name AS origin, i.source FROM import i JOIN origin o ON o.id = i.origin_id WHERE i.model_id = $1 ORDER BY i.code',
		[modelId]
	);
	const packed: ModelPackage['imports'] = [];
	for (const { id, source, ...facts } of imports.rows) {
		const rules = await database.query<{
			dimension: number;
			comeFrom: 'column';
			columns: string[];
			separator: string;
			label: string | null;
			variable: string | null;
			map: number | null;
			mapName: string | null;
			member: number | null;
			format: string | null;
		}>(
			`SELECT r.dimension_id AS dimension, r.come_from AS "comeFrom", r.source_columns AS columns, r.separator, r.label_column AS label, r.variable,
				r.map_id AS map, m.name AS "mapName", r.member_id AS member, r.date_format AS format
			FROM import_rule r JOIN model_dimension md ON md.dimension_id = r.dimension_id AND md.model_id = $2 LEFT JOIN map m ON m.id = r.map_id
			WHERE r.import_id = $1 ORDER BY md.position`,
			[id, modelId]
		);
		const packedRules: ModelPackage['imports'][number]['rules'] = [];
		for (const { dimension, map, mapName, member, ...rule } of rules.rows) {
			const lines = await database.query<{ member: number | null; skip: boolean; reverseSign: boolean; kind: string; terms: unknown }>(
				'SELECT member_id AS member, skip, reverse_sign AS "reverseSign", kind, terms FROM map_line WHERE map_id = $1 ORDER BY position',
				[map]
			);
			packedRules.push({
				...rule,
				dimension: keyOf.get(dimension)!,
				member: member === null ? null : codeOf(member),
				map:
					mapName === null
						? null
						: { name: mapName, lines: lines.rows.map((line) => ({ ...line, member: line.member === null ? null : codeOf(line.member) })) }
			});
		}
		packed.push({ ...facts, source: packSource(source, keyOf), rules: packedRules });
	}
	return packed;
}

/** How an import reads, with dimensions by key. Other systems and other models stay behind: there rows come from a file. */
function packSource(source: unknown, keyOf: ReadonlyMap<number, string>): unknown {
	const { extent, ...parsed } = sourceSchema.parse(source);
	return { ...parsed, place: { kind: 'file' }, extent: extent.flatMap((dimension) => keyOf.get(dimension) ?? []) };
}

/** Every stored series, sorted by origin and address. */
async function packNumbers(modelId: number): Promise<PackedSeries[]> {
	const client = await pool().connect();
	try {
		const definition = (await readModelDefinition(client, modelId))!;
		const codes = new Map(definition.dimensions.flatMap(({ members }) => members.map(({ id, code }) => [id, code] as const)));
		for (const list of await choiceListsOf(client, modelId))
			for (const { id, code } of (
				await client.query<{ id: number; code: string }>('SELECT id, code FROM member WHERE dimension_id = $1', [list.id])
			).rows)
				codes.set(id, code);
		const origins = new Map(definition.origins.map(({ id, name }) => [id, name]));
		const coded = new Map(definition.accounts.map(({ member, valueType }) => [member, valueType] as const));
		const texts = new Map<number, string>();
		if (definition.accounts.some(({ valueType }) => valueType === 'text'))
			for (const { id, value } of (await client.query<{ id: number; value: string }>('SELECT id, value FROM text_value')).rows)
				texts.set(id, value);
		/** A choice by its code, a text as it is. */
		const word = (account: number, amount: number): number | string => {
			const type = coded.get(account);
			return type === 'choice' ? (codes.get(amount) ?? '') : type === 'text' ? (texts.get(amount) ?? '') : amount;
		};
		const accountAxis = definition.dimensions.filter(({ kind }) => kind !== 'period').findIndex(({ kind }) => kind === 'account');
		const isBase = new Set(definition.origins.filter(({ mode }) => mode === 'loads' || mode === 'sets').map(({ id }) => id));
		const rows: PackedSeries[] = [];
		await readAllSeries(client, modelId, await addressDimensions(client, modelId), ({ members, year, origin, amounts, stamps }) => {
			rows.push({
				origin: origins.get(origin)!,
				members: Array.from(members, (member) => codes.get(member)!),
				year,
				amounts: Array.from(amounts, (amount) =>
					amount === NOTHING ? NOTHING_PACKED : amount === amount ? word(members[accountAxis]!, amount) : null
				),
				written: !isBase.has(origin) ? [] : typeof stamps === 'number' ? [stamps] : Array.from(stamps)
			});
		});
		// Revisions are numbers of this installation: what counts is their order.
		const order = [...new Set(rows.flatMap(({ written }) => written))].sort((one, other) => one - other);
		const placeOf = new Map(order.map((revision, place) => [revision, place + 1]));
		for (const row of rows) row.written = row.written.map((revision) => placeOf.get(revision)!);
		return rows.sort((a, b) => compare([a.origin, ...a.members, a.year], [b.origin, ...b.members, b.year]));
	} finally {
		client.release();
	}
}

function numbersAsCsv({ model, dimensions }: ModelPackage, rows: readonly PackedSeries[]): string {
	const keys = model.dimensions.filter((key) => dimensions.find((dimension) => dimension.key === key)!.kind !== 'period');
	const width = Math.max(0, ...[...new Set(rows.map(({ amounts }) => amounts.length))]);
	const headings = ['origin', ...keys, 'fiscal year', 'written', ...Array.from({ length: width }, (_, index) => `p${index + 1}`)];
	return stringify([
		headings,
		...rows.map(({ origin, members, year, amounts, written }) => [origin, ...members, year, written.join(' '), ...amounts])
	]);
}

/** By parts, first that differ; code points, so that the order is the same everywhere. */
function compare(one: readonly (string | number)[], other: readonly (string | number)[]): number {
	for (let place = 0; place < one.length; place++) if (one[place] !== other[place]) return one[place]! < other[place]! ? -1 : 1;
	return 0;
}
