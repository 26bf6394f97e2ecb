import type { LineTrace } from '../allocation';
import { Cube, NOW } from '../cube';
import { Model, type OriginMode } from '../model';
import {
	membersNamed,
	namedKey,
	namesAsked,
	originModeOf,
	runSteps,
	type Answers,
	type MembersNamed,
	type ParameterDefinition,
	type RunResult,
	type Step
} from '../runbook';
import { resolveAnswers } from '../runbook';
import { checkScript, ScriptNames } from '../script';

interface Kept {
	id: number;
	mode: OriginMode;
	result?: { runbook: number; step: number; rank: number };
	named?: MembersNamed;
	reads: number[];
}

/** A runbook of a test: steps with ids of their own, and what it asks for. */
export interface Book {
	id: number;
	steps: Step[];
	parameters?: ParameterDefinition[];
}

/** How a run of a test goes. */
export interface RunHow {
	only?: number;
	clears?: boolean;
	whyNot?: (address: Int32Array, leaf: number) => string | undefined;
	traced?: (step: number, trace: LineTrace) => void;
}

/**
 * A model with its cells at work, as a server would keep it: loads, entries and runs each get the next revision, results
 * their origins. For tests of what stands where.
 */
export class RunbookWorld {
	#model: Model;
	cube: Cube;
	revision = 0;
	readonly #kept: Kept[] = [
		{ id: 1, mode: 'entry', reads: [] },
		{ id: 2, mode: 'loads', reads: [] },
		{ id: 3, mode: 'loads', reads: [] },
		{ id: 4, mode: 'adds', reads: [] }
	];

	constructor(model: Model) {
		this.#model = model;
		this.cube = new Cube(model);
		this.#rebuild();
	}

	get model(): Model {
		return this.#model;
	}

	/** Ordinals of leaf members by their codes, one a dimension. */
	address(...codes: string[]): Int32Array {
		return Int32Array.from(this.#model.dimensions, (dimension, axis) => dimension.ordinalOfCode(codes[axis]!)!);
	}

	place(period: string): { year: number; position: number } {
		const { periods } = this.#model;
		const leaf = periods.leaf(periods.range(periods.dimension.ordinalOfCode(period)!).from);
		return { year: leaf.fiscalYear, position: leaf.position };
	}

	/** Writes under an origin with the next revision: an entry (1), a load (2, 3), an addition (4). NaN takes away. */
	write(origin: number, codes: readonly string[], period: string, value: number): void {
		const { year, position } = this.place(period);
		this.cube.writeCell(origin, this.address(...codes), year, position, value, ++this.revision);
	}

	read(codes: readonly string[], period: string): number {
		const { year, position } = this.place(period);
		return this.cube.read(this.address(...codes), year, position);
	}

	formula(id: number, text: string, more: Partial<Step> = {}): Step {
		const parameters = new Map([['p', { kind: 'number', value: 1 } as const]]);
		const { names } = checkScript(this.#model, text, { names: new ScriptNames(this.#model), parameters });
		return { id, name: `Step ${id}`, description: '', active: true, limits: {}, kind: 'formula', script: { text, names }, ...more } as Step;
	}

	/** Runs a runbook and stores what it did. */
	run(book: Book, answers: Answers = {}, how: RunHow = {}): RunResult {
		this.makeOrigins(book, answers);
		const result = this.compute(book, answers, how);
		this.revision++;
		for (const { origin, address, year, after, stamps } of result.changes)
			this.cube.writeSeries(
				origin,
				address,
				year,
				after,
				stamps.map((stamp) => (stamp === NOW ? this.revision : stamp))
			);
		for (const [origin, read] of result.reads) this.#kept.find(({ id }) => id === origin)!.reads = read;
		return result;
	}

	/** Makes the origins a run writes under; the cube is another one afterwards. */
	makeOrigins(book: Book, answers: Answers): void {
		const parameters = book.parameters ?? [];
		const named = membersNamed(parameters, answers, this.#model.variables, namesAsked(book.steps));
		book.steps.forEach(({ id, kind, ...step }, rank) => {
			if (kind === 'clear' || kind === 'import') return;
			const has = this.#kept.some((each) => each.result?.step === id && namedKey(each.named!) === namedKey(named));
			const mode = originModeOf({ id, kind, ...step } as Step) ?? 'sets';
			if (!has) this.#kept.push({ id: 100 + this.#kept.length, mode, result: { runbook: book.id, step: id, rank }, named, reads: [] });
		});
		this.#rebuild();
	}

	/** What a run would do with the cube as it is; its origins are there. */
	compute(book: Book, answers: Answers, { only, clears, whyNot, traced }: RunHow): RunResult {
		const parameters = book.parameters ?? [];
		const named = membersNamed(parameters, answers, this.#model.variables, namesAsked(book.steps));
		const own = this.#kept.filter(({ result }) => result?.runbook === book.id);
		const { values, variables } = resolveAnswers(this.#model, parameters, answers);
		return runSteps(this.#model, this.cube, {
			steps: book.steps,
			values,
			variables,
			named,
			originOf: new Map(own.filter((each) => namedKey(each.named!) === namedKey(named)).map(({ id, result }) => [result!.step, id])),
			results: own.map(({ id, result, named }) => ({ origin: id, step: result!.step, named: named! })),
			readBy: new Map(this.#kept.map(({ id, reads }) => [id, reads])),
			...(only !== undefined && { only: new Set([only]) }),
			...(clears && { clears }),
			kindOf: (origin) => (origin === 1 ? 'entries' : origin > 3 ? 'results' : 'loads'),
			whyNot: whyNot ?? (() => undefined),
			onRefused: 'skip',
			...(traced && { traced }),
			breathe: () => {},
			progress: () => {}
		});
	}

	/** Puts the cells back as a run found them. */
	takeBack({ changes }: RunResult): void {
		this.revision++;
		for (const { origin, address, year, before, stampsBefore } of changes)
			this.cube.writeSeries(origin, address, year, before, stampsBefore);
	}

	/** A new origin is a changed model: the cube is read into it again. */
	#rebuild(): void {
		const origins = this.#kept.map(({ id, mode, result }) => ({ id, name: `Origin ${id}`, mode, ...(result && { result }) }));
		this.#model = new Model({ ...this.#model.definition, origins });
		const cube = new Cube(this.#model);
		const address = new Int32Array(this.#model.dimensions.length);
		for (const { year, block } of this.cube.store.blocks())
			for (let series = 0; series < block.count; series++)
				for (const origin of new Set(this.cube.originsOf(block, series))) {
					const width = block.width;
					const values = this.cube.heldAt(block, series, origin, new Float64Array(width));
					const stamps = this.cube.stampsAt(block, series, origin, new Float64Array(width));
					cube.writeSeries(origin, block.readAddress(series, address), year, values, stamps);
				}
		this.cube = cube;
	}
}
