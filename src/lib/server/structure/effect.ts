import type { z } from 'zod';
import { applyEdits, type AccountDefinition, type BalanceRole, type DimensionState } from '../../core';
import { pool } from '../database';
import { askRunner, type EffectLine } from '../engine';
import { requirePermission, type SignedIn } from '../session';
import { planOfRows, type editsSchema, type PastedRows } from './members';
import { readDimension, type LoadedDimension } from './read-state';
import { modelVersions } from '../database/structure-version';

/** Fields of an account, and of a movement, that decide about figures. */
const DECIDING = ['kind', 'valueType', 'timeBehaviour', 'consolidation', 'weighedBy', 'frequency', 'rateKind', 'balance'];

/**
 * What edits would do to figures: the totals that would move most. Nothing is changed. Edits that add or delete members
 * move no figure and give no lines.
 */
export async function effectOfEdits(
	person: SignedIn | undefined,
	modelId: number,
	dimensionCode: string,
	{ edits }: z.infer<typeof editsSchema>
): Promise<{ lines: EffectLine[] }> {
	requirePermission(person, 'structure.write');
	const dimension = await readDimension(pool(), modelId, dimensionCode);
	const result = applyEdits(dimension.state, edits, dimension.lookups);
	if ('faults' in result || result.next.members.size !== dimension.state.members.size) return { lines: [] };
	return { lines: await effectOfNext(modelId, dimension, result.next) };
}

/** What pasted rows would do to figures: where members that are there move, count otherwise or behave otherwise. */
export async function effectOfRows(
	person: SignedIn | undefined,
	modelId: number,
	dimensionCode: string,
	rows: PastedRows
): Promise<{ lines: EffectLine[] }> {
	requirePermission(person, 'structure.write');
	const { dimension, plan } = await planOfRows(person, modelId, dimensionCode, rows);
	if (plan.counts.error > 0 && !rows.leaveOutFaulty) return { lines: [] };
	return { lines: await effectOfNext(modelId, dimension, plan.next) };
}

/** The totals that would move most if a dimension were another one; members it gains hold nothing yet. */
async function effectOfNext(modelId: number, { id: dimension, state, ids }: LoadedDimension, next: DimensionState): Promise<EffectLine[]> {
	const changed = [...next.members.values()].filter((member) => {
		const before = state.members.get(member.id);
		return (
			before !== undefined &&
			before !== member &&
			(before.parent !== member.parent ||
				before.weight !== member.weight ||
				DECIDING.some((key) => before.facts[key] !== member.facts[key]))
		);
	});
	if (changed.length === 0) return [];
	const versions = await modelVersions(pool(), modelId);
	const members = [...next.members.values()].sort((a, b) => a.position - b.position);
	return askRunner(modelId, 'effect', {
		...versions,
		dimension,
		added: members.filter(({ id }) => !state.members.has(id)).map(({ id, code, name }) => ({ id, code, name })),
		nodes: members.map(({ id, parent, weight }) => ({ member: id, parent, weight })),
		accounts: state.kind === 'account' ? accountsOf(next, ids.accounts) : [],
		balanceRoles:
			state.kind === 'general'
				? members.flatMap(({ id, facts }) => (facts.balance === undefined ? [] : [{ member: id, role: facts.balance as BalanceRole }]))
				: undefined,
		changed: changed.map(({ id }) => id)
	});
}

/** The facts of accounts as the core takes them. */
function accountsOf(state: DimensionState, ids: ReadonlyMap<string, number>): AccountDefinition[] {
	return [...state.members.values()].flatMap(({ id, facts }) =>
		facts.kind === undefined
			? []
			: [
					{
						member: id,
						kind: facts.kind,
						valueType: facts.valueType,
						timeBehaviour: facts.timeBehaviour,
						consolidation: facts.consolidation,
						weight: facts.weighedBy === undefined ? null : (ids.get(String(facts.weighedBy)) ?? null),
						frequency: facts.frequency,
						rateKind: facts.rateKind ?? null,
						favourable: facts.favourable ?? null,
						decimals: Number(facts.decimals ?? 2),
						unit: facts.unit ?? null
					} as AccountDefinition
				]
	);
}
