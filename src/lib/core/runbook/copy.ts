import { addsUp, Block, isTranslated, rateUse, translationFactors } from '../cube';
import { factPeriod } from '../model';
import { isEmpty } from '../number';
import { Shifts } from '../calendar';
import { eachCell } from '../script';
import type { CopyStep, Slice } from './definition';
import type { StepWork } from './run';
import { readyMap, type ReadyMap } from './member-map';
import { inScope, scopeOf } from './slice';

/**
 * Copies a slice onto another: members collapse or become others, periods shift, amounts are multiplied and translated.
 * Facts of all time go along, whatever the periods. O(cells read).
 */
export function runCopy(work: StepWork, step: CopyStep & { limits: Slice }): void {
	const { model, cube, variables } = work;
	const from = scopeOf(model, step.from, variables);
	const limits = scopeOf(model, step.limits, variables);
	const factor = typeof step.factor === 'number' ? step.factor : work.number(step.factor.parameter);
	const maps: (ReadyMap & { axis: number })[] = [];
	const onto = Object.entries(step.onto).flatMap(([id, reference]) => {
		const dimension = model.dimension(Number(id));
		if (typeof reference === 'object' && 'map' in reference) {
			const ready = dimension ? readyMap(dimension, reference.map) : 'A dimension of this copy is not there any more.';
			if (!dimension || typeof ready === 'string') throw work.fault(String(ready));
			maps.push({ axis: model.dimensions.indexOf(dimension), ...ready });
			return [];
		}
		const member = typeof reference === 'number' ? reference : reference === 'chosen' ? undefined : variables.get(reference.variable);
		const ordinal = member === undefined ? undefined : dimension?.ordinal(member);
		if (!dimension || ordinal === undefined)
			throw work.fault(`The member to copy onto in ${dimension?.name ?? 'a dimension'} is not there any more.`);
		if (dimension === model.periods.dimension) throw work.fault('Copies go to other periods by a shift.');
		if (!dimension.isLeaf(ordinal))
			throw work.fault(
				`“${dimension.member(ordinal).name}” adds up others. Copy onto a member of ${dimension.name} without any beneath it.`
			);
		return [{ axis: model.dimensions.indexOf(dimension), ordinal }];
	});
	const shift = step.shift && step.shift.by !== 0 ? new Shifts(model.periods).table(step.shift.level, step.shift.by) : undefined;
	const crossesEntities = [...onto, ...maps].some(({ axis }) => axis === model.entityAxis);
	const rates = new Map<string, Float64Array>();
	const sums = new Block(model.dimensions.length, model.periods.leaves.length);
	const several = new Set<number>();
	const target = new Int32Array(model.dimensions.length);
	/** Puts the target of a source into `target`. @returns what amounts are multiplied with; 0 where it goes nowhere */
	const aim = (source: Int32Array): number => {
		target.set(source);
		for (const { axis, ordinal } of onto) target[axis] = ordinal;
		let times = 1;
		for (const { axis, into, times: by } of maps) {
			const own = source[axis]!;
			if (into[own]! < 0) return 0;
			target[axis] = into[own]!;
			times *= by[own]!;
		}
		return times;
	};
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
			const times = aim(source);
			if (times === 0 || !inScope(limits, target, to)) return;
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
			value = adds ? value * factor * times : value;
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
		if (model.account(address[model.accountAxis]!)?.frequency === 'timeless') {
			work.skip(address, factPeriod(model, address), 'Amounts of periods cannot be put on an account with one value for all time.');
			continue;
		}
		const values = sums.values.subarray(copied * sums.width, (copied + 1) * sums.width);
		if (several.size > 0)
			for (let leaf = 0; leaf < sums.width; leaf++) {
				if (!several.has(copied * sums.width + leaf)) continue;
				work.skip(address, leaf, 'Several prices or facts would meet in one cell, and they do not add up.');
				values[leaf] = Number.NaN;
			}
		work.writeAll(address, values);
	}
	copyFacts();

	/** Facts of all time have no period: neither the shift nor limits to periods speak of them. */
	function copyFacts(): void {
		const places = new Map<number, number>();
		const facts = new Block(model.dimensions.length, 1);
		const source = new Int32Array(model.dimensions.length);
		for (const { year, block } of cube.store.blocks())
			for (let held = 0; year === 0 && held < block.count; held++) {
				block.readAddress(held, source);
				const value = block.values[held * block.width]!;
				const account = source[model.accountAxis]!;
				if (isEmpty(value) || (accounts && accounts[account] === 0) || !inScope({ axes: from.axes, periods: undefined }, source, 0))
					continue;
				const times = aim(source);
				if (times === 0 || same(target, source) || !inScope({ axes: limits.axes, periods: undefined }, target, 0)) continue;
				if (model.account(target[model.accountAxis]!)?.frequency !== 'timeless') {
					work.skip(target, factPeriod(model, target), 'A fact of all time cannot be put on an account with a value a period.');
					continue;
				}
				const facing = crossesEntities && isTranslated(model.account(account)!);
				if (facing && model.currencyOf(source[model.entityAxis]!) !== model.currencyOf(target[model.entityAxis]!)) {
					work.skip(
						target,
						factPeriod(model, target),
						'A fact of all time has no period, so there is no rate to bring it into another currency.'
					);
					continue;
				}
				const adds = addsUp(model, target[model.accountAxis]!);
				const place = facts.ensure(target);
				const known = places.get(place);
				if (known !== undefined && !adds && known !== value) places.set(place, Number.NaN);
				else places.set(place, adds ? (known ?? 0) + value * factor * times : value);
			}
		for (const [place, value] of places) {
			facts.readAddress(place, target);
			if (isEmpty(value))
				work.skip(target, factPeriod(model, target), 'Several prices or facts would meet in one cell, and they do not add up.');
			else work.writeFact(target, value);
		}
	}
}

function same(one: Int32Array, other: Int32Array): boolean {
	for (let axis = 0; axis < one.length; axis++) if (one[axis] !== other[axis]) return false;
	return true;
}
