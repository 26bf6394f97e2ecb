import type { Step } from '../../core';
import type { Database } from '../database';

/** Steps as they are stored, in their order: of one runbook, or of all. */
export async function stepsOf(
	database: Database,
	how: 'to read' | 'for update',
	runbook: number | null = null
): Promise<{ runbook: number; step: Step }[]> {
	const found = await database.query<
		Pick<Step, 'id' | 'kind' | 'name' | 'description' | 'active' | 'limits'> & { runbook: number; definition: object }
	>(
		`SELECT runbook_id AS runbook, id, kind, name, description, active, limits, definition FROM runbook_step
		WHERE $1::integer IS NULL OR runbook_id = $1 ORDER BY runbook_id, position ${how === 'for update' ? 'FOR UPDATE' : ''}`,
		[runbook]
	);
	return found.rows.map(({ runbook, definition, ...head }) => ({ runbook, step: { ...head, ...definition } as Step }));
}
