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
		runbooks: await within('runbooks'),
		views: await within('views'),
		boards: await within('boards')
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
