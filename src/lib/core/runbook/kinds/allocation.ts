import { allocate, allocateTogether, decimalsAt, type Allocated, type ReadyAllocation, type ReadyLine } from '../../allocation';
import { addsUp } from '../../cube';
import { selectionInWords } from '../../dimension';
import type { AccountDefinition, Model } from '../../model';
import type { Scope } from '../../script';
import { checkSlice } from '../check-slice';
import type { AllocationLine, AllocationStep, Basis, Driver, NumberOrParameter, Slice } from '../definition';
import type { StepWork } from '../step-work';
import { unitsOf } from '../units';
import { sliceInWords } from '../slice-words';
import { renamedKeys, renamedSlice, type Checking, type MemberNames, type Renaming, type StepRecord } from './kind';
import { proofOf, Samples } from './proof';
import { readyAllocation, scopesOfLine } from './ready-allocation';
import { unionOfPeriods } from './scopes';

/** Carries out an allocation: all of it or nothing. */
export function runAllocation(work: StepWork, step: AllocationStep & { limits: Slice }): void {
	const { model, cube } = work;
	const number = (of: NumberOrParameter) => (typeof of === 'number' ? of : work.number(of.parameter));
	const ready = readyAllocation(model, step, work.variables, number);
	if (typeof ready === 'string') throw work.fault(ready);
	const samples = new Samples();
	const allocated = allocate(
		{
			model,
			cube,
			breathe: work.breathe,
			fault: work.fault,
			broughtTo: work.broughtTo,
			shared: samples.take,
			...(work.traced && { traced: work.traced })
		},
		ready
	);
	writeResults(work, allocated);
	work.prove(proofOf(model, ready, allocated, samples.get()));
	if (allocated.tieOut.length === 0) work.note('The pool is empty: there was nothing to share out.');
}

/** Carries out allocations whose pools serve one another: all of them or nothing. */
export function runAllocationsTogether(steps: readonly { work: StepWork; step: { name: string; limits: Slice } & AllocationStep }[]): void {
	const samples = steps.map(() => new Samples());
	const readied = steps.map(({ work, step }, at) => {
		const number = (of: NumberOrParameter) => (typeof of === 'number' ? of : work.number(of.parameter));
		const ready = readyAllocation(work.model, step, work.variables, number);
		if (typeof ready === 'string') throw work.fault(ready);
		const wrong =
			ready.contra === 'none'
				? NO_CONTRA
				: ready.lines.some(({ basis }) => basis.by === 'standard')
					? AT_STANDARD
					: ready.lines.some(isMeasured)
						? NO_MEASURES
						: undefined;
		if (wrong) throw work.fault(wrong);
		return {
			name: step.name,
			ready,
			work: {
				model: work.model,
				cube: work.cube,
				breathe: work.breathe,
				fault: work.fault,
				broughtTo: work.broughtTo,
				shared: samples[at]!.take,
				...(work.traced && { traced: work.traced })
			}
		};
	});
	const { each, notes } = allocateTogether(readied);
	for (const note of notes) steps[0]!.work.note(note);
	steps.forEach(({ work }, at) => {
		writeResults(work, each[at]!);
		work.prove(proofOf(work.model, readied[at]!.ready, each[at]!, samples[at]!.get()));
		if (each[at]!.tieOut.length === 0) work.note('The pool is empty: there was nothing to share out.');
	});
}

const NO_CONTRA = 'What is solved together with other steps is taken out of its pool: choose a contra.';
const NO_MEASURES = 'What a unit costs is not kept where steps are solved together. Keep it in a step of its own, or solve this one alone.';
const isMeasured = ({ capacity, keeps }: ReadyLine): boolean => capacity !== undefined || keeps !== undefined;
const AT_STANDARD = 'At standard nothing can be solved together with other steps: what goes out does not follow from what comes in.';

/** Binary dust of amounts in cents. */
const CENT_DUST = 1e-6;

