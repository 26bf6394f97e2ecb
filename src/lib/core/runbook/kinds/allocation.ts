import { allocate, type ReadyAllocation, type ReadyLine } from '../../allocation';
import { addsUp } from '../../cube';
import { selectionInWords } from '../../dimension';
import type { AccountDefinition, Model } from '../../model';
import type { Scope } from '../../script';
import { checkSlice } from '../check-slice';
import type { AllocationLine, AllocationStep, Basis, Driver, NumberOrParameter, Slice } from '../definition';
import type { StepWork } from '../run';
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
	const { results } = allocated;
	const address = new Int32Array(model.dimensions.length);
	for (let series = 0; series < results.count; series++) {
		work.breathe();
		const values = results.values.subarray(series * results.width, (series + 1) * results.width);
		// What comes and goes again in full leaves nothing.
		for (let leaf = 0; leaf < values.length; leaf++) if (values[leaf] === 0) values[leaf] = Number.NaN;
		work.writeAll(results.readAddress(series, address), values);
	}
	work.prove(proofOf(model, ready, allocated, samples.get()));
	if (allocated.tieOut.length === 0) work.note('The pool is empty: there was nothing to share out.');
}

/** What an account must have in common with the pool it gets amounts from. */
const alike = (one: AccountDefinition, other: AccountDefinition): boolean =>
	one.valueType === other.valueType &&
	(one.timeBehaviour ?? 'flow') === (other.timeBehaviour ?? 'flow') &&
	(one.frequency ?? 'per period') === (other.frequency ?? 'per period');

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
	for (const account of written) writes(account);
	checkShares(ready, find);
}

/** Lines whose pools meet must not take more than there is. */
function checkShares({ lines }: ReadyAllocation, find: Checking['find']): void {
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
			for (const earlier of checking.above) {
				const before = earlier.kind === 'allocation' ? readyAllocation(model, earlier, variables, number) : undefined;
				if (typeof before === 'object' && flowsBack(model, ready, before))
					find('hint', `What it gives flows back into a pool that “${earlier.name}” has shared out by then: it stays there.`);
			}
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
			basis: renamedBasis(line.basis, to)
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
		return `Shares ${lines}${contra}`;
	}
};

const numbersOf = ({ share, basis }: AllocationLine): NumberOrParameter[] =>
	basis.by === 'standard' && (typeof basis.rate === 'number' || 'parameter' in basis.rate) ? [share, basis.rate] : [share];

function renamedBasis(basis: Basis, to: Renaming): Basis {
	const driver = ({ account, at }: Driver): Driver => ({
		account: account === null ? null : to.member(account),
		at: renamedKeys(at, to, (reference) => (typeof reference === 'number' ? to.member(reference) : reference))
	});
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
