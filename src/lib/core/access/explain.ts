import type { PeriodRange } from '../calendar';
import type { Address } from '../cell';
import type { Model } from '../model';
import { coverage, ReadGuard } from './read-guard';
import type { LockTable } from './lock-table';
import type { AccessRules, Grant } from './rules';
import { WriteGuard } from './write-guard';

/** A sentence of an explanation, and whether what it says lets one go on. */
export interface AccessSentence {
	words: string;
	holds: boolean;
}

/**
 * Why a figure may be read and written, or not, by grants, locks and what takes entries: the same verdicts that guard
 * figures, with what they rest on. What roles let one do is told elsewhere.
 * @param members one ordinal per dimension, of any level
 * @param range the leaf periods of the figure
 */
export function explainAccess(
	model: Model,
	rules: AccessRules,
	locks: LockTable,
	members: Address,
	range: PeriodRange
): { read: AccessSentence[]; write: AccessSentence[] } {
	const covers = ({ slice }: Grant, axes = model.dimensions) =>
		axes.every((dimension) => coverage(dimension, slice)?.[members[model.dimensions.indexOf(dimension)]!] !== 0);
	const named = (grants: readonly Grant[]) => grants.map(({ name }) => `“${name}”`).join(', ');
	const guarded = model.dimensions.filter(({ id }) => rules.guarded?.includes(id));
	return { read: [readSentence()], write: [writeSentence()] };

	function readSentence(): AccessSentence {
		if (guarded.length === 0) return { words: 'Nothing is guarded in this model: whoever opens forms reads all of it.', holds: true };
		const on = guarded.map(({ name }) => name).join(' and ');
		const here = rules.grants.filter((grant) => covers(grant, guarded));
		const barred = here.filter(({ level }) => level === 'none');
		if (barred.length > 0) return { words: `${named(barred)} keeps out here.`, holds: false };
		const visible = ReadGuard.ofRules(model, rules);
		if (!visible || visible.readsCell(members)) return { words: `Read by ${named(here)}; guarded on ${on}.`, holds: true };
		return visible.reachesCell(members)
			? { words: `A part of what lies beneath may be read, and the figure is the total of that part. Guarded on ${on}.`, holds: true }
			: { words: `No grant to read here. Guarded on ${on}.`, holds: false };
	}

	function writeSentence(): AccessSentence {
		const verdict = new WriteGuard(model, { ...rules, mayEnter: true }, locks).verdict(members, range);
		if (verdict.kind !== 'enter' && verdict.kind !== 'spread')
			return { words: 'reason' in verdict ? verdict.reason : 'Nothing is entered here.', holds: false };
		const giving = rules.grants.filter((grant) => grant.level === 'write' && covers(grant));
		const by = giving.length > 0 ? `granted by ${named(giving)}` : 'granted for a part of what lies beneath';
		return verdict.kind === 'enter'
			? { words: `The cell takes entries, ${by}, and no lock holds it.`, holds: true }
			: { words: `An entry here is spread over the cells beneath that are open: ${by}.`, holds: true };
	}
}
