import pg from 'pg';
import {
	Cube,
	enter,
	isEmpty,
	Model,
	parseCoded,
	parseEntry,
	QueryFault,
	RunFault,
	WriteGuard,
	type AccessRules,
	type EntryInput,
	type Figure
} from '../../core';
import { readAllSeries } from '../database/cells';
import { readModelDefinition, readOrigins, readRateSets } from '../database/definitions';
import { modelVersions, structureChanges } from '../database/structure-version';
import { leafOfMember, periodMember, toMembers, toOrdinals } from './addresses';
import { CodedWords } from './coded-words';
import { effectOn } from './effect';
import { FormFault } from './form-fault';
import { FormView } from './form-view';
import { inspectCell, placeOf } from './inspect';
import { branchOf, checkLayout, lookAtSelection } from './layout-help';
import { changesOf, type JournalChange } from './journal';
import type { DraftChange, EngineNews, EngineRequestName, EngineRequests, FormAnswer, FormAsk } from './messages';
import { leafCellsOf } from './leaf-cells';
import { LIMITS } from './limits';
import { movedOnForm } from './moved-on-form';
import { resultsOnForm } from './results-on-form';
import { whatEmptyingDoes, whatEnteringDoes } from './emptied';
import { chosenOutside } from './month-choices';
import { fromDraftValue, PersonDraft, toDraftValue } from './person-draft';
import { planEntries, planSave } from './plan-save';
import { movedMethods, workOutRow } from './row-method';
import { findingsOf, lookAtFormula, lookAtScript, planRun, printScripts, RunCancelled, vocabularyOf, whyNotWrite } from './runbook-work';
import { Pace } from './turns';

/** Series of one change set from which on open forms are no longer followed cell by cell. */
const MANY_CHANGES = 1_000;

/** A form a person has open, with their draft and their rights; `answer` is what the page is to show. */
interface OpenForm {
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
	readonly #database: pg.Pool;
	#model: Model;
	#cube: Cube;
	/** The structure version the model stands at. */
	#structure: number;
	#revision: number;
	readonly #drafts = new Map<number, PersonDraft>();
	readonly #guards = new Map<string, WriteGuard>();
	readonly #forms = new Map<string, { person: number; form: FormView }>();
	/** Forms that are being entered into: they stay open until that has ended. */
	readonly #busy = new Set<FormView>();
	readonly #tell: (news: EngineNews) => void;
	#words: CodedWords;

	private constructor(
		database: pg.Pool,
		model: Model,
		cube: Cube,
		words: CodedWords,
		revision: number,
		structure: number,
		tell: (news: EngineNews) => void
	) {
		this.#database = database;
		this.#words = words;
		this.#structure = structure;
		this.#model = model;
		this.#cube = cube;
		this.#revision = revision;
		this.#tell = tell;
	}

	/**
	 * Reads a model and its cells in one repeatable-read snapshot.
	 * @param tell told whenever the cube has moved on, or the model
	 * @throws Error when there is no such model
	 */
	static async open(database: pg.Pool, modelId: number, tell: (news: EngineNews) => void): Promise<ModelEngine> {
		return inSnapshot(database, async (client) => {
			const model = await readModel(client, modelId);
			const { revision, structure } = await modelVersions(client, modelId);
			return new ModelEngine(
				database,
				model,
				await readCube(client, model),
				await CodedWords.read(client, model),
				revision,
				structure,
				tell
			);
		});
	}

