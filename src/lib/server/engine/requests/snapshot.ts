import type pg from 'pg';
import {
	asItStood,
	Cube,
	eachShownCell,
	LockTable,
	Model,
	QueryFault,
	ReadGuard,
	Reader,
	WriteGuard,
	type ModelDefinition,
	type RatesInstead
} from '../../../core';
import type { BranchVersion } from '../../database/branch-series';
import { pack, unpack } from '../../database/packed';
import type { PackedSnapshot } from '../../database/snapshots';
import { toMembers, toOrdinals } from '../addresses';
import { CodedWords } from '../coded-words';
import { EngineFault } from '../fault';
import { FormFault } from '../form-fault';
import { FormView } from '../form-view';
import type { ModelEngine } from '../model-engine';
import { PersonDraft } from '../person-draft';
import type { FormAnswer, FormAsk } from './form';

export interface TakeSnapshotAsk {
	revision: number;
	structure: number;
	branch?: BranchVersion | undefined;
	/** By dimension (id) the members (ids) at and under which figures are taken; all of a dimension that is not named. */
	part: Record<number, number[]>;
}

/** The figures of a snapshot: of each series its members (ids) and year, one after another, and its values. */
interface Figures {
	keys: Int32Array;
	values: Float64Array;
	width: number;
}

/** A snapshot holds at most so many figures: it is opened as a whole. */
const MOST_CELLS = 2_000_000;

/** Takes down what shows at the leaf cells of a part of the model, with the model as it stands. */
export async function takeSnapshot(engine: ModelEngine, { revision, branch, part }: TakeSnapshotAsk): Promise<PackedSnapshot> {
	await engine.reach(revision);
	const { model, cube } = engine;
	const layer = branch && (await engine.branchOf(branch));
	const covers = model.dimensions.map((dimension) => {
		const members = part[dimension.id];
		if (!members) return undefined;
		const covered = new Uint8Array(dimension.members.length);
		for (const id of members) {
			const ordinal = dimension.ordinal(id);
			if (ordinal === undefined) throw new EngineFault(`A member of ${dimension.name} is not in the model any more. Choose again.`);
			for (const leaf of dimension.leavesOf(ordinal)) covered[leaf] = 1;
		}
		return covered;
	});
	const copy = new Cube(new Model(asItStood(model.definition)));
	let cells = 0;
	eachShownCell(new Reader(cube, layer ? [layer] : []), covers, (address, year, position, value) => {
		if (++cells > MOST_CELLS)
			throw new EngineFault(`That is more than ${MOST_CELLS.toLocaleString('en')} figures. Take a smaller part of the model.`);
		copy.writeCell(0, address, year, position, value);
	});
	const width = copy.store.width;
	const keys: number[] = [];
	const values: number[] = [];
	const address = new Int32Array(model.dimensions.length);
	for (const { year, block } of copy.store.blocks())
		for (let series = 0; series < block.count; series++) {
			keys.push(...toMembers(model, block.readAddress(series, address)), year);
			for (let position = 0; position < width; position++) values.push(block.values[series * width + position]!);
		}
	const figures: Figures = { keys: Int32Array.from(keys), values: Float64Array.from(values), width };
	return {
		cells,
		dimensions: model.dimensions.map(({ id }) => id),
		definition: await pack(atRatesOf(model.definition, layer?.ratesInstead)),
		figures: await pack(figures)
	};
}

/** A definition whose scenarios name the rates that are read in a branch. */
function atRatesOf(definition: ModelDefinition, instead: RatesInstead | undefined): ModelDefinition {
	if (!instead) return definition;
	const read = (rateSet: number) => (rateSet === instead.of ? instead.by : rateSet);
	return {
		...definition,
		scenarios: definition.scenarios.map((scenario) => ({
			...scenario,
			rateSet: read(scenario.rateSet),
			...(scenario.laterRates && { laterRates: scenario.laterRates.map((later) => ({ ...later, rateSet: read(later.rateSet) })) })
		}))
	};
}

/** A snapshot that is being looked at. */
interface Shelved {
	cube: Cube;
	words: CodedWords;
}

/** Of each engine the snapshots looked at last, in that order. */
const shelves = new WeakMap<ModelEngine, Map<number, Shelved>>();
const MOST_SHELVED = 3;

/** A snapshot with the model it belongs to. @throws EngineFault where it has been deleted */
export async function snapshotOf(engine: ModelEngine, id: number): Promise<Shelved> {
	let shelf = shelves.get(engine);
	if (!shelf) shelves.set(engine, (shelf = new Map()));
	const found = shelf.get(id) ?? (await readSnapshot(engine.database, id));
	shelf.delete(id);
	shelf.set(id, found);
	if (shelf.size > MOST_SHELVED) shelf.delete(shelf.keys().next().value!);
	return found;
}

async function readSnapshot(database: pg.Pool, id: number): Promise<Shelved> {
	const found = await database.query<{ definition: Buffer; figures: Buffer }>('SELECT definition, figures FROM snapshot WHERE id = $1', [
		id
	]);
	const [row] = found.rows;
	if (!row) throw new EngineFault('This snapshot has been deleted.');
	const model = new Model(asItStood(await unpack<ModelDefinition>(row.definition)));
	const { keys, values, width } = await unpack<Figures>(row.figures);
	const cube = new Cube(model);
	const span = model.dimensions.length + 1;
	for (let series = 0; series * span < keys.length; series++) {
		const members = keys.subarray(series * span, (series + 1) * span);
		const address = toOrdinals(model, members);
		if (address) cube.writeSeries(0, address, members[span - 1]!, values.subarray(series * width, (series + 1) * width));
	}
	const client = await database.connect();
	try {
		return { cube, words: await CodedWords.read(client, model, database) };
	} finally {
		client.release();
	}
}

/** A form with the figures of a snapshot, as somebody may read them. @throws EngineFault where the form does not fit it */
export async function snapshotForm(engine: ModelEngine, ask: FormAsk & { snapshot: number }): Promise<FormAnswer> {
	const { cube, words } = await snapshotOf(engine, ask.snapshot);
	const { model } = cube;
	const visible = ReadGuard.ofRules(model, ask.rules);
	const draft = new PersonDraft(new Reader(cube), 0);
	draft.see(visible);
	try {
		const form = new FormView(model, ask, visible);
		form.fill(draft.reader);
		await words.know(form.textPlaces(ask.window));
		return form.answer(
			ask.revision,
			ask.structure,
			new WriteGuard(model, { ...ask.rules, mayEnter: false }, new LockTable(model, [])),
			draft,
			words,
			ask.window,
			ask.form
		);
	} catch (error) {
		if (error instanceof FormFault || error instanceof QueryFault)
			throw new EngineFault(`This form does not fit what the snapshot holds. ${error.message}`);
		throw error;
	}
}