function writeResults(work: StepWork, { results, figures }: Allocated): void {
	const kept = new Int32Array(work.model.dimensions.length);
	for (let series = 0; series < figures.count; series++)
		work.writeAll(figures.readAddress(series, kept), figures.values.slice(series * figures.width, (series + 1) * figures.width));
	const address = new Int32Array(work.model.dimensions.length);
	for (let series = 0; series < results.count; series++) {
		work.breathe();
		const values = results.values.subarray(series * results.width, (series + 1) * results.width);
		results.readAddress(series, address);
		const scale = 10 ** decimalsAt(work.model, address);
		for (let leaf = 0; leaf < values.length; leaf++) {
			// Cents added up are cents again; what comes and goes again in full leaves nothing.
			const cents = Math.round(values[leaf]! * scale);
			if (Math.abs(values[leaf]! * scale - cents) < CENT_DUST) values[leaf] = cents / scale;
			if (values[leaf] === 0) values[leaf] = Number.NaN;
		}
		work.writeAll(address, values);
	}
}

/** What an account must have in common with the pool it gets amounts from. */
const alike = (one: AccountDefinition, other: AccountDefinition): boolean =>
	one.valueType === other.valueType &&
	(one.timeBehaviour ?? 'flow') === (other.timeBehaviour ?? 'flow') &&
	(one.frequency ?? 'per period') === (other.frequency ?? 'per period');

const KEPT = [
	['unitCost', 'price', 'what a unit costs'],
	['used', 'quantity', 'how many were used'],
	['unused', 'quantity', 'how many were not used']
] as const;

function checkReady(model: Model, ready: ReadyAllocation, { find, writes }: Checking): void {
	const written = new Set<number>();
	ready.lines.forEach((line) => {
		const sources = accountsIn(model, line.pool).filter((account) => model.account(account) && !model.formula(account));
		const changing = line.changes.find(({ axis }) => axis === model.accountAxis);
		const targets = changing ? changing.receivers.flatMap(({ leaves }) => [...leaves]) : sources;
		const others = typeof ready.contra === 'number' ? [ready.contra] : [];
		if (sources.length === 0) find('error', `“${line.name}”: the pool has no account that holds amounts.`);
		for (const account of [...targets, ...others]) {
			const facts = model.account(account);
			const { name } = model.accounts.member(account);
			if (!facts || !addsUp(model, account)) {
				// Of a wide pool only what adds up is shared out.
				if (changing || others.includes(account) || sources.length === 1)
					find('error', `“${name}” holds ${facts?.valueType ?? 'nothing of its own'}, which cannot be shared out or received.`);
				continue;
			}
			if (sources.some((source) => addsUp(model, source) && !alike(model.account(source)!, facts)))
				if (changing || others.includes(account))
					find(
						'error',
						`“${name}” is kept in another way than the pool: amounts go between accounts of one kind of value and one behaviour over time.`
					);
			written.add(account);
		}
		if (
			ready.contra === 'none' &&
			line.changes.every(({ weights, receivers }) => receivers.some(({ leaves }) => leaves.some((leaf) => weights[leaf] !== 0)))
		)
			find('hint', `“${line.name}”: the pool is among its own receivers, and nothing takes out what it gives: the total grows.`);
	});
	for (const { name, keeps } of ready.lines)
		for (const [what, valueType, words] of KEPT) {
			const account = keeps?.[what];
			if (account === undefined) continue;
			const facts = model.account(account);
			if (facts?.valueType === valueType && (facts.frequency ?? 'per period') === 'per period') written.add(account);
			else
				find(
					'error',
					`“${name}”: ${words} is kept by an account of a ${valueType} for each period, which “${model.accounts.member(account).name}” is not.`
				);
		}
	for (const account of written) writes(account);
	checkShares(ready.lines, find);
}

/** What is solved together must be taken out of its pools, and stay outside of them. @param above those of its group before it */
function checkTogether(model: Model, ready: ReadyAllocation, above: readonly ReadyAllocation[], find: Checking['find']): void {
	if (ready.contra === 'none') find('error', NO_CONTRA);
	if (ready.lines.some(({ basis }) => basis.by === 'standard')) find('error', AT_STANDARD);
	if (ready.lines.some(isMeasured)) find('error', NO_MEASURES);
	const group = [...above, ready];
	const lines = group.flatMap((each) => each.lines);
	for (const { contra } of group)
		if (typeof contra === 'number' && lines.some(({ pool }) => (pool.axes.get(model.accountAxis)?.[contra] ?? 1) === 1)) {
			find('error', `The contra “${model.accounts.member(contra).name}” is in a pool that is solved together with it.`);
			break;
		}
	if (above.length > 0) checkShares(lines, find);
}

