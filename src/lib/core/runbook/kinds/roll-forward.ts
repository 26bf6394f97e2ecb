import type { LeafPeriod } from '../../calendar';
import { Block, LeafReader, NearReader, Reader } from '../../cube';
import { mapSelection, selectionInWords, selectMembers } from '../../dimension';
import { continuationOf, inContinuation, laterScenarios, type Model } from '../../model';
import { isEmpty } from '../../number';
import type { CarriedInto, RollForwardStep, Slice } from '../definition';
import type { StepWork } from '../step-work';
import { scopeOf } from '../slice';
import type { StepRecord } from './kind';
import { flags, unionOfPeriods, withAccounts } from './scopes';

/** One account's way: what it holds, at some members, goes to another account or itself, at other members. */
export interface ReadyLine {
	source: number;
	target: number;
	sign: number;
	/** By axis: the leaves that are read, each with its weight in the member the line names. */
	reads: { axis: number; leaves: { ordinal: number; weight: number }[] }[];
	/** By axis: the leaf that is written. */
	writes: { axis: number; ordinal: number }[];
	into: CarriedInto;
}

/** Whether balances are carried into a leaf period. */
export const isCarriedInto = (into: CarriedInto, { position }: Pick<LeafPeriod, 'position'>): boolean =>
	into === 'every period' || (into === 'first period of the year') === (position === 0);

/** The lines of a roll-forward, one for each account that is carried. @returns a sentence where one cannot be followed */
export function readyLines(model: Model, { lines, into }: RollForwardStep, variables: ReadonlyMap<string, number>): ReadyLine[] | string {
	const ready: ReadyLine[] = [];
	for (const line of lines) {
		const sources =
			line.accounts === undefined
				? [model.accounts.ordinal(line.from ?? -1)]
				: [...new Set(selectMembers(model.accounts, line.accounts, { variables }).flatMap((each) => model.accounts.leavesOf(each)))];
		const reads: ReadyLine['reads'] = [];
		const writes: ReadyLine['writes'] = [];
		for (const { dimension: id, from, to } of line.members ?? []) {
			const dimension = model.dimension(id);
			const [read, written] = [dimension?.ordinal(from), dimension?.ordinal(to)];
			const axis = dimension ? model.dimensions.indexOf(dimension) : -1;
			if (!dimension || read === undefined || written === undefined || axis < 0)
				return 'A member of this roll-forward is not there any more.';
			if (axis === model.accountAxis || axis === model.scenarioAxis)
				return `Balances stay in their ${axis === model.scenarioAxis ? 'scenario' : 'account; name another account beside it'}.`;
			if (!dimension.isLeaf(written))
				return `“${dimension.member(written).name}” adds up others. Balances go to a member of ${dimension.name} without any beneath it.`;
			const leaves: { ordinal: number; weight: number }[] = [];
			dimension.eachWeightedLeaf(read, (ordinal, weight) => leaves.push({ ordinal, weight }));
			reads.push({ axis, leaves });
			writes.push({ axis, ordinal: written });
		}
		for (const source of sources) {
			const target = line.to === null ? source : model.accounts.ordinal(line.to);
			if (source === undefined || target === undefined) return 'An account of this roll-forward is not there any more.';
			for (const account of [source, target])
				if (!model.account(account) || !model.accounts.isLeaf(account))
					return `“${model.accounts.member(account).name}” adds up others. Balances go from one account to one account.`;
			// Carried into the cell it is read from, a balance would only copy itself.
			if (source === target && reads.length === 0 && sources.length > 1) continue;
			ready.push({ source, target, sign: line.reverse ? -1 : 1, reads, writes, into: line.into ?? into });
		}
	}
	return ready;
}

/** Lines that reach one cell: what they carry adds up there. */
interface Destination {
	target: number;
	writes: ReadyLine['writes'];
	lines: ReadyLine[];
}

/**
 * Carries balances forward: what accounts hold at the end of a period, at some members, is what others begin the next one
 * with, period after period, so that one run goes through all years. Lines that reach one cell add up. Before a scenario's
 * own first period the one it continues from is read. O(periods × addresses × lines).
 */
