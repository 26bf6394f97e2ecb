import {
	recordOf,
	runbookDifferences,
	STEP_KINDS,
	unitsOf,
	type Answers,
	type Finding,
	type ParameterDefinition,
	type RunbookVersion,
	type StepLog
} from '$lib/core';
import type { RunPlan } from '$lib/server/engine';
import type { CheckFinding, RunbookDetails, RunDetails, RunInShort, StepDraft } from '$lib/server/runbook';
import { request } from '../request';
import type { Jobs } from '../shell/jobs.svelte';
import { PresetDesk } from './preset-desk.svelte';

type Preview = Omit<RunPlan, 'series' | 'traces'>;

/** All steps, the picked one, or those of a group. */
export type Part = 'all' | 'step' | { group: string };

/** Steps back that are kept. */
const MOST_STEPS = 100;

/** What a runbook is on its page, beside what is stored. */
interface Draft {
	name: string;
	description: string;
	parameters: ParameterDefinition[];
	onRefused: 'skip' | 'stop';
	whenBusy: 'wait' | 'refuse';
	runsAs: number | null;
	steps: StepDraft[];
}

/** A runbook being written: what it is, what was changed, what it would do and what its runs did. */
export class RunbookDesk {
	readonly id: number;
	readonly mayWrite: boolean;
	readonly vocabulary: RunbookDetails['vocabulary'];
	readonly people: RunbookDetails['people'];
	readonly imports: RunbookDetails['imports'];
	schedule = $state.raw<RunbookDetails['schedule']>(null);
	/** Settings of allocations kept in one place. */
	readonly presets = new PresetDesk(this);
	/** Whether a preview reads what the person has typed and not saved. */
	onDraft = $state(false);
	draft = $state.raw<Draft>(undefined as unknown as Draft);
	version = $state(0);
	findings = $state.raw<Finding[]>([]);
	runs = $state.raw<RunInShort[]>([]);
	/** Whether scripts are shown as text or as cards. */
	scriptsAs = $state<'text' | 'cards'>('text');
	/** The place of the step that is shown. */
	picked = $state(0);
	/** What is looked at and run: all steps, the picked one, or those of a group. */
	part = $state.raw<Part>('all');
	preview = $state.raw<{ plan: Preview; of: string; clears: boolean } | null>(null);
	/** What was found before a run; null where nobody looked, or something has changed since. */
	checked = $state.raw<CheckFinding[] | null>(null);
	run = $state.raw<RunDetails | null>(null);
	/** What the run that is open says otherwise than another, or than the page; null where nobody asked. */
	differences = $state.raw<{ than: string; found: ReturnType<typeof runbookDifferences> } | null>(null);
	/** Through what something that the latest run read has changed since. */
	movedThrough = $state<string | null>(null);
	running = $state<number | null>(null);
	busy = $state(false);
	message = $state.raw<{ text: string; kind: 'info' | 'error' } | null>(null);
	answers = $state.raw<Answers>({});
	names = $state.raw<ReadonlyMap<number, string>>(new Map());
	/** Shapes of keys the drag and drop asks for: a step that is new has no id yet. */
	keys = $state.raw<number[]>([]);
	#nextKey = 1;
	#stored = $state.raw('');
	#past = $state.raw<Draft[]>([]);
	#lastField = '';

	constructor(details: RunbookDetails, answers: Answers) {
		this.id = details.id;
		this.mayWrite = details.mayWrite;
		this.vocabulary = details.vocabulary;
		this.people = details.people;
		this.imports = details.imports;
		this.names = new Map(details.vocabulary.dimensions.flatMap(({ members }) => members.map(({ id, name }) => [id, name] as const)));
		this.take(details);
		this.answers = Object.fromEntries(details.parameters.map(({ name, initial }) => [name, answers[name] ?? initial]));
	}