/** Lines whose pools meet must not take more than there is. */
function checkShares(lines: readonly ReadyLine[], find: Checking['find']): void {
	for (const [at, line] of lines.entries()) {
		const meeting = lines
			.slice(at)
			.filter((other) => lines.slice(at).every((each) => each === other || meets(each.pool, other.pool)) && meets(line.pool, other.pool));
		const taken = meeting.reduce((sum, { share }) => sum + share, 0);
		if (taken > 1 + 1e-9) {
			find(
				'error',
				`${meeting.map(({ name }) => `“${name}”`).join(', ')} share out ${Math.round(taken * 1e6) / 1e4} % of the pool they have in common.`
			);
			return;
		}
	}
}

/** Whether an allocation gives to a pool that an earlier one has shared out. */
const flowsBack = (model: Model, later: ReadyAllocation, earlier: ReadyAllocation): boolean =>
	later.lines.some((line) => {
		const [received] = scopesOfLine(model, line, 'none').writes;
		return earlier.lines.some(({ pool }) => meets(received!, pool));
	});

function meets(one: Scope, other: Scope): boolean {
	for (const [axis, allowed] of one.axes) {
		const also = other.axes.get(axis);
		if (also && !allowed.some((each, ordinal) => each === 1 && also[ordinal] === 1)) return false;
	}
	return !one.periods || !other.periods || one.periods.some((each, leaf) => each === 1 && other.periods![leaf] === 1);
}

function accountsIn(model: Model, { axes }: Scope): number[] {
	const allowed = axes.get(model.accountAxis);
	return model.accounts.members.flatMap((_, account) =>
		model.accounts.isLeaf(account) && (allowed?.[account] ?? 1) === 1 ? [account] : []
	);
}

/** Numbers and parameters as they are answered; what was not answered yet counts as all of it. */
const numberIn =
	(values: Checking['values']) =>
	(of: NumberOrParameter): number => {
		if (typeof of === 'number') return of;
		const value = values.get(of.parameter);
		return value?.kind === 'number' ? value.value : 100;
	};