export function runRollForward(work: StepWork, step: RollForwardStep & { limits: Slice }): void {
	const { model, cube, variables } = work;
	const limits = scopeOf(model, step.limits, variables);
	const lines = readyLines(model, step, variables);
	if (typeof lines === 'string') throw work.fault(lines);
	const moved = new Set(lines.flatMap(({ reads }) => reads.map(({ axis }) => axis)));
	for (const { reads, source } of lines)
		if (reads.length < moved.size)
			throw work.fault(
				`“${model.accounts.member(source).name}” is carried without naming members of ${[...moved].map((axis) => model.dimensions[axis]!.name).join(' and ')}, as other lines do. Put it into a step of its own.`
			);
	const destinations = destinationsOf(lines);
	const addresses = new Block(model.dimensions.length, 1);
	let kept = -1;
	// Where a line moves along a dimension, limits on it speak of what is written.
	const axes = [...limits.axes].filter(([axis]) => axis !== model.accountAxis && !moved.has(axis));
	const writable = destinations.filter(({ target, writes }) =>
		[[model.accountAxis, target] as const, ...writes.map(({ axis, ordinal }) => [axis, ordinal] as const)].every(
			([axis, ordinal]) => limits.axes.get(axis)?.[ordinal] !== 0
		)
	);
	const keep = (address: Int32Array) => {
		for (const [axis, allowed] of axes) if (allowed[address[axis]!] === 0) return;
		const account = address[model.accountAxis]!;
		address[model.accountAxis] = 0;
		const own = [...moved].map((axis) => address[axis]!);
		for (const axis of moved) address[axis] = 0;
		// Cells of a series come one after another.
		if (kept < 0 || !addresses.isAt(kept, address)) kept = addresses.ensure(address);
		[...moved].forEach((axis, place) => (address[axis] = own[place]!));
		address[model.accountAxis] = account;
	};
	const carried = new Set(lines.flatMap(({ source, target }) => [source, target]));
	// Wherever something of these accounts stands, or of what they follow from, in the scenario itself or the one it continues from.
	const sources = new Set(carried);
	for (const { account, drivers } of model.live.ordered) if (carried.has(account)) for (const driver of drivers) sources.add(driver);
	const address = new Int32Array(model.dimensions.length);
	const later = laterScenarios(model);
	for (const { block } of cube.store.blocks()) {
		const accounts = block.coordinates[model.accountAxis]!;
		for (let series = 0; series < block.count; series++) {
			if (!sources.has(accounts[series]!)) continue;
			keep(block.readAddress(series, address));
			const own = address[model.scenarioAxis]!;
			for (const scenario of later.get(own) ?? []) {
				address[model.scenarioAxis] = scenario;
				keep(address);
			}
			address[model.scenarioAxis] = own;
		}
	}
	const isAlone = moved.size === 0 && [...carried].every((account) => model.live.staysAtAddress(account));
	const near = new NearReader(cube);
	const shown = new LeafReader(model, isAlone ? near.read : new Reader(cube).read);
	const leaves = model.periods.leaves.filter(
		(leaf) => leaf.index > 0 && (!limits.periods || limits.periods[leaf.index] === 1) && lines.some(({ into }) => isCarriedInto(into, leaf))
	);
	/** What a line finds at the address, all members it reads added up. */
	const balance = ({ source, reads }: ReadyLine, before: LeafPeriod, at = 0, weight = 1): number => {
		if (at === reads.length) {
			address[model.accountAxis] = source;
			const value = shown.value(address, before.fiscalYear, before.position);
			return isEmpty(value) ? value : value * weight;
		}
		const { axis, leaves } = reads[at]!;
		let total = Number.NaN;
		for (const leaf of leaves) {
			address[axis] = leaf.ordinal;
			const value = balance({ source, reads } as ReadyLine, before, at + 1, weight * leaf.weight);
			if (!isEmpty(value)) total = isEmpty(total) ? value : total + value;
		}
		return total;
	};
	/** Carries the balances of an address into a leaf period. */
	const carry = (leaf: LeafPeriod) => {
		const before = model.periods.leaf(leaf.index - 1);
		const scenario = address[model.scenarioAxis]!;
		// The scenario speaks from its span on; the period before it belongs to the one it continues from.
		const span = model.scenario(scenario)?.span;
		if (span && (leaf.index < span.from || leaf.index > span.to)) return;
		const readIn = span && before.index < span.from ? (continuationOf(model, scenario, before.index)?.scenario ?? scenario) : scenario;
		for (const { target, writes, lines } of writable) {
			let total = Number.NaN;
			address[model.scenarioAxis] = readIn;
			for (const line of lines) {
				if (!isCarriedInto(line.into, leaf)) continue;
				const value = balance(line, before);
				if (!isEmpty(value)) total = (isEmpty(total) ? 0 : total) + line.sign * value;
			}
			address[model.scenarioAxis] = scenario;
			address[model.accountAxis] = target;
			for (const { axis, ordinal } of writes) address[axis] = ordinal;
			if (!isEmpty(total)) work.write(address, leaf.index, total);
		}
	};
	// An address at a time, its series at hand, where balances look at nothing but their own address; else by periods.
	if (isAlone)
		for (const scenario of inContinuation(model))
			for (let place = 0; place < addresses.count; place++) {
				if (addresses.coordinates[model.scenarioAxis]![place] !== scenario) continue;
				work.breathe();
				addresses.readAddress(place, address);
				near.move();
				for (const leaf of leaves) carry(leaf);
			}
	else
		for (const leaf of leaves) {
			work.breathe();
			for (let place = 0; place < addresses.count; place++) {
				addresses.readAddress(place, address);
				carry(leaf);
			}
		}
}

