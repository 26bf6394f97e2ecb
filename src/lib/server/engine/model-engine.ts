import type pg from 'pg';
import {
	BranchLayer,
	Cube,
	FrozenResults,
	isEmpty,
	LockTable,
	Model,
	QueryFault,
	Reader,
	ReadGuard,
	WriteGuard,
	isSame,
	type AccessRules
} from '../../core';
import {
	readBranchSeries,
	readBranchRates,
	readOwnExtents,
	readOwnResults,
	type BranchSeries,
	type BranchVersion
} from '../database/branch-series';
import { readAllSeries } from '../database/cells';
import { readModelDefinition, readOrigins, readRateSets } from '../database/definitions';
import { readFrozen } from '../database/frozen-results';
import { readLocks } from '../database/model-locks';
import { snapshot } from '../database/pool';
import { modelVersions, structureChanges } from '../database/structure-version';
import { ownExtents } from '../database/own-extents';
import { leafOfMember, leavesOfMembers, toOrdinals } from './addresses';
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

/** A branch that is worked in: as far as it was read, and the loads (numbers) it owns. */
interface OpenBranch {
	version: number;
	layer: BranchLayer;
	loads: string;
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
	/** By person, and by person and branch. */
	readonly #drafts = new Map<string, PersonDraft>();
	/** What branches hold that are worked in, by branch, in the order they were last used. */
	readonly #branches = new Map<number, OpenBranch>();
	readonly #guards = new Map<string, { write: WriteGuard; read: ReadGuard | undefined }>();
	readonly #forms = new Map<string, { whose: string; branch: number | undefined; form: FormView }>();
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
		if (this.#branches.size === 0) return;
		const branches = await this.database.query<BranchVersion>('SELECT id, version FROM branch WHERE id = ANY ($1)', [
			[...this.#branches.keys()]
		]);
		for (const branch of branches.rows)
			if ((this.#branches.get(branch.id)?.version ?? branch.version) < branch.version)
				await turn(async () => void (await this.branchOf(branch)));
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
				this.#branches.clear();
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
					this.#branches.clear();
					this.#drafts.clear();
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
				for (const { layer } of this.#branches.values()) layer.refreshSeries(address, change.year);
				return;
			}
			const { stamps } = change;
			const held = typeof stamps === 'number' ? this.cube.seriesOf(change.origin, address, change.year) : undefined;
			for (let position = 0; position < change.amounts.length; position++) {
				const value = change.amounts[position]!;
				// Without stamps of its own, what stays the same is not written anew.
				if (held && isSame(held[position]!, value)) continue;
				this.#writeCell(change.origin, address, change.year, position, value, typeof stamps === 'number' ? stamps : stamps[position]!);
			}
			return;
		}
		const leaf = leafOfMember(this.model, address, change.period);
		if (leaf) this.#writeCell(change.origin, address, leaf.fiscalYear, leaf.position, change.value, revision);
	}

	/** Writes a cell into the cube; branches that hold something there show what follows, and open forms are told. */
	#writeCell(origin: number, address: Int32Array, year: number, position: number, value: number, stamp: number): void {
		this.#moveCell(address, year, position, () => {
			this.cube.writeCell(origin, address, year, position, value, stamp);
			for (const { layer } of this.#branches.values()) layer.refresh(address, year, position);
		});
	}

	/**
	 * Hands every open form the difference its reader sees when a cell moves.
	 * @param branch where it moves in that branch alone
	 */
	#moveCell(address: Int32Array, year: number, position: number, move: () => void, branch?: number): void {
		const concerned = [...this.#forms.values()].filter((form) => branch === undefined || form.branch === branch);
		if (concerned.length === 0) return move();
		const readers = new Map(concerned.map((form) => [form.whose, this.#readerOf(form.whose, form.branch)]));
		const before = new Map([...readers].map(([whose, reader]) => [whose, reader.read(address, year, position)]));
		move();
		const after = new Map([...readers].map(([whose, reader]) => [whose, reader.read(address, year, position)]));
		for (const { whose, form } of concerned)
			if (!isSame(before.get(whose)!, after.get(whose)!))
				form.change({ address, year, position, before: before.get(whose)!, after: after.get(whose)! });
	}

	#readerOf(whose: string, branch: number | undefined): Reader {
		const draft = this.#drafts.get(whose);
		if (draft) return draft.reader;
		const layer = branch === undefined ? undefined : this.#branches.get(branch)?.layer;
		return new Reader(this.cube, layer ? [layer] : []);
	}

	/** What a branch holds, in its latest version or a later one. */
	async branchOf({ id, version }: BranchVersion): Promise<BranchLayer> {
		const known = this.#branches.get(id);
		const open = known ?? { version: -1, layer: new BranchLayer(this.cube), loads: '' };
		if (open.version < version) {
			const series = await readBranchSeries(this.database, id, open.version);
			await this.#takeOver(id, open);
			// As with a change set of the plan: forms are built anew when next asked for.
			if (series.length > MANY_CHANGES) this.#closeForms(id);
			for (const each of series) this.#takeIn(id, open.layer, each);
			open.version = Math.max(open.version, version);
			if (known) this.#tell({ kind: 'branch', branch: id, version });
		}
		this.#branches.delete(id);
		this.#branches.set(id, open);
		this.#forgetBranches();
		return open.layer;
	}

	/** Says which results and loads are a branch’s own, and at which rates it is read, where that has changed. */
	async #takeOver(branch: number, open: OpenBranch): Promise<void> {
		const { layer } = open;
		const [results, rates, stored] = await Promise.all([
			readOwnResults(this.database, branch),
			readBranchRates(this.database, branch),
			readOwnExtents(this.database, branch)
		]);
		const loads = stored.map(({ id }) => id).join();
		const hasOtherRates = rates?.of !== layer.ratesInstead?.of || rates?.by !== layer.ratesInstead?.by;
		layer.ratesInstead = rates;
		const own = new Map(results.map(({ origin, periods }) => [origin, periods ? leavesOfMembers(this.model, periods) : undefined]));
		const isAsBefore =
			own.size === layer.own.size &&
			[...own].every(([origin, periods]) => layer.own.has(origin) && String(layer.own.get(origin)) === String(periods)) &&
			loads === open.loads;
		if (isAsBefore && !hasOtherRates) return;
		if (!isAsBefore) layer.setOwn(own, ownExtents(this.model, stored));
		open.loads = loads;
		this.#closeForms(branch);
	}

	#closeForms(branch: number): void {
		for (const [key, { branch: of, form }] of this.#forms) if (of === branch && !this.#busy.has(form)) this.#forms.delete(key);
	}

	#takeIn(branch: number, layer: BranchLayer, { origin, year, address: members, amounts, versions }: BranchSeries): void {
		const address = toOrdinals(this.model, members);
		if (!address) return;
		for (let position = 0; position < amounts.length; position++) {
			const value = amounts[position] ?? Number.NaN;
			const held = layer.heldAt(address, year, position).find((each) => each.origin === origin)?.value ?? Number.NaN;
			if (isSame(value, held)) continue;
			this.#moveCell(address, year, position, () => layer.hold(origin, address, year, position, value, versions[position] ?? 0), branch);
		}
	}

