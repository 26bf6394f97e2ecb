import { parse } from 'csv-parse/sync';
import type JSZip from 'jszip';
import { Fault } from '../fault';
import { openModestly, type Modesty } from './modest';
import {
	NOTHING_PACKED,
	PACKAGE_VERSION,
	codedAccounts,
	packageSchema,
	type ModelPackage,
	type PackedSeries
} from '../definition/package-format';

/** Packages are at most this large, packed and unpacked. */
export const MOST_PACKAGE_BYTES = 48 * 1024 * 1024;
const MODEST: Modesty = {
	bytes: 400 * 1024 * 1024,
	cells: Number.POSITIVE_INFINITY,
	parts: 5_000,
	words: 'The package is too large when unpacked.'
};

export interface ReadPackage {
	packed: ModelPackage;
	/** Undefined when the package holds no numbers. */
	numbers: PackedSeries[] | undefined;
}

/** What a package is about, in counts. */
export interface PackageSummary {
	name: string;
	numbers: number | null;
	members: number;
	forms: number;
	imports: number;
}

export const summaryOf = ({ packed, numbers }: ReadPackage): PackageSummary => ({
	name: packed.model.name,
	numbers: numbers?.length ?? null,
	members: packed.dimensions.reduce((sum, { members }) => sum + members.length, 0),
	forms: packed.forms.length,
	imports: packed.imports.length
});

/** A package from its zip, checked against the format; done in the thread for packed files. @throws Fault naming the file and what is wrong with it */
export async function readPackedPackage(bytes: Uint8Array): Promise<ReadPackage> {
	const zip: JSZip = await openModestly(
		bytes,
		MODEST,
		() => new Fault(422, 'not understood', 'This is not a model package: it is no zip file.')
	);
	const paths = Object.keys(zip.files).filter((path) => !zip.files[path]!.dir);
	const text = async (path: string): Promise<string> => {
		const file = zip.file(path);
		if (!file) throw new Fault(422, 'not understood', `This is not a model package: it has no ${path}.`);
		return file.async('string');
	};
	const json = async (path: string): Promise<unknown> => {
		try {
			return JSON.parse(await text(path));
		} catch (error) {
			if (error instanceof Fault) throw error;
			throw new Fault(422, 'not understood', `${path} is not JSON: ${(error as Error).message}`);
		}
	};
	const within = (folder: string) =>
		Promise.all(
			paths
				.filter((path) => path.startsWith(`${folder}/`) && path.endsWith('.json'))
				.sort()
				.map(json)
		);
	const model = (await json('model.json')) as { version?: unknown; dimensions?: unknown };
	if (typeof model.version === 'number' && model.version > PACKAGE_VERSION)
		throw new Fault(422, 'not understood', `The package is of version ${model.version}; this application reads up to ${PACKAGE_VERSION}.`);
	const parsed = packageSchema.safeParse({
		model,
		calendar: await json('calendar.json'),
		dimensions: await within('dimensions'),
		lists: await within('lists'),
		rates: await json('rates.json'),
		variables: await json('variables.json'),
		formulas: await json('formulas.json'),
		locks: await json('locks.json'),
		forms: await within('forms'),
		imports: await within('imports'),
		runbooks: await within('runbooks')
	});
	if (!parsed.success) {
		const first = parsed.error.issues[0]!;
		throw new Fault(422, 'not understood', `The package does not keep its format at ${first.path.join(' / ')}: ${first.message}.`);
	}
	const packed = parsed.data;
	const lacking = packed.model.dimensions.find((key) => !packed.dimensions.some((dimension) => dimension.key === key));
	if (lacking) throw new Fault(422, 'not understood', `The package has no dimensions/${lacking}.json, which model.json names.`);
	const twice = packed.lists.find(({ key, kind }) => kind === 'period' || packed.dimensions.some((dimension) => dimension.key === key));
	if (twice)
		throw new Fault(422, 'not understood', `lists/${twice.key}.json is no list of choices: a dimension has its key, or it is a calendar.`);
	packed.dimensions.sort((a, b) => packed.model.dimensions.indexOf(a.key) - packed.model.dimensions.indexOf(b.key));
	return { packed, numbers: zip.file('numbers.csv') ? readNumbers(await text('numbers.csv'), packed) : undefined };
}