function destinationsOf(lines: readonly ReadyLine[]): Destination[] {
	const found = new Map<string, Destination>();
	for (const line of lines) {
		const key = [line.target, ...line.writes.map(({ axis, ordinal }) => `${axis}:${ordinal}`)].join(' ');
		const known = found.get(key);
		if (known) known.lines.push(line);
		else found.set(key, { target: line.target, writes: line.writes, lines: [line] });
	}
	return [...found.values()];
}

/** Balances carried into the next period. */
export const rollForward: StepRecord<RollForwardStep> = {
	title: 'Roll-forward',
	firstName: 'Carry forward',
	blank: { kind: 'roll-forward', lines: [], into: 'every period' },
	// Half of the balances would not tie.
	isWhole: true,
	unlimited: 'Wherever it leads',
	originMode: () => 'sets',
	check: (model, step, { variables, find, writes }) => {
		if (step.lines.length === 0) find('error', 'No line says what is carried forward.');
		const lines = readyLines(model, step, variables);
		if (typeof lines === 'string') find('error', lines);
		else for (const into of new Set(lines.map(({ target: account }) => account))) writes(into);
	},
	reach: (model, step, { variables }) => {
		const limits = scopeOf(model, step.limits, variables);
		const lines = readyLines(model, step, variables);
		if (typeof lines === 'string') return { writes: [], reads: [], periods: undefined };
		const periodsOf = (into: CarriedInto) =>
			Uint8Array.from(model.periods.leaves, (leaf) => ((limits.periods?.[leaf.index] ?? 1) === 1 && isCarriedInto(into, leaf) ? 1 : 0));
		const free = new Map([...limits.axes].filter(([axis]) => axis !== model.accountAxis));
		const sources = new Set(lines.flatMap(({ source }) => [source, ...model.live.followedFrom(source)]));
		const writes = [...new Set(lines.map(({ into }) => into))].map((into) =>
			withAccounts(
				model,
				{ axes: free, periods: periodsOf(into) },
				lines.filter((line) => line.into === into).map(({ target }) => target)
			)
		);
		return {
			writes,
			reads: [{ axes: new Map([[model.accountAxis, flags(model.accounts.members.length, sources)]]), periods: undefined }],
			periods: unionOfPeriods(writes)
		};
	},
	run: (work, step) => runRollForward(work, step),
	renamed: (own, { member, dimension }) => ({
		...own,
		lines: own.lines.map((line) => ({
			...line,
			from: line.from === null ? null : member(line.from),
			to: line.to === null ? null : member(line.to),
			...(line.accounts && { accounts: mapSelection(line.accounts, member) }),
			...(line.members && {
				// The keys keep their order: what nothing was replaced in is stored as it was.
				members: line.members.map((move) => ({
					...move,
					...(dimension && { dimension: dimension(move.dimension) }),
					from: member(move.from),
					to: member(move.to)
				}))
			})
		}))
	}),
	inWords: (own, names) => {
		const isOne = new Set(own.lines.map(({ into }) => into ?? own.into)).size < 2;
		const lines = own.lines.map(({ from, accounts, to, members, into }) => {
			const what = accounts ? selectionInWords(accounts, names) : (names.get(from ?? -1) ?? '?');
			const moves = (members ?? []).map((move) => `${names.get(move.from) ?? '?'} into ${names.get(move.to) ?? '?'}`);
			const onto = to === null || to === from ? '' : ` into ${names.get(to) ?? '?'}`;
			return `${[what + onto, ...moves].join(', ')}${isOne ? '' : ` (${into ?? own.into})`}`;
		});
		const periods = isOne ? `, ${own.lines[0]?.into ?? own.into}` : '';
		return `Carries ${lines.join(', ') || 'nothing yet'}${periods}`;
	}
};
