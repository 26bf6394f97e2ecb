import type pg from 'pg';
import { Cube, FrozenResults, isEmpty, LockTable, Model, QueryFault, ReadGuard, WriteGuard, type AccessRules } from '../../core';
import { readAllSeries } from '../database/cells';
import { readModelDefinition, readOrigins, readRateSets } from '../database/definitions';
import { readFrozen } from '../database/frozen-results';
import { readLocks } from '../database/model-locks';
import { snapshot } from '../database/pool';
import { modelVersions, structureChanges } from '../database/structure-version';
import { leafOfMember, toOrdinals } from './addresses';
import { CodedWords } from './coded-words';
import { EngineFault } from './fault';
import { FormFault } from './form-fault';
import { FormView } from './form-view';
import { changesOf, type JournalChange } from './journal';
import { LIMITS } from './limits';
import type { EngineNews } from './messages';
import { fromDraftValue, PersonDraft } from './person-draft';
import type { FormAnswer, FormAsk } from './requests/form';

/** Series of one change set from which on open forms are no longer followed cell by cell. */
const MANY_CHANGES = 1_000;

/** A form a person has open, with their draft and their rights; `answer` is what the page is to show. */
export interface OpenForm {
	form: FormView;
	draft: PersonDraft;
	guard: WriteGuard;
	answer: () => Promise<FormAnswer>;
}

/**
 * A model at work: its cube, filled from PostgreSQL in one snapshot and kept current by the journal, people's drafts
 * over it, and the forms they have open.
 */
export class ModelEngine {
	readonly database: pg.Pool;
	model: Model;
	cube: Cube;
	/** What is locked, compiled once for everybody. */
	locks: LockTable;
	/** The structure version the model stands at. */
	structure: number;
	/** The structure version from which on members are as they are: later ones changed what lines do not depend on. */
	shaped: number;
	revision: number;
	readonly #drafts = new Map<number, PersonDraft>();
	readonly #guards = new Map<string, { write: WriteGuard; read: ReadGuard | undefined }>();
	readonly #forms = new Map<string, { person: number; form: FormView }>();
	/** Forms that are being entered into: they stay open until that has ended. */
	readonly #busy = new Set<FormView>();
	readonly #tell: (news: EngineNews) => void;
	words: CodedWords;

	private constructor(
		database: pg.Pool,
		model: Model,
		cube: Cube,
		locks: LockTable,
		words: CodedWords,
		revision: number,
		structure: number,
		tell: (news: EngineNews) => void
	) {
		this.database = database;
		this.words = words;
		this.structure = structure;
		this.shaped = structure;
		this.model = model;
		this.cube = cube;
		this.locks = locks;
		this.revision = revision;
		this.#tell = tell;
	}

	/**
	 * Reads a model and its cells in one repeatable-read snapshot.
	 * @param tell told whenever the cube has moved on, or the model
	 * @throws Error when there is no such model
	 */
	static async open(database: pg.Pool, modelId: number, tell: (news: EngineNews) => void): Promise<ModelEngine> {
		return snapshot(async (client) => {
			const model = await readModel(client, modelId);
			const { revision, structure } = await modelVersions(client, modelId);
			model.frozen = FrozenResults.of(model, await readFrozen(client, modelId));
			return new ModelEngine(
				database,
				model,
				await readCube(client, model),
				new LockTable(model, await readLocks(client, modelId)),
				await CodedWords.read(client, model, database),
				revision,
				structure,
				tell
			);
		}, database);
	}

	/** Whether a revision or structure version has not been reached. */
	isBehind(revision: number, structure: number): boolean {
		return this.revision < revision || this.structure < structure;
	}

	/** Asks where the model is, and catches up in `turn` when it is further. */
	async look(turn: (work: () => Promise<void>) => Promise<void>): Promise<void> {
		const { revision, structure } = await modelVersions(this.database, this.model.definition.id);
		if (this.isBehind(revision, structure)) await turn(() => this.catchUp());
	}

	/** Follows the structure and the journal of the model to where they are. To be called while nothing else is asked of it. */
	async catchUp(): Promise<void> {
		const latest = await modelVersions(this.database, this.model.definition.id);
		// First what the journal's figures may need: the origins of a run, the members of a load.
		if (latest.structure > this.structure) await this.#followStructure();
		await this.#applyJournal(latest.revision);
	}