function readNumbers(csv: string, { model, dimensions }: ModelPackage): PackedSeries[] {
	const keys = model.dimensions.filter((key) => dimensions.find((dimension) => dimension.key === key)!.kind !== 'period');
	let rows: string[][];
	try {
		rows = parse(csv, { bom: true, relax_column_count: true, skip_empty_lines: true }) as string[][];
	} catch (error) {
		throw new Fault(422, 'not understood', `numbers.csv cannot be read: ${(error as Error).message}`);
	}
	const headings = rows[0] ?? [];
	const wanted = ['origin', ...keys, 'fiscal year'];
	// Packages of before do not say what was written when.
	if (headings[wanted.length] === 'written') wanted.push('written');
	const yearAt = wanted.indexOf('fiscal year');
	const wrong = wanted.find((heading, place) => headings[place] !== heading);
	if (wrong) throw new Fault(422, 'not understood', `numbers.csv has no column “${wrong}” where it belongs.`);
	const coded = codedAccounts({ dimensions });
	const account = 1 + keys.indexOf(dimensions.find(({ kind }) => kind === 'account')!.key);
	return rows.slice(1).map((cells, index): PackedSeries => {
		const year = Number(cells[yearAt]);
		const written = (cells[yearAt + 1 < wanted.length ? yearAt + 1 : -1] ?? '').split(' ').filter(Boolean).map(Number);
		const isCoded = coded.has(cells[account]!);
		const amounts = cells
			.slice(wanted.length)
			.map((cell) => (cell === '' ? null : isCoded || cell === NOTHING_PACKED ? cell : Number(cell)));
		if (
			!Number.isInteger(year) ||
			!written.every(Number.isFinite) ||
			amounts.some((amount) => typeof amount === 'number' && !Number.isFinite(amount))
		)
			throw new Fault(422, 'not understood', `numbers.csv, line ${index + 2}: a year or a number cannot be read.`);
		return { origin: cells[0]!, members: cells.slice(1, yearAt), year, amounts, written };
	});
}

/** One way in which two packages differ. */
export interface Difference {
	part: string;
	what: string;
	name: string;
	/** In a few words, where something changed. */
	change: string;
}

/** What a package would change in a model: everything that differs, part by part. */
export function comparePackages(model: ModelPackage, packed: ModelPackage): Difference[] {
	const differences: Difference[] = [];
	const compareList = <Item extends object>(
		part: string,
		what: string,
		ours: readonly Item[],
		theirs: readonly Item[],
		nameOf: (item: Item) => string
	) => {
		const known = new Map(ours.map((item) => [nameOf(item), item]));
		const named = new Set(theirs.map(nameOf));
		for (const item of theirs) {
			const before = known.get(nameOf(item));
			if (!before) differences.push({ part, what, name: nameOf(item), change: 'would be added' });
			else if (JSON.stringify(before) !== JSON.stringify(item))
				differences.push({ part, what, name: nameOf(item), change: changeOf(before, item) });
		}
		for (const item of ours)
			if (!named.has(nameOf(item))) differences.push({ part, what, name: nameOf(item), change: 'is not in the package' });
	};
	// A model may have another name and still be the same.
	const [own, other] = [model, packed].map(({ model: facts }) => ({ ...facts, name: '' })) as [object, object];
	if (JSON.stringify(own) !== JSON.stringify(other))
		differences.push({ part: 'Model', what: 'model', name: packed.model.name, change: changeOf(own, other) });
	if (JSON.stringify(model.calendar) !== JSON.stringify(packed.calendar))
		differences.push({ part: 'Calendar', what: 'calendar', name: 'Calendar', change: changeOf(model.calendar, packed.calendar) });
	compareList(
		'Dimensions',
		'dimension',
		model.dimensions.map(({ members: _, ...dimension }) => dimension),
		packed.dimensions.map(({ members: _, ...dimension }) => dimension),
		({ key }) => key
	);
	compareList('Lists', 'list of choices', model.lists, packed.lists, ({ key }) => key);
	for (const dimension of packed.dimensions) {
		const own = model.dimensions.find(({ key }) => key === dimension.key);
		if (own) compareList(dimension.name, 'member', own.members, dimension.members, ({ code }) => code);
	}
	compareList('Rates', 'rate set', model.rates, packed.rates, ({ name }) => name);
	compareList('Variables', 'variable', model.variables, packed.variables, ({ name }) => name);
	compareList('Formulas', 'formula of', model.formulas, packed.formulas, ({ account, scope }) =>
		// Several formulas of an account differ in their scope.
		scope ? `${account} ${JSON.stringify(scope)}` : account
	);
	compareList('Locks', 'lock', model.locks, packed.locks, ({ name }) => name);
	compareList('Forms', 'form', model.forms, packed.forms, ({ code }) => code);
	compareList('Runbooks', 'runbook', model.runbooks, packed.runbooks, ({ name }) => name);
	compareList('Imports', 'import', model.imports, packed.imports, ({ code }) => code);
	return differences;
}

/** Which parts of an object differ, the simple ones with their values. */
function changeOf(before: object, after: object): string {
	const simple = (value: unknown) =>
		value === undefined ? 'empty' : typeof value === 'object' && value !== null ? undefined : String(value);
	const keys = [...new Set([...Object.keys(before), ...Object.keys(after)])];
	return keys
		.flatMap((key) => {
			const [was, is] = [(before as Record<string, unknown>)[key], (after as Record<string, unknown>)[key]];
			if (JSON.stringify(was) === JSON.stringify(is)) return [];
			if (key === 'facts' || key === 'places') return [changeOf((was as object) ?? {}, (is as object) ?? {})];
			const [one, other] = [simple(was), simple(is)];
			return [one !== undefined && other !== undefined ? `${key}: ${one} → ${other}` : key];
		})
		.join(', ');
}
