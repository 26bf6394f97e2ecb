import {
	isAddressIn,
	leafOfPlace,
	reachOf,
	recordOf,
	resolveAnswers,
	ScriptNames,
	type Answers,
	type Model,
	type ParameterDefinition,
	type Scope,
	type Step
} from '../../../core';
import { readBranchSeries } from '../../database/branch-series';
import { leafOfMember, toOrdinals } from '../addresses';
import { changesOf, type JournalChange } from '../journal';
import type { ModelEngine } from '../model-engine';

export interface ReadsMovedAsk {
	revision: number;
	structure: number;
	steps: Step[];
	parameters: ParameterDefinition[];
	answers: Answers;
	/** The revision they were read at, and the origins (ids) of their own results. */
	since: number;
	own: number[];
	/** Of a run in a branch: since which version of it, and the origins of which the plan’s results do not show there. */
	branch?: { id: number; since: number; hidden: number[] };
}

/** Change sets that are asked for at once. */
const SETS_AT_ONCE = 500;

/**
 * Whether something that steps read has changed since a revision, their own results apart.
 * @returns through what it changed first; null where nothing did
 */
export async function readsMoved(engine: ModelEngine, ask: ReadsMovedAsk): Promise<{ through: string | null }> {
	await engine.reach(ask.revision);
	const { model, database } = engine;
	const reads = readsOf(model, ask);
	if (reads.length === 0) return { through: null };
	const own = new Set(ask.own);
	if (ask.branch && (await branchMoved(engine, reads, own, ask.branch))) return { through: IN_THE_BRANCH };
	const hidden = new Set(ask.branch?.hidden);
	for (let from = ask.since; ;) {
		const sets = await database.query<{ revision: number; through: string }>(
			'SELECT revision, through FROM change_set WHERE model_id = $1 AND revision > $2 ORDER BY revision LIMIT $3',
			[model.definition.id, from, SETS_AT_ONCE]
		);
		for (const { revision, through } of sets.rows)
			for (const change of await changesOf(database, model.definition.id, revision)) {
				if (own.has(change.origin) || hidden.has(change.origin)) continue;
				const address = change.address.length === model.dimensions.length ? toOrdinals(model, change.address) : undefined;
				// Of dimensions or members the model does not have any more: what was read is not what it was.
				if (!address) return { through };
				if (placesOf(model, address, change).some(({ year, position }) => isRead(model, reads, address, year, position)))
					return { through };
			}
		if (sets.rows.length < SETS_AT_ONCE) return { through: null };
		from = sets.rows.at(-1)!.revision;
	}
}

const IN_THE_BRANCH = 'a change in the branch';

/** Whether something that is read has changed in a branch since a version of it. */
async function branchMoved(
	{ model, database }: ModelEngine,
	reads: readonly Scope[],
	own: ReadonlySet<number>,
	{ id, since }: { id: number; since: number }
): Promise<boolean> {
	for (const { origin, year, address: members, versions } of await readBranchSeries(database, id, since)) {
		const address = own.has(origin) ? undefined : toOrdinals(model, members);
		if (!address) continue;
		const written = [...versions.keys()].filter((position) => (versions[position] ?? 0) > since);
		// Where nothing was written since, something was put back.
		const places = written.length > 0 ? written : [...versions.keys()].filter((position) => versions[position] === null);
		if (places.some((position) => isRead(model, reads, address, year, position))) return true;
	}
	return false;
}

/** The places of a change at which something else stands now. */
function placesOf(model: Model, address: Int32Array, change: JournalChange): { year: number; position: number }[] {
	if (change.kind === 'cell') {
		const at = leafOfMember(model, address, change.period);
		return at ? [{ year: at.fiscalYear, position: at.position }] : [];
	}
	const { year, amounts, before } = change;
	const differs = (was: number, is: number) => was !== is && !(was !== was && is !== is);
	return [...amounts.keys()].filter((position) => differs(before[position]!, amounts[position]!)).map((position) => ({ year, position }));
}

/** Whether a cell is read. A fact of the year is in all of its periods, one for all time in every one. */
function isRead(model: Model, reads: readonly Scope[], address: Int32Array, year: number, position: number): boolean {
	const isYearly = model.account(address[model.accountAxis]!)?.frequency === 'per year';
	return reads.some((scope) => {
		if (!isAddressIn(scope, address)) return false;
		const leaf = leafOfPlace(model, address[model.accountAxis]!, year, isYearly ? 0 : position, (each) => scope.periods?.[each] !== 0);
		return year === 0 || (leaf !== undefined && scope.periods?.[leaf] !== 0);
	});
}

/** All that steps that are on read; none where what is asked for cannot be answered any more. */
function readsOf(model: Model, { steps, parameters, answers }: ReadsMovedAsk): Scope[] {
	const { values, variables, faults } = resolveAnswers(model, parameters, answers);
	if (faults.size > 0) return [];
	let known: ScriptNames | undefined;
	const names = () => (known ??= new ScriptNames(model));
	return steps
		.filter((step) => step.active && !recordOf(step).isBefore)
		.flatMap((step) => reachOf(model, step, { values, variables, names }).reads);
}