	/** Takes in a changed structure: origins or rates alone as they are; else a new model, to which the cells move. */
	async #followStructure(): Promise<void> {
		const modelId = this.model.definition.id;
		// Counted and told when all of it is done: broken off in the middle, it is done once more.
		this.structure = await snapshot(async (client) => {
			const { revision, structure } = await modelVersions(client, modelId);
			const changes = await structureChanges(client, modelId, this.structure, structure);
			if (changes.has('definition')) {
				const model = await readModel(client, modelId);
				const words = await CodedWords.read(client, model, this.database);
				if (!this.cube.moveTo(model)) {
					this.cube = await readCube(client, model);
					this.revision = revision;
				}
				this.model = model;
				this.shaped = structure;
				this.words = words;
				this.#drafts.clear();
				this.#guards.clear();
				this.#forms.clear();
			}
			if (changes.has('definition') || changes.has('locks')) {
				this.locks = new LockTable(this.model, await readLocks(client, modelId));
				this.#guards.clear();
				const frozen = FrozenResults.of(this.model, await readFrozen(client, modelId));
				// What shows may be another figure then.
				if (frozen ?? this.model.frozen) this.#forms.clear();
				this.model.frozen = frozen;
			}
			if (!changes.has('definition')) {
				if (changes.has('origins') && this.model.replaceOrigins(await readOrigins(client, modelId))) {
					this.cube.restand();
					this.#forms.clear();
				}
				if (changes.has('rates')) {
					this.model.replaceRates(await readRateSets(client));
					this.#forms.clear();
				}
			}
			return structure;
		}, this.database);
		this.#tell({ kind: 'structure', structure: this.structure });
	}

	/** Brings the cube to a revision at least. @throws Error when the journal has none yet */
	async reach(revision: number): Promise<void> {
		if (this.revision < revision) await this.catchUp();
		if (this.revision < revision) throw new Error(`The journal has no revision ${revision} yet.`);
	}

	async #applyJournal(latest: number): Promise<void> {
		const before = this.revision;
		while (this.revision < latest) {
			const changes = await changesOf(this.database, this.model.definition.id, this.revision + 1);
			// Forms are built anew when next asked for: quicker than a million differences, and only what is on screen is.
			if (changes.length > MANY_CHANGES) this.#forms.clear();
			for (const change of changes) this.#apply(change, this.revision + 1);
			this.revision++;
		}
		if (this.revision > before) this.#tell({ kind: 'revision', revision: this.revision });
	}

	#apply(change: JournalChange, revision: number): void {
		const address = toOrdinals(this.model, change.address);
		if (!address) return;
		if (change.kind === 'series') {
			if (this.#forms.size === 0) {
				this.cube.writeSeries(change.origin, address, change.year, change.amounts, change.stamps);
				return;
			}
			const { stamps } = change;
			const held = typeof stamps === 'number' ? this.cube.seriesOf(change.origin, address, change.year) : undefined;
			for (let position = 0; position < change.amounts.length; position++) {
				const value = change.amounts[position]!;
				// Without stamps of its own, what stays the same is not written anew.
				if (held && same(held[position]!, value)) continue;
				this.#writeCell(change.origin, address, change.year, position, value, typeof stamps === 'number' ? stamps : stamps[position]!);
			}
			return;
		}
		const leaf = leafOfMember(this.model, address, change.period);
		if (leaf) this.#writeCell(change.origin, address, leaf.fiscalYear, leaf.position, change.value, revision);
	}

	/** Writes a cell into the cube and hands every open form the difference its reader sees. */
	#writeCell(origin: number, address: Int32Array, year: number, position: number, value: number, stamp: number): void {
		const before = this.cube.read(address, year, position);
		const shownBefore = new Map([...this.#drafts].map(([person, { reader }]) => [person, reader.read(address, year, position)]));
		this.cube.writeCell(origin, address, year, position, value, stamp);
		const after = this.cube.read(address, year, position);
		if (same(before, after)) return;
		for (const { person, form } of this.#forms.values()) {
			const draft = this.#drafts.get(person);
			form.change({
				address,
				year,
				position,
				before: shownBefore.get(person) ?? before,
				after: draft ? draft.reader.read(address, year, position) : after
			});
		}
	}

	/** A form as a person sees it, by the draft and the rights they have. @throws EngineFault when it cannot be shown */
	async openForm(ask: FormAsk): Promise<OpenForm> {
		await this.reach(ask.revision);
		const draft = await this.draftOf(ask.person, ask.draftVersion);
		const { write: guard, read: visible } = this.#guardsOf(ask.rules);
		// Other rights are other lines and other figures.
		if (draft.see(visible)) for (const [key, { person }] of this.#forms) if (person === ask.person) this.#forms.delete(key);
		const lines = JSON.stringify([ask.layout, ask.choices, ask.currency]);
		const key = `${ask.person} ${lines}`;
		let open = this.#forms.get(key);
		if (open) this.#forms.delete(key);
		else {
			open = { person: ask.person, form: this.#buildForm(ask, visible) };
			open.form.fill(draft.reader);
		}
		this.#forms.set(key, open);
		if (this.#forms.size > LIMITS.forms) {
			const oldest = [...this.#forms].find(([, { form }]) => !this.#busy.has(form));
			if (oldest) this.#forms.delete(oldest[0]);
		}
		const { form } = open;
		const answer = async (): Promise<FormAnswer> => {
			await this.words.know(form.textPlaces(ask.window));
			return form.answer(this.revision, this.structure, guard, draft, this.words, ask.window, ask.form);
		};
		return { form, draft, guard, answer };
	}

	#buildForm(ask: FormAsk, visible: ReadGuard | undefined): FormView {
		try {
			return new FormView(this.model, ask, visible);
		} catch (error) {
			if (error instanceof FormFault || error instanceof QueryFault) throw new EngineFault(`This form cannot be shown. ${error.message}`);
			throw error;
		}
	}

	/** Changes a person's draft through a form, which stays open meanwhile; what fails in the middle leaves nothing behind. */
	async changeDraft<Answer>(ask: FormAsk, change: (open: OpenForm) => Promise<Answer>): Promise<Answer> {
		const open = await this.openForm(ask);
		this.#busy.add(open.form);
		try {
			return await change(open);
		} catch (error) {
			// As the database has it: read anew by the next request.
			this.#drafts.delete(ask.person);
			throw error;
		} finally {
			this.#busy.delete(open.form);
		}
	}

	/** Changes a cell of a draft, and what the forms of its person show. */
	setDraftCell(
		{ person, form }: Pick<FormAsk, 'person' | 'form'>,
		draft: PersonDraft,
		address: Int32Array,
		year: number,
		position: number,
		value: number
	): void {
		const before = draft.reader.read(address, year, position);
		const seen = draft.seenAt(address, year, position);
		const more = (isEmpty(value) ? 0 : 1) - (isEmpty(draft.overlay.get(address, year, position)) ? 0 : 1);
		draft.set(address, year, position, value, form ?? 0);
		draft.seen.set(address, year, position, isEmpty(value) ? value : isEmpty(seen) ? fromDraftValue('cleared') : seen);
		const after = draft.reader.read(address, year, position);
		for (const open of this.#forms.values()) {
			if (open.person !== person) continue;
			open.form.change({ address, year, position, before, after });
			if (more !== 0) open.form.countDrafted(address, year, position, more as 1 | -1);
		}
	}

	/** A person's draft in the version the database has. */
	async draftOf(person: number, version: number): Promise<PersonDraft> {
		const known = this.#drafts.get(person);
		const draft = known?.version === version ? known : await PersonDraft.read(this.database, this.cube, person);
		// In the order they were last used.
		this.#drafts.delete(person);
		this.#drafts.set(person, draft);
		this.#forgetDrafts();
		if (draft === known) return draft;
		for (const open of this.#forms.values()) if (open.person === person) open.form.fill(draft.reader);
		return draft;
	}

	/** Drafts beyond the limit are read again when they are next asked for, and the forms over them filled anew. */
	#forgetDrafts(): void {
		const busy = new Set([...this.#forms.values()].flatMap(({ person, form }) => (this.#busy.has(form) ? [person] : [])));
		for (const person of this.#drafts.keys()) {
			if (this.#drafts.size <= LIMITS.drafts) return;
			if (!busy.has(person)) this.#drafts.delete(person);
		}
	}

	/** Who may write where, compiled. */
	guardOf = (rules: AccessRules): WriteGuard => this.#guardsOf(rules).write;

	/** What may be read, compiled; undefined where that is everything. */
	visibleOf = (rules: AccessRules): ReadGuard | undefined => this.#guardsOf(rules).read;

	#guardsOf(rules: AccessRules): { write: WriteGuard; read: ReadGuard | undefined } {
		const key = JSON.stringify(rules);
		let guards = this.#guards.get(key);
		if (!guards) {
			if (this.#guards.size > LIMITS.rules) this.#guards.clear();
			this.#guards.set(
				key,
				(guards = { write: new WriteGuard(this.model, rules, this.locks), read: ReadGuard.ofRules(this.model, rules) })
			);
		}
		return guards;
	}
}

async function readModel(client: pg.PoolClient, modelId: number): Promise<Model> {
	const definition = await readModelDefinition(client, modelId);
	if (!definition) throw new Error(`There is no model ${modelId}.`);
	return new Model(definition);
}

async function readCube(client: pg.PoolClient, model: Model): Promise<Cube> {
	const cube = new Cube(model);
	const ids = model.dimensions.map(({ id }) => id);
	const address = new Int32Array(ids.length);
	await readAllSeries(client, model.definition.id, ids, ({ members, year, origin, amounts, stamps }) => {
		for (let axis = 0; axis < ids.length; axis++) address[axis] = model.dimensions[axis]!.ordinal(members[axis]!) ?? -1;
		cube.writeSeries(origin, address, year, amounts, stamps);
	});
	return cube;
}

const same = (left: number, right: number): boolean => left === right || (isEmpty(left) && isEmpty(right));