	/** Answers one request. @throws EngineFault with a sentence for the person */
	async handle<Name extends EngineRequestName>(name: Name, ask: EngineRequests[Name]['ask']): Promise<EngineRequests[Name]['answer']> {
		const handlers: { [Each in EngineRequestName]: (ask: EngineRequests[Each]['ask']) => Promise<EngineRequests[Each]['answer']> } = {
			ready: async ({ revision }) => {
				await this.#reach(revision);
				return { revision: this.#revision, cells: this.#cube.cells, bytes: this.#cube.bytes };
			},
			form: (request) => this.#openForm(request).then(({ answer }) => answer()),
			enter: (request) => this.#enter(request),
			restore: (request) => this.#restore(request),
			inspect: async (request) => {
				const { form, draft, guard } = await this.#openForm(request);
				requireCell(form, request.row, request.column);
				return inspectCell(this.#model, this.#cube, draft, guard, form, request.row, request.column);
			},
			planSave: async ({ person, rules, draftVersion, revision, decisions, form }) => {
				await this.#reach(revision);
				const draft = await this.#draftOf(person, draftVersion);
				return planSave(this.#model, this.#cube, draft, this.#guardOf(rules), decisions, form);
			},
			planEntries: async ({ rules, revision, cells }) => {
				await this.#reach(revision);
				return planEntries(this.#model, this.#cube, this.#guardOf(rules), cells);
			},
			checkLayout: async ({ layout }) => checkLayout(this.#model, layout),
			select: async (request) => lookAtSelection(this.#model, request),
			branch: async ({ dimension, of }) => ({ members: branchOf(this.#model, dimension, of) }),
			locate: async (request) => ({ cells: (await this.#openForm(request)).form.cellsAt(request.places) }),
			moved: async (request) => ({ moved: movedOnForm(this.#model, this.#cube, (await this.#openForm(request)).form, request.notes) }),
			results: async (request) => ({ results: resultsOnForm(this.#model, this.#cube, (await this.#openForm(request)).form) }),
			planCell: (request) => this.#planCell(request),
			method: async (request) => {
				const { form, draft, guard } = await this.#openForm(request);
				requireFrame(form, request.seenFrame);
				requireCell(form, request.row, 0);
				return workOutRow(this.#model, this.#cube, draft.shown, guard, form, request.row, request.method);
			},
			movedMethods: async (request) => {
				const { form, draft, guard } = await this.#openForm(request);
				return { moved: movedMethods(this.#model, this.#cube, draft.shown, guard, form, request.methods) };
			},
			emptied: async (request) => {
				const { form, draft, guard } = await this.#openForm(request);
				const scene = { model: this.#model, cube: this.#cube, overlay: draft.shown, guard };
				const texts = await this.#words.placesOf(this.#textsTyped(form, request.cells));
				return {
					effects: request.cells.map(({ row, column, text }) => {
						requireCell(form, row, column);
						if (text === '') return whatEmptyingDoes(scene, form, row, column);
						return whatEnteringDoes(scene, form, row, column, this.#read(form.cell(row, column).members, text, texts, request));
					})
				};
			},
			effect: async (request) => {
				await this.#reach(request.revision);
				try {
					return effectOn(this.#model, this.#cube, request);
				} catch (error) {
					throw new EngineFault((error as Error).message);
				}
			},
			planRun: async (request) => {
				await this.#reach(request.revision);
				try {
					// Read anew: this thread computes, the one that keeps drafts is another.
					const draft = request.draftOf === undefined ? undefined : await PersonDraft.read(this.#database, this.#model, request.draftOf);
					return planRun(this.#model, this.#cube, this.#revision, request, draft?.overlay);
				} catch (error) {
					if (error instanceof RunFault) throw new EngineFault(error.message);
					if (error instanceof RunCancelled) throw new EngineFault('The run was cancelled. Nothing was written.');
					throw error;
				}
			},
			leafCells: async ({ revision, slice }) => {
				await this.#reach(revision);
				try {
					return leafCellsOf(this.#model, this.#cube, slice);
				} catch (error) {
					throw new EngineFault((error as Error).message);
				}
			},
			whyNotWrite: async (request) => ({ reason: whyNotWrite(this.#model, request) }),
			checkRunbook: async ({ steps, parameters }) => findingsOf(this.#model, steps, parameters),
			checkScript: async (request) => lookAtScript(this.#model, request),
			checkFormula: async ({ text }) => lookAtFormula(this.#model, text),
			printScripts: async ({ scripts }) => printScripts(this.#model, scripts),
			vocabulary: async () => vocabularyOf(this.#model),
			close: async () => {
				await this.#database.end();
				return {};
			}
		};
		return handlers[name](ask);
	}

	/** Whether a revision or structure version has not been reached. */
	isBehind(revision: number, structure: number): boolean {
		return this.#revision < revision || this.#structure < structure;
	}

	/** Asks where the model is, and catches up in `turn` when it is further. */
	async look(turn: (work: () => Promise<void>) => Promise<void>): Promise<void> {
		const { revision, structure } = await modelVersions(this.#database, this.#model.definition.id);
		if (this.isBehind(revision, structure)) await turn(() => this.catchUp());
	}

	/** Follows the structure and the journal of the model to where they are. To be called while nothing else is asked of it. */
	async catchUp(): Promise<void> {
		const latest = await modelVersions(this.#database, this.#model.definition.id);
		// First what the journal's figures may need: the origins of a run, the members of a load.
		if (latest.structure > this.#structure) await this.#followStructure();
		await this.#applyJournal(latest.revision);
	}

	/** Takes in a changed structure: origins or rates alone as they are; else a new model, to which the cells move. */
	async #followStructure(): Promise<void> {
		const modelId = this.#model.definition.id;
		await inSnapshot(this.#database, async (client) => {
			const { revision, structure } = await modelVersions(client, modelId);
			const changes = await structureChanges(client, modelId, this.#structure, structure);
			if (changes.has('definition')) {
				const model = await readModel(client, modelId);
				const words = await CodedWords.read(client, model);
				if (!this.#cube.moveTo(model)) {
					this.#cube = await readCube(client, model);
					this.#revision = revision;
				}
				this.#model = model;
				this.#words = words;
				this.#drafts.clear();
				this.#guards.clear();
				this.#forms.clear();
			} else {
				if (changes.has('origins') && this.#model.replaceOrigins(await readOrigins(client, modelId))) {
					this.#cube.restand();
					this.#forms.clear();
				}
				if (changes.has('rates')) {
					this.#model.replaceRates(await readRateSets(client));
					this.#forms.clear();
				}
			}
			this.#structure = structure;
		});
		this.#tell({ kind: 'structure', structure: this.#structure });
	}

	async #reach(revision: number): Promise<void> {
		if (this.#revision < revision) await this.catchUp();
		if (this.#revision < revision) throw new Error(`The journal has no revision ${revision} yet.`);
	}

	async #applyJournal(latest: number): Promise<void> {
		const before = this.#revision;
		while (this.#revision < latest) {
			const changes = await changesOf(this.#database, this.#model.definition.id, this.#revision + 1);
			// Forms are built anew when next asked for: quicker than a million differences, and only what is on screen is.
			if (changes.length > MANY_CHANGES) this.#forms.clear();
			for (const change of changes) this.#apply(change, this.#revision + 1);
			this.#revision++;
		}
		if (this.#revision > before) this.#tell({ kind: 'revision', revision: this.#revision });
	}

	#apply(change: JournalChange, revision: number): void {
		const address = toOrdinals(this.#model, change.address);
		if (!address) return;
		if (change.kind === 'series') {
			if (this.#forms.size === 0) {
				this.#cube.writeSeries(change.origin, address, change.year, change.amounts, change.stamps);
				return;
			}
			const { stamps } = change;
			const held = typeof stamps === 'number' ? this.#cube.seriesOf(change.origin, address, change.year) : undefined;
			for (let position = 0; position < change.amounts.length; position++) {
				const value = change.amounts[position]!;
				// Without stamps of its own, what stays the same is not written anew.
				if (held && same(held[position]!, value)) continue;
				this.#writeCell(change.origin, address, change.year, position, value, typeof stamps === 'number' ? stamps : stamps[position]!);
			}
			return;
		}
		const leaf = leafOfMember(this.#model, address, change.period);
		if (leaf) this.#writeCell(change.origin, address, leaf.fiscalYear, leaf.position, change.value, revision);
	}

	/** Writes a cell into the cube and hands every open form the difference its reader sees. */
	#writeCell(origin: number, address: Int32Array, year: number, position: number, value: number, stamp: number): void {
		const before = this.#cube.read(address, year, position);
		const shownBefore = new Map(
			[...this.#drafts].map(([person, draft]) => [person, draft.shown.read(this.#cube, address, year, position)])
		);
		this.#cube.writeCell(origin, address, year, position, value, stamp);
		const after = this.#cube.read(address, year, position);
		if (same(before, after)) return;
		for (const { person, form } of this.#forms.values()) {
			const draft = this.#drafts.get(person);
			form.change(
				address,
				year,
				position,
				shownBefore.get(person) ?? before,
				draft ? draft.shown.read(this.#cube, address, year, position) : after
			);
		}
	}

	async #openForm(ask: FormAsk): Promise<OpenForm> {
		await this.#reach(ask.revision);
		const draft = await this.#draftOf(ask.person, ask.draftVersion);
		const guard = this.#guardOf(ask.rules);
		const lines = JSON.stringify([ask.layout, ask.choices, ask.currency]);
		const key = `${ask.person} ${lines}`;
		let open = this.#forms.get(key);
		if (open) this.#forms.delete(key);
		else {
			open = { person: ask.person, form: this.#buildForm(ask) };
			open.form.fill(this.#cube, draft.shown);
		}
		this.#forms.set(key, open);
		if (this.#forms.size > LIMITS.forms) {
			const oldest = [...this.#forms].find(([, { form }]) => !this.#busy.has(form));
			if (oldest) this.#forms.delete(oldest[0]);
		}
		const { form } = open;
		const answer = async (): Promise<FormAnswer> => {
			await this.#words.know(form.textPlaces(ask.window));
			return form.answer(this.#revision, this.#structure, guard, draft, this.#words, ask.window, ask.form);
		};
		return { form, draft, guard, answer };
	}

	#buildForm(ask: FormAsk): FormView {
		try {
			return new FormView(this.#model, ask.layout, ask.choices, ask.currency);
		} catch (error) {
			if (error instanceof FormFault || error instanceof QueryFault) throw new EngineFault(`This form cannot be shown. ${error.message}`);
			throw error;
		}
	}

	async #enter(ask: EngineRequests['enter']['ask']): Promise<EngineRequests['enter']['answer']> {
		return this.#changeDraft(ask, (open) => this.#enterInto(open, ask));
	}

	/** Changes a person's draft through a form, which stays open meanwhile; what fails in the middle leaves nothing behind. */
	async #changeDraft<Answer>(ask: FormAsk, change: (open: OpenForm) => Promise<Answer>): Promise<Answer> {
		const open = await this.#openForm(ask);
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

	async #enterInto(
		{ form, draft, guard, answer }: OpenForm,
		ask: EngineRequests['enter']['ask']
	): Promise<EngineRequests['enter']['answer']> {
		if (ask.seenFrame === undefined ? ask.seenStructure !== this.#structure : ask.seenFrame !== form.frame)
			throw new EngineFault('The lines of this form have changed meanwhile. The form shows them now; enter this again.');
		const changes: DraftChange[] = [];
		const faults: EngineRequests['enter']['answer']['faults'] = [];
		const warnings = new Set<string>();
		const texts = await this.#words.placesOf(this.#textsTyped(form, ask.entries));
		const total = totalsAmong(form, ask.entries);
		if (total.size > 0) warnings.add('Totals whose cells are in the block add up by themselves and were left out.');
		const kept = (ask.kept ?? []).flatMap(({ row, column }) => (form.isRead(row, column) ? [form.cell(row, column)] : []));
		const pace = new Pace();
		for (const [index, { row, column, text, empties }] of ask.entries.entries()) {
			await pace.rest();
			if (total.has(index)) continue;
			requireCell(form, row, column);
			if (form.isComputed(row, column)) {
				faults.push({ row, column, message: form.reasonComputed(row, column), code: 'may not write' });
				continue;
			}
			const { members, range } = form.cell(row, column);
			const input = this.#read(members, text, texts, ask, empties);
			const result = enter(
				{ model: this.#model, cube: this.#cube, overlay: draft.shown, guard },
				{
					members,
					range,
					shown: form.figure(row, column).value,
					currency: form.currencyOf(row, column),
					input,
					method: ask.method,
					kept,
					overAll: ask.overAll ?? false,
					confirmed: ask.confirmed ?? false,
					...(ask.like && { like: this.#likeFigure(members, form.cell(row, column).period, ask.like) })
				}
			);
			if ('fault' in result) {
				faults.push({ row, column, message: result.fault.message, code: result.fault.code });
				continue;
			}
			if (result.warning) warnings.add(result.warning);
			const chosen = input.kind === 'set' && this.#isChoice(members) ? chosenOutside(this.#model, members, input.value) : undefined;
			if (chosen) warnings.add(chosen);
			for (const { address, year, position, after } of result.changes) {
				await pace.rest();
				changes.push({
					address: toMembers(this.#model, address),
					period: periodMember(this.#model, year, position),
					before: toDraftValue(draft.overlay.get(address, year, position)),
					after: toDraftValue(after),
					seen: orNull(draft.seenAt(this.#cube, address, year, position))
				});
				this.#setDraftCell(ask, draft, address, year, position, after);
			}
		}
		// One ahead of the database until the caller has stored the changes; if it cannot, the draft is read anew.
		if (changes.length > 0) draft.version++;
		await pace.rest();
		return { form: await answer(), changes, faults, warnings: [...warnings] };
	}

	#isChoice(members: Int32Array): boolean {
		return this.#model.account(members[this.#model.accountAxis]!)?.valueType === 'choice';
	}

	/** What was typed, by the account's value type. */
	#read(
		members: Int32Array,
		text: string,
		texts: ReadonlyMap<string, number>,
		ask: Pick<EngineRequests['enter']['ask'], 'dates' | 'scale' | 'style'>,
		empties = false
	): EntryInput {
		const account = this.#model.account(members[this.#model.accountAxis]!);
		const valueType = account?.valueType ?? 'money';
		if (valueType === 'choice' || valueType === 'date' || valueType === 'text') {
			if (text.trim() === '') return { kind: 'clear', empties };
			return parseCoded(text, valueType, {
				choices: this.#words.choicesOf(account!.member),
				place: (typed) => texts.get(typed)!,
				...(ask.dates && { dates: ask.dates })
			});
		}
		const isScaled = valueType === 'money' || valueType === 'quantity';
		return parseEntry(text, ask.style, valueType === 'percent', isScaled ? (ask.scale ?? 1) : 1);
	}

	/** Texts among the entries: their places are found before anything is entered. */
	#textsTyped(form: FormView, entries: EngineRequests['enter']['ask']['entries']): string[] {
		return entries.flatMap(({ row, column, text }) => {
			if (row >= form.rows || column >= form.columns || !form.isRead(row, column)) return [];
			const isText = this.#model.account(form.cell(row, column).members[this.#model.accountAxis]!)?.valueType === 'text';
			return isText && text.trim() !== '' && text.trim().length <= 500 ? [text.trim()] : [];
		});
	}

	/** The figure at other members, for entries that take another figure's proportions. */
	#likeFigure(members: Int32Array, period: number, like: Readonly<Record<number, number>>): Figure {
		const other = members.map((ordinal, axis) => {
			const member = like[this.#model.dimensions[axis]!.id];
			return member === undefined ? ordinal : (this.#model.dimensions[axis]!.ordinal(member) ?? ordinal);
		});
		const { periods } = this.#model;
		const asked = like[periods.dimension.id];
		const own = periods.range(period);
		const facts = asked === undefined ? undefined : periods.facts(periods.dimension.ordinal(asked) ?? -1);
		if (!facts) return { members: other, range: own };
		// A year stands for the same periods of that year.
		const years = facts.fiscalYear - periods.leaf(own.from).fiscalYear;
		const moved = (index: number) => periods.at(periods.leaf(index).fiscalYear + years, periods.leaf(index).position)?.index;
		const range =
			facts.level === 'year'
				? { from: moved(own.from) ?? own.from, to: moved(own.to) ?? own.to }
				: periods.range(periods.dimension.ordinal(asked!)!);
		return { members: other, range };
	}

	/** What setting one leaf cell at once would write: a draft of that cell alone. */
	async #planCell(ask: EngineRequests['planCell']['ask']): Promise<EngineRequests['planCell']['answer']> {
		const { form, guard } = await this.#openForm(ask);
		requireFrame(form, ask.seenFrame);
		requireCell(form, ask.row, ask.column);
		const verdict = form.verdict(guard, ask.row, ask.column);
		if (verdict.kind !== 'enter')
			throw new EngineFault('reason' in verdict ? verdict.reason : 'Detail lines stand behind single cells, not behind totals.');
		const { members, range } = form.cell(ask.row, ask.column);
		const { fiscalYear, position } = this.#model.periods.leaf(range.from);
		const alone = new PersonDraft(this.#model, 0);
		alone.overlay.set(members, fiscalYear, position, fromDraftValue(ask.value ?? 'cleared'));
		const seen = this.#cube.read(members, fiscalYear, position);
		alone.seen.set(members, fiscalYear, position, isEmpty(seen) ? fromDraftValue('cleared') : seen);
		const plan = planSave(this.#model, this.#cube, alone, guard, { keepMine: [], takeTheirs: [] });
		return { ...plan, place: placeOf(this.#model, form, ask.row, ask.column) };
	}

	async #restore(ask: EngineRequests['restore']['ask']): Promise<EngineRequests['restore']['answer']> {
		return this.#changeDraft(ask, (open) => this.#restoreInto(open, ask));
	}

	async #restoreInto({ draft, answer }: OpenForm, ask: EngineRequests['restore']['ask']): Promise<EngineRequests['restore']['answer']> {
		const changes: DraftChange[] = [];
		const pace = new Pace();
		for (const change of ask.changes) {
			await pace.rest();
			const ordinals = toOrdinals(this.#model, change.address);
			const leaf = ordinals && leafOfMember(this.#model, ordinals, change.period);
			// What was typed over since, in another form, stays as it was typed.
			if (!ordinals || !leaf || !same(draft.overlay.get(ordinals, leaf.fiscalYear, leaf.position), fromDraftValue(change.before))) continue;
			changes.push(change);
			this.#setDraftCell(ask, draft, ordinals, leaf.fiscalYear, leaf.position, fromDraftValue(change.after));
		}
		if (changes.length > 0) draft.version++;
		return { form: await answer(), changes };
	}

	#setDraftCell(
		{ person, form }: Pick<FormAsk, 'person' | 'form'>,
		draft: PersonDraft,
		address: Int32Array,
		year: number,
		position: number,
		value: number
	): void {
		const before = draft.shown.read(this.#cube, address, year, position);
		const seen = draft.seenAt(this.#cube, address, year, position);
		const more = (isEmpty(value) ? 0 : 1) - (isEmpty(draft.overlay.get(address, year, position)) ? 0 : 1);
		draft.set(address, year, position, value, form ?? 0);
		draft.seen.set(address, year, position, isEmpty(value) ? value : isEmpty(seen) ? fromDraftValue('cleared') : seen);
		const after = draft.shown.read(this.#cube, address, year, position);
		for (const open of this.#forms.values()) {
			if (open.person !== person) continue;
			open.form.change(address, year, position, before, after);
			if (more !== 0) open.form.countDrafted(address, year, position, more as 1 | -1);
		}
	}

	async #draftOf(person: number, version: number): Promise<PersonDraft> {
		const known = this.#drafts.get(person);
		const draft = known?.version === version ? known : await PersonDraft.read(this.#database, this.#model, person);
		// In the order they were last used.
		this.#drafts.delete(person);
		this.#drafts.set(person, draft);
		this.#forgetDrafts();
		if (draft === known) return draft;
		for (const open of this.#forms.values()) if (open.person === person) open.form.fill(this.#cube, draft.shown);
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

	#guardOf(rules: AccessRules): WriteGuard {
		const key = JSON.stringify(rules);
		let guard = this.#guards.get(key);
		if (!guard) {
			if (this.#guards.size > LIMITS.rules) this.#guards.clear();
			this.#guards.set(key, (guard = new WriteGuard(this.#model, rules)));
		}
		return guard;
	}
}

async function inSnapshot<Result>(database: pg.Pool, read: (client: pg.PoolClient) => Promise<Result>): Promise<Result> {
	const client = await database.connect();
	try {
		await client.query('BEGIN ISOLATION LEVEL REPEATABLE READ READ ONLY');
		const result = await read(client);
		await client.query('COMMIT');
		return result;
	} catch (error) {
		await client.query('ROLLBACK').catch(() => {});
		throw error;
	} finally {
		client.release();
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

/** A request that cannot be met, with a sentence for the person. */
export class EngineFault extends Error {
	constructor(message: string) {
		super(message);
		this.name = 'EngineFault';
	}
}

/** Cells are named by their place among the lines that were seen. */
function requireFrame(form: FormView, seen: string | undefined): void {
	if (seen !== undefined && seen !== form.frame)
		throw new EngineFault('The lines of this form have changed meanwhile. Look at the cell again.');
}

function requireCell(form: FormView, row: number, column: number): void {
	if (row >= form.rows || column >= form.columns) throw new EngineFault('This cell is not on the form any more. Reload the page.');
}

/**
 * The entries (places) at totals whose own cells are entered in the same block: entering both would count twice. O(rows ×
 * columns of the block) for the totals in it.
 */
function totalsAmong(form: FormView, entries: readonly { row: number; column: number }[]): Set<number> {
	const found = new Set<number>();
	if (entries.length < 2) return found;
	const inBlock = new Set(entries.map(({ row, column }) => `${row} ${column}`));
	const [rows, columns] = [new Set(entries.map(({ row }) => row)), new Set(entries.map(({ column }) => column))];
	const [below, beside] = [new Map<number, number[]>(), new Map<number, number[]>()];
	for (const row of rows)
		below.set(
			row,
			[...rows].filter((other) => other === row || form.isRowUnder(other, row))
		);
	for (const column of columns)
		beside.set(
			column,
			[...columns].filter((other) => other === column || form.isColumnUnder(other, column))
		);
	entries.forEach(({ row, column }, index) => {
		const isTotal = below
			.get(row)!
			.some((under) => beside.get(column)!.some((next) => (under !== row || next !== column) && inBlock.has(`${under} ${next}`)));
		if (isTotal) found.add(index);
	});
	return found;
}

const same = (left: number, right: number): boolean => left === right || (isEmpty(left) && isEmpty(right));
const orNull = (value: number): number | null => (isEmpty(value) ? null : value);