	/** Branches beyond the limit are read again when somebody works in them next. */
	#forgetBranches(): void {
		const busy = new Set([...this.#forms.values()].flatMap(({ branch, form }) => (this.#busy.has(form) ? [branch] : [])));
		for (const id of this.#branches.keys()) {
			if (this.#branches.size <= LIMITS.branches) return;
			if (busy.has(id)) continue;
			this.#branches.delete(id);
			for (const [key, { branch }] of this.#forms) if (branch === id) this.#forms.delete(key);
		}
	}

	/** A form as a person sees it, by the draft and the rights they have. @throws EngineFault when it cannot be shown */
	async openForm(ask: FormAsk): Promise<OpenForm> {
		await this.reach(ask.revision);
		const draft = await this.draftOf(ask.person, ask.draftVersion, ask.branch);
		const whose = whoseDraft(ask.person, ask.branch);
		const { write: guard, read: visible } = this.#guardsOf(ask.rules);
		// Other rights are other lines and other figures.
		if (draft.see(visible)) for (const [key, { whose: other }] of this.#forms) if (other === whose) this.#forms.delete(key);
		const lines = JSON.stringify([ask.layout, ask.choices, ask.currency]);
		const key = `${whose} ${lines}`;
		let open = this.#forms.get(key);
		if (open) this.#forms.delete(key);
		else {
			open = { whose, branch: ask.branch?.id, form: this.#buildForm(ask, visible) };
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
			this.#drafts.delete(whoseDraft(ask.person, ask.branch));
			throw error;
		} finally {
			this.#busy.delete(open.form);
		}
	}

	/** Changes a cell of a draft, and what the forms of its person show. */
	setDraftCell(
		{ person, branch, form }: Pick<FormAsk, 'person' | 'branch' | 'form'>,
		draft: PersonDraft,
		address: Int32Array,
		year: number,
		position: number,
		value: number
	): void {
		const whose = whoseDraft(person, branch);
		const before = draft.reader.read(address, year, position);
		const seen = draft.seenAt(address, year, position);
		const more = (isEmpty(value) ? 0 : 1) - (isEmpty(draft.overlay.get(address, year, position)) ? 0 : 1);
		draft.set(address, year, position, value, form ?? 0);
		draft.seen.set(address, year, position, isEmpty(value) ? value : isEmpty(seen) ? fromDraftValue('cleared') : seen);
		const after = draft.reader.read(address, year, position);
		for (const open of this.#forms.values()) {
			if (open.whose !== whose) continue;
			open.form.change({ address, year, position, before, after });
			if (more !== 0) open.form.countDrafted(address, year, position, more as 1 | -1);
		}
	}

	/** A person's draft of the plan, or of a branch, in the version the database has. */
	async draftOf(person: number, version: number, branch?: BranchVersion): Promise<PersonDraft> {
		const whose = whoseDraft(person, branch);
		const layer = branch && (await this.branchOf(branch));
		const known = this.#drafts.get(whose);
		const isStanding = known?.version === version && known.base.cube === this.cube && known.base.layers[0] === layer;
		const draft = isStanding
			? known
			: await PersonDraft.read(this.database, new Reader(this.cube, layer ? [layer] : []), person, branch?.id ?? null);
		// In the order they were last used.
		this.#drafts.delete(whose);
		this.#drafts.set(whose, draft);
		this.#forgetDrafts();
		if (draft === known) return draft;
		for (const open of this.#forms.values()) if (open.whose === whose) open.form.fill(draft.reader);
		return draft;
	}

	/** Drafts beyond the limit are read again when they are next asked for, and the forms over them filled anew. */
	#forgetDrafts(): void {
		const busy = new Set([...this.#forms.values()].flatMap(({ whose, form }) => (this.#busy.has(form) ? [whose] : [])));
		for (const whose of this.#drafts.keys()) {
			if (this.#drafts.size <= LIMITS.drafts) return;
			if (!busy.has(whose)) this.#drafts.delete(whose);
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

/** Names a person's draft: of the plan, or of a branch. */
const whoseDraft = (person: number, branch: BranchVersion | undefined): string => (branch ? `${person} ${branch.id}` : `${person}`);