/** Pools shared out to receivers. */
export const allocation: StepRecord<AllocationStep> = {
	title: 'Allocation',
	firstName: 'Share out',
	blank: {
		kind: 'allocation',
		lines: [{ name: 'Line 1', pool: {}, receivers: {}, basis: { by: 'even' }, share: 100 }],
		contra: 'same account',
		noDriver: 'stranded',
		negative: 'refuse',
		currency: null
	},
	// Half of a cost shared out would tie to nothing.
	isWhole: true,
	unlimited: 'Wherever its pools stand',
	originMode: () => 'adds',
	check: (model, step, checking) => {
		const { values, variables, find } = checking;
		if (step.lines.length === 0) find('error', 'No line says what is shared out.');
		const names = step.lines.map(({ name }) => name.trim().toLowerCase());
		if (new Set(names).size < names.length) find('error', 'Two lines have one name.');
		for (const line of step.lines) {
			checkSlice(model, line.pool, variables, `The pool of “${line.name}”`, find);
			if (!(model.accounts.id in line.pool)) find('error', `“${line.name}”: say which accounts are shared out.`);
			for (const of of numbersOf(line))
				if (typeof of === 'object' && values.get(of.parameter)?.kind !== 'number') find('error', `$${of.parameter} is no number.`);
		}
		if (step.currency !== null && !model.definition.currencies.some(({ code }) => code === step.currency))
			find('error', `${step.currency} is no currency of this model.`);
		const number = numberIn(values);
		const ready = readyAllocation(model, step, variables, number);
		if (typeof ready === 'string') find('error', ready);
		else {
			checkReady(model, ready, checking);
			const unit = step.together ? (unitsOf([...checking.above, { ...step, active: true }]).at(-1) ?? []) : [];
			const group: ReadyAllocation[] = [];
			for (const earlier of checking.above) {
				const before = earlier.kind === 'allocation' ? readyAllocation(model, earlier, variables, number) : undefined;
				if (typeof before !== 'object') continue;
				if (unit.includes(earlier)) group.push(before);
				else if (flowsBack(model, ready, before))
					find('hint', `What it gives flows back into a pool that “${earlier.name}” has shared out by then: it stays there.`);
			}
			if (step.together) checkTogether(model, ready, group, find);
		}
	},
	reach: (model, step, { values, variables }) => {
		const number = numberIn(values);
		const ready = readyAllocation(model, step, variables, number);
		if (typeof ready === 'string') return { writes: [], reads: [], periods: undefined };
		const scopes = ready.lines.map((line: ReadyLine) => scopesOfLine(model, line, ready.contra));
		const writes = scopes.flatMap((each) => each.writes);
		return { writes, reads: scopes.flatMap((each) => each.reads), periods: unionOfPeriods(writes) };
	},
	run: (work, step) => runAllocation(work, step),
	renamed: (own, to) => ({
		...own,
		lines: own.lines.map((line) => ({
			...line,
			pool: renamedSlice(line.pool, to),
			receivers: renamedSlice(line.receivers, to),
			basis: renamedBasis(line.basis, to),
			...(line.capacity && { capacity: renamedDriver(line.capacity, to) }),
			...(line.keeps && {
				keeps: Object.fromEntries(Object.entries(line.keeps).map(([what, account]) => [what, to.member(account)]))
			})
		})),
		contra: typeof own.contra === 'object' && own.contra.account !== null ? { account: to.member(own.contra.account) } : own.contra
	}),
	inWords: (own, names) => {
		const lines = own.lines.map((line) => lineInWords(line, names)).join('; ') || 'nothing yet';
		const contra =
			own.contra === 'none'
				? ''
				: own.contra === 'same account'
					? ', taken out where it stands'
					: `, contra ${names.get(own.contra.account ?? -1) ?? '?'}`;
		return `Shares ${lines}${contra}${own.together ? ', solved together with those next to it' : ''}`;
	}
};

const numbersOf = ({ share, basis }: AllocationLine): NumberOrParameter[] =>
	basis.by === 'standard' && (typeof basis.rate === 'number' || 'parameter' in basis.rate) ? [share, basis.rate] : [share];

const renamedDriver = ({ account, at }: Driver, to: Renaming): Driver => ({
	account: account === null ? null : to.member(account),
	at: renamedKeys(at, to, (reference) => (typeof reference === 'number' ? to.member(reference) : reference))
});

function renamedBasis(basis: Basis, to: Renaming): Basis {
	const driver = (each: Driver) => renamedDriver(each, to);
	switch (basis.by) {
		case 'even':
			return basis;
		case 'fixed':
			return {
				...basis,
				shares: basis.shares.map((row) => ({ ...row, members: renamedKeys(row.members, to, (member) => to.member(member)) }))
			};
		case 'driver':
			return { ...basis, drivers: basis.drivers.map(driver) };
		case 'standard':
			return {
				...basis,
				drivers: basis.drivers.map(driver),
				rate: typeof basis.rate === 'object' && 'at' in basis.rate ? driver(basis.rate) : basis.rate
			};
		default:
			return basis satisfies never;
	}
}

function lineInWords({ pool, receivers, basis, share }: AllocationLine, names: MemberNames): string {
	const part = share === 100 ? '' : typeof share === 'number' ? `${share} % of ` : `$${share.parameter} % of `;
	const over = Object.values(receivers).map((selection) => selectionInWords(selection, names));
	const what = sliceInWords(pool, names) || 'nothing yet';
	return `${part}${what} over ${over.join(' and ') || 'nobody yet'} ${basisInWords(basis, names)}`;
}

function basisInWords(basis: Basis, names: MemberNames): string {
	const of = (drivers: readonly Driver[]) => drivers.map(({ account }) => names.get(account ?? -1) ?? '?').join(' plus ');
	if (basis.by === 'even') return 'evenly';
	if (basis.by === 'fixed') return 'by fixed shares';
	return basis.by === 'driver' ? `by ${of(basis.drivers)}` : `at standard for ${of(basis.drivers)}`;
}
