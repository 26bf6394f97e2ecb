// Access: what guarded reading costs a form, and how long it takes to know somebody's rights among many.
import { compileQuery, LockTable, Reader, ReadGuard, View, WriteGuard, type Grant } from '../src/lib/core';
import { benchData, type BenchData } from './data';
import { formQuery, millions } from './open-form';
import { inTurns, measure, medianOf, type Measure } from './timing';

/** Grants of one person, over three dimensions that are guarded: a slice of each. */
function grantsOf(data: BenchData, count: number): { grants: Grant[]; guarded: number[] } {
	const { model } = data;
	const axes = [2, 3, 4].map((offset) => model.dimensions[offset]!);
	const grants = Array.from({ length: count }, (_, grant): Grant => ({
		name: `g${grant}`,
		level: grant % 9 === 8 ? 'none' : grant % 2 ? 'read' : 'write',
		slice: Object.fromEntries(axes.map(({ id, members }, axis) => [id, [members[(grant * (axis + 3) * 7) % members.length]!.id]]))
	}));
	// All of it at first, so that the guarded form has as much to add up as the other one.
	return {
		grants: [{ name: 'All entities', level: 'read', slice: { [axes[0]!.id]: [axes[0]!.members[0]!.id] } }, ...grants],
		guarded: axes.map(({ id }) => id)
	};
}

/** Both, on data of their own. */
export async function accessMeasures(cells: number): Promise<Measure[]> {
	const data = await benchData(cells);
	return [await guardedForm(data), await compiledRights(data)];
}

/** A form of 249 × 17 read through a guard over three dimensions, against the same one read by whoever may read all. */
async function guardedForm(data: BenchData): Promise<Measure> {
	const { query } = formQuery(data);
	const { grants, guarded } = grantsOf(data, 25);
	const visible = ReadGuard.of(data.model, grants, guarded);
	const open = (guard: ReadGuard | undefined) => () => {
		const view = new View(compileQuery(data.model, query));
		view.fill(new Reader(data.cube, [], guard));
		return view.evaluate();
	};
	const [guardedMs, openMs] = await inTurns(41, open(visible), open(undefined));
	return measure(`a form on ${millions(data)} cells through grants on three dimensions`, guardedMs, openMs, 1.15);
}

/** The rights of one person, compiled from 25 grants and 200 locks, against opening a form once. */
async function compiledRights(data: BenchData): Promise<Measure> {
	const { grants, guarded } = grantsOf(data, 25);
	const locks = Array.from({ length: 200 }, (_, lock) => ({
		id: lock + 1,
		layer: 'board' as const,
		state: 'closed' as const,
		name: `l${lock}`,
		slice: Object.fromEntries([[data.model.dimensions[3]!.id, [data.model.dimensions[3]!.members[lock % 500]!.id]]])
	}));
	const rules = { mayEnter: true, grants, guarded };
	const { query } = formQuery(data);
	return measure(
		'the rights of one person: 25 grants, 200 locks',
		await medianOf(9, () => [new WriteGuard(data.model, rules, new LockTable(data.model, locks)), ReadGuard.ofRules(data.model, rules)]),
		await medianOf(9, () => {
			const view = new View(compileQuery(data.model, query));
			view.fill(new Reader(data.cube));
			return view.evaluate();
		}),
		// About 50 ms where a form takes four and a half.
		11
	);
}