	take({
		name,
		description,
		parameters,
		onRefused,
		whenBusy,
		runsAs,
		steps,
		version,
		findings,
		runs,
		schedule,
		presets
	}: RunbookDetails): void {
		this.draft = { name, description, parameters, onRefused, whenBusy, runsAs, steps };
		this.schedule = schedule;
		this.presets.all = presets;
		this.keys = steps.map(() => this.#nextKey++);
		this.version = version;
		this.findings = findings;
		this.runs = runs;
		this.#stored = JSON.stringify(this.draft);
		this.#past = [];
		this.picked = Math.min(this.picked, Math.max(0, steps.length - 1));
	}

	get isChanged(): boolean {
		return JSON.stringify(this.draft) !== this.#stored;
	}
	get mayUndo(): boolean {
		return this.#past.length > 0;
	}
	get step(): StepDraft | undefined {
		return this.draft.steps[this.picked];
	}
	/** What the picker of selections asks for. */
	get layout() {
		return { selectors: [] };
	}
	get desk() {
		const variables = this.vocabulary.variables.flatMap(({ name, dimension }) => (dimension === null ? [] : [{ name, dimension }]));
		const parameters = this.draft.parameters.flatMap(({ name, kind, dimension }) =>
			kind === 'member' && dimension !== null ? [{ name, dimension }] : []
		);
		return { variables: [...parameters, ...variables], attributes: this.vocabulary.attributes };
	}
	know = (members: { id: number; name: string }[]): void => {
		const unknown = members.filter(({ id }) => !this.names.has(id));
		if (unknown.length > 0) this.names = new Map([...this.names, ...unknown.map(({ id, name }) => [id, name] as const)]);
	};

	/** Changes the runbook; typing into one field is one step back. */
	change(next: Partial<Draft>, field = ''): void {
		if (field === '' || field !== this.#lastField) this.#past = [...this.#past, this.draft].slice(-MOST_STEPS);
		this.#lastField = field;
		this.draft = { ...this.draft, ...next };
		this.preview = null;
		this.checked = null;
	}
	changeStep(next: object, field = ''): void {
		const { steps } = this.draft;
		this.change(
			{ steps: steps.map((step, place) => (place === this.picked ? ({ ...step, ...next } as StepDraft) : step)) },
			field && `${this.picked} ${field}`
		);
	}
	undo = (): void => {
		const before = this.#past.at(-1);
		if (!before) return;
		this.#past = this.#past.slice(0, -1);
		this.#lastField = '';
		if (before.steps.length !== this.draft.steps.length) this.keys = before.steps.map(() => this.#nextKey++);
		this.draft = before;
		this.picked = Math.min(this.picked, Math.max(0, before.steps.length - 1));
	};

	add(kind: StepDraft['kind']): void {
		const { firstName, blank, isBefore } = STEP_KINDS[kind];
		const made = { id: null, name: firstName, description: '', active: true, limits: {}, ...blank } as StepDraft;
		if (made.kind === 'import') made.import = this.imports[0]?.id ?? null;
		// Imports come before what computes.
		const computing = this.draft.steps.findIndex((step) => !recordOf(step).isBefore);
		const after = this.draft.steps.length === 0 ? 0 : this.picked + 1;
		const at = isBefore && computing >= 0 ? Math.min(after, computing) : after;
		this.keys = this.keys.toSpliced(at, 0, this.#nextKey++);
		this.change({ steps: this.draft.steps.toSpliced(at, 0, made) });
		this.picked = at;
	}
	duplicate(): void {
		const { step } = this;
		if (!step) return;
		this.keys = this.keys.toSpliced(this.picked + 1, 0, this.#nextKey++);
		this.change({ steps: this.draft.steps.toSpliced(this.picked + 1, 0, { ...step, id: null, name: `${step.name}, copy` }) });
		this.picked++;
	}
	remove(): void {
		this.keys = this.keys.toSpliced(this.picked, 1);
		this.change({ steps: this.draft.steps.toSpliced(this.picked, 1) });
		this.picked = Math.max(0, Math.min(this.picked, this.draft.steps.length - 1));
	}
	/** Moves the picked step earlier (−1) or later. */
	move(by: number): void {
		const to = this.picked + by;
		if (to < 0 || to >= this.draft.steps.length) return;
		this.arrange(this.keys.toSpliced(this.picked, 1).toSpliced(to, 0, this.keys[this.picked]!));
	}
	/** Puts the steps into the order of their keys. */
	arrange(keys: number[]): void {
		const picked = this.keys[this.picked];
		const steps = keys.map((key) => this.draft.steps[this.keys.indexOf(key)]!);
		this.keys = keys;
		this.change({ steps });
		this.picked = Math.max(0, keys.indexOf(picked ?? -1));
	}

	async save(): Promise<boolean> {
		if (!this.isChanged) return true;
		const reply = await this.#ask<{ version: number; steps: number[] }>('save', { ...this.draft, version: this.version });
		if (!reply) return false;
		this.draft = { ...this.draft, steps: this.draft.steps.map((step, place) => ({ ...step, id: reply.steps[place]! })) };
		this.#stored = JSON.stringify(this.draft);
		this.version = reply.version;
		this.#past = [];
		const read = await request<RunbookDetails>(`/api/runbooks/${this.id}/read`, {});
		if (read.ok) this.findings = read.answer.findings;
		const errors = this.findings.filter(({ severity }) => severity === 'error').length;
		this.message = {
			text:
				errors === 0
					? 'Saved. Nothing stands in the way of a run.'
					: `Saved. ${errors === 1 ? 'One thing is' : `${errors} things are`} to be mended before it runs.`,
			kind: 'info'
		};
		return true;
	}

	/** The groups that steps stand in, in their order. */
	get groups(): string[] {
		return [...new Set(this.draft.steps.flatMap(({ group }) => group || []))];
	}
	/** The places of steps that are solved together with the one at a place, itself among them; none where it stands alone. */
	solvedWith(place: number): number[] {
		const step = this.draft.steps[place];
		const unit = step ? unitsOf(this.draft.steps).find((each) => each.includes(step)) : undefined;
		return unit && unit.length > 1 ? unit.map((each) => this.draft.steps.indexOf(each)) : [];
	}
	/** The places of the steps a part is about; null for all. A group that is gone is all. */
	placesOf(part: Part): number[] | null {
		if (part === 'step') return this.step ? [this.picked] : null;
		if (part === 'all' || !this.groups.includes(part.group)) return null;
		return this.draft.steps.flatMap(({ group }, place) => (group === part.group ? [place] : []));
	}
	/** A part in words. */
	inWords(part: Part): string {
		if (part === 'step') return `“${this.step?.name ?? ''}” alone`;
		return part === 'all' || !this.groups.includes(part.group) ? 'All steps' : `The steps of “${part.group}”`;
	}
	/** Reads it as it is stored now; what is not saved is gone. */
	async readAgain(): Promise<boolean> {
		const read = await request<RunbookDetails>(`/api/runbooks/${this.id}/read`, {});
		if (read.ok) this.take(read.answer);
		return read.ok;
	}
	/** Switches all steps of a group on or off. */
	switchGroup(group: string, active: boolean): void {
		this.change({ steps: this.draft.steps.map((step) => (step.group === group ? { ...step, active } : step)) });
	}

	/** Looks for all that stands in the way of running a part, without running it. */
	async check(): Promise<void> {
		const only = this.placesOf(this.part);
		const draft = { ...this.draft, version: this.version };
		const reply = await this.#ask<{ findings: CheckFinding[] }>('check', { answers: this.answers, draft, only, onDraft: this.onDraft });
		if (!reply) return;
		this.run = null;
		this.preview = null;
		this.checked = reply.findings;
	}
	/** Looks at what running a part would do, or at what clearing it would. */
	async look(clears = false): Promise<void> {
		const { steps } = this.draft;
		const only = this.placesOf(this.part);
		// A step that is switched off can be looked at alone.
		const draft = {
			...this.draft,
			steps: steps.map((step, place) => ({ ...step, active: step.active || (only?.length === 1 && only[0] === place) })),
			version: this.version
		};
		const plan = await this.#ask<Preview>('preview', { answers: this.answers, draft, only, clears, onDraft: this.onDraft });
		if (!plan) return;
		this.run = null;
		this.checked = null;
		this.preview = plan.faults.length > 0 ? null : { plan, of: this.inWords(this.part), clears };
		this.message = plan.faults.length > 0 ? { text: plan.faults.map(({ message }) => message).join(' '), kind: 'error' } : null;
	}

	/** How the picked step would go, those above it having run, with the page as it is. @returns its part of the log; a sentence where it cannot */
	async tryStep(): Promise<StepLog | string> {
		const last = Math.max(this.picked, ...this.solvedWith(this.picked));
		const draft = { ...this.draft, steps: this.draft.steps.slice(0, last + 1), version: this.version };
		const reply = await request<Preview>(`/api/runbooks/${this.id}/preview`, {
			answers: this.answers,
			draft,
			only: null,
			onDraft: this.onDraft
		});
		if (!reply.ok) return reply.message;
		const { faults, log } = reply.answer;
		if (faults.length > 0) return faults.map(({ message }) => message).join(' ');
		// A step that is new has no number yet: it is known by its place.
		const own = this.step?.id ?? -1 - this.picked;
		return log.find(({ step }) => step === own) ?? 'This step is switched off.';
	}

	/** Sets when it runs by itself, with the answers as they are on the page. @returns a sentence when that was refused */
	async setSchedule(schedule: { cron: string; timeZone: string; active: boolean } | null): Promise<string | null> {
		const reply = await request<{ schedule: RunbookDetails['schedule'] }>(`/api/runbooks/${this.id}/schedule`, {
			schedule,
			answers: this.answers
		});
		if (reply.ok) this.schedule = reply.answer.schedule;
		return reply.ok ? null : reply.message;
	}

	/** Saves and runs a part, or takes away what it wrote. */
	async start(jobs: Jobs, clears = false): Promise<void> {
		if (!(await this.save())) return;
		const only = this.placesOf(this.part)?.flatMap((place) => this.draft.steps[place]!.id ?? []);
		this.movedThrough = null;
		const started = await this.#ask<{ run: number; job: number }>('run', { answers: this.answers, ...(only && { only }), clears });
		if (!started) return;
		this.preview = null;
		this.checked = null;
		this.running = started.job;
		this.message = { text: 'Running…', kind: 'info' };
		const job = await jobs.until(started.job);
		this.running = null;
		this.message = { text: job.words, kind: job.state === 'done' ? 'info' : 'error' };
		await this.open(started.run);
		await this.readRuns();
	}
	/** Looks whether something the latest run read has changed since. */
	async checkFreshness(): Promise<void> {
		const reply = await request<{ runs: RunInShort[]; through: string | null }>(`/api/runbooks/${this.id}/freshness`, {});
		// That it could not be found out now is no news.
		if (!reply.ok) return;
		this.runs = reply.answer.runs;
		this.movedThrough = reply.answer.through;
	}
	async readRuns(): Promise<void> {
		const read = await request<RunbookDetails>(`/api/runbooks/${this.id}/read`, {});
		if (read.ok) this.runs = read.answer.runs;
	}
	async open(run: number): Promise<void> {
		const reply = await request<RunDetails>(`/api/runs/${run}/read`, {});
		this.differences = null;
		if (reply.ok) {
			this.run = reply.answer;
			this.preview = null;
		} else this.message = { text: reply.message, kind: 'error' };
	}
	async takeBack(): Promise<void> {
		const { run } = this;
		if (!run) return;
		const reply = await request<{ revision: number }>(`/api/runs/${run.id}/take-back`, {});
		this.message = reply.ok
			? { text: `“${run.name}” is taken back: what stood there before stands again.`, kind: 'info' }
			: { text: reply.message, kind: 'error' };
		await this.open(run.id);
		await this.readRuns();
	}
	/** Compares the open run's rules with those of another run, or with the page where none is named: the older one first. */
	async compare(other: number | null): Promise<void> {
		const { run } = this;
		if (!run) return;
		let version: RunbookVersion = this.draft as RunbookVersion;
		if (other !== null) {
			const reply = await request<RunDetails>(`/api/runs/${other}/read`, {});
			if (!reply.ok) return void (this.message = { text: reply.message, kind: 'error' });
			version = reply.answer.definition as RunbookVersion;
		}
		const own = run.definition as RunbookVersion;
		const isOlder = other !== null && other < run.id;
		const found = runbookDifferences(isOlder ? version : own, isOlder ? own : version, {
			members: this.names,
			dimensions: new Map(this.vocabulary.dimensions.map(({ id, name }) => [id, name])),
			people: new Map(this.people.map(({ id, name }) => [id, name]))
		});
		const since = isOlder ? 'Since the older run' : other === null ? 'Since this run' : 'Up to the newer run';
		this.differences = { than: since, found };
	}
	/** Makes a runbook of its own of the rules as they stood for the open run. @returns its id */
	async keep(): Promise<number | null> {
		const reply = await request<{ id: number }>(`/api/runs/${this.run?.id}/keep`, {});
		if (reply.ok) return reply.answer.id;
		this.message = { text: reply.message, kind: 'error' };
		return null;
	}
	/** Puts a run's definition onto the page; saving makes it today's. */
	restore(definition: Draft): void {
		this.keys = definition.steps.map(() => this.#nextKey++);
		const known = new Set(this.draft.steps.map(({ id }) => id));
		const { name, description, parameters, onRefused, runsAs } = definition;
		const whenBusy = definition.whenBusy ?? 'wait';
		this.change({
			name,
			description,
			parameters,
			onRefused,
			whenBusy,
			runsAs,
			steps: definition.steps.map((step) => ({ ...step, id: known.has(step.id) ? step.id : null }))
		});
		this.picked = 0;
		this.message = { text: 'This is the runbook as it stood for that run. Save to keep it.', kind: 'info' };
	}

	async #ask<Answer>(verb: string, body: object): Promise<Answer | undefined> {
		this.busy = true;
		const reply = await request<Answer>(`/api/runbooks/${this.id}/${verb}`, body);
		this.busy = false;
		if (reply.ok) return reply.answer;
		this.message = { text: reply.message, kind: 'error' };
		return undefined;
	}
}
