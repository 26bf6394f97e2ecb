import { addsUp, Block, isTranslated, rateUse, translationFactors } from '../cube';
import { isEmpty } from '../number';
import { Shifts } from '../calendar';
import { eachCell } from '../script';
import type { CopyStep, Slice } from './definition';
import type { StepWork } from './run';
import { inScope, scopeOf } from './slice';

/** Copies a slice onto another: members collapse, periods shift, amounts are multiplied and translated. O(cells read). */
export function runCopy(work: StepWork, step: CopyStep & { limits: Slice }): void {
	const { model, cube, variables } = work;
	const from = scopeOf(model, step.from, variables);
	const limits = scopeOf(model, step.limits, variables);
	const factor = typeof step.factor === 'number' ? step.factor : work.number(step.factor.parameter);
	const onto = Object.entries(step.onto).map(([id, reference]) => {
		const dimension = model.dimension(Number(id));
		const member = typeof reference === 'number' ? reference : reference === 'chosen' ? undefined : variables.get(reference.variable);
		const ordinal = member === undefined ? undefined : dimension?.ordinal(member);
		if (!dimension || ordinal === undefined)
			throw work.fault(`The member to copy onto in ${dimension?.name ?? 'a dimension'} is not there any more.`);
		if (dimension === model.periods.dimension) throw work.fault('Copies go to other periods by a shift.');
		if (!dimension.isLeaf(ordinal))
			throw work.fault(
				`“${dimension.member(ordinal).name}” adds up others. Copy onto a member of ${dimension.name} without any beneath it.`
			);
		return { axis: model.dimensions.indexOf(dimension), ordinal };
	});
	const shift = step.shift && step.shift.by !== 0 ? new Shifts(model.periods).table(step.shift.level, step.shift.by) : undefined;
	const crossesEntities = onto.some(({ axis }) => axis === model.entityAxis);
	const rates = new Map<string, Float64Array>();
	const sums = new Block(model.dimensions.length, model.periods.leaves.length);
	const several = new Set<number>();
	const target = new Int32Array(model.dimensions.length);
	const lastTarget = new Int32Array(model.dimensions.length);
	let series = -1;
	const accounts = from.axes.get(model.accountAxis);
	eachCell(
		{ model, cube },
		(account) => !accounts || accounts[account] === 1,
		(source, leaf, stored) => {
			work.breathe();
			if (!inScope(from, source, leaf)) return;
			const to = shift ? shift[leaf]! : leaf;
			if (to < 0) return;
			target.set(source);
			for (const { axis, ordinal } of onto) target[axis] = ordinal;
			if (!inScope(limits, target, to)) return;
			let value = stored;
			const account = model.account(target[model.accountAxis]!);
			if (crossesEntities && account && isTranslated(account)) {
				const [local, currency] = [model.currencyOf(source[model.entityAxis]!), model.currencyOf(target[model.entityAxis]!)];
				if (local !== currency) {
					const scenario = source[model.scenarioAxis]!;
					const key = `${local} ${currency} ${scenario} ${rateUse(account)}`;
					let factors = rates.get(key);
					if (!factors)
						rates.set(
							key,
							(factors = translationFactors(model, local, currency, (period) => model.rateSetAt(scenario, period), rateUse(account)))
						);
					if (isEmpty(factors[leaf]!)) work.missingRate();
					value *= factors[leaf]!;
				}
			}
			if (isEmpty(value)) return;
			const adds = addsUp(model, target[model.accountAxis]!);
			value = adds ? value * factor : value;
			// Cells come series by series: one look-up serves all of its periods.
			if (series < 0 || !same(target, lastTarget)) {
				series = sums.ensure(target);
				lastTarget.set(target);
			}
			const place = series * sums.width + to;
			const before = sums.values[place]!;
			if (isEmpty(before)) sums.values[place] = value;
			else if (adds) sums.values[place] = before + value;
			else if (before !== value) several.add(place);
		}
	);
	const address = new Int32Array(model.dimensions.length);
	for (let copied = 0; copied < sums.count; copied++) {
		sums.readAddress(copied, address);
		const values = sums.values.subarray(copied * sums.width, (copied + 1) * sums.width);
		if (several.size > 0)
			for (let leaf = 0; leaf < sums.width; leaf++) {
				if (!several.has(copied * sums.width + leaf)) continue;
				work.skip(address, leaf, 'Several prices or facts would meet in one cell, and they do not add up.');
				values[leaf] = Number.NaN;
			}
		work.writeAll(address, values);
	}
}

function same(one: Int32Array, other: Int32Array): boolean {
	for (let axis = 0; axis < one.length; axis++) if (one[axis] !== other[axis]) return false;
	return true;
}
