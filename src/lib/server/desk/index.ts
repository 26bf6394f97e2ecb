import { pool } from '../database';
import { openMentions, type Mention } from '../form/notes';
import { requirePermission, type SignedIn } from '../session';
import { movedFigures, type MovedFigure } from './moved';
import { readStanding, type Standing } from './standing';

export { firstSteps, leaveFirstSteps, type FirstStep } from './first-steps';
export { readStanding } from './standing';
export { readChecks, type FormChecks } from './checks';
export { forgetMoved } from './moved';
export type { Standing } from './standing';

export interface Desk {
	/** The person's unsaved entries. */
	draft: { cells: number; changedAt: string } | null;
	/** What happened to the figures last. */
	changes: {
		revision: number;
		at: string;
		person: string | null;
		through: string;
		kind: 'save' | 'load' | 'structure' | 'take back' | 'run';
		cells: number;
	}[];
	/** Imports whose last batch rejected rows, was stopped or failed, for those who load. */
	rejects: { code: string; name: string; batch: number; state: string; message: string; rows: number; at: string }[];
	/** Runbooks whose last run failed, for those who look at rules. */
	failed: { runbook: number; name: string; words: string; at: string }[];
	/** Figures that show something else since results stand in place of what was there, for who keeps the structure. */
	moved: { count: number; figures: MovedFigure[] };
	/** How the model stands, for who keeps its structure; null for others. */
	standing: Standing | null;
	/** Notes that name the person, not looked at yet. */
	mentions: Mention[];
	/** The last fetches and loads that started by themselves. */
	scheduled: { code: string; title: string; state: string; words: string; at: string }[];
}

/** What waits for a person, and what happened last. */
export async function readDesk(person: SignedIn | undefined, modelId: number): Promise<Desk> {
	const reader = requirePermission(person, 'form.read');
	const draft = await pool().query<{ cells: number; at: Date }>(
		'SELECT count(*)::integer AS cells, d.changed_at AS at FROM draft d JOIN draft_cell c ON c.draft_id = d.id WHERE d.person_id = $1 AND d.model_id = $2 AND d.branch_id IS NOT DISTINCT FROM $3 GROUP BY d.id',
		[reader.id, modelId, reader.branch?.id ?? null]
	);
	const changes = await pool().query<Omit<Desk['changes'][number], 'at'> & { at: Date }>(
		'SELECT c.revision, c.at, doer(c.person_id, c.acting_id) AS person, c.through, c.kind, c.cells FROM change_set c WHERE c.model_id = $1 AND ($2 OR c.person_id = $3) ORDER BY c.revision DESC LIMIT 8',
		[modelId, !reader.readsPart, reader.id]
	);
	const loads = reader.permissions.includes('data.load');
	const rejects = loads
		? await pool().query<Omit<Desk['rejects'][number], 'at'> & { at: Date }>(
				`SELECT * FROM (
					SELECT DISTINCT ON (b.import_id) i.code, i.name, b.id AS batch, b.state, b.message, b.rows_rejected AS rows, b.at
					FROM batch b JOIN import i ON i.id = b.import_id WHERE i.model_id = $1 AND b.branch_id IS NULL AND b.state <> 'running' ORDER BY b.import_id, b.id DESC) AS latest
				WHERE (rows > 0 AND state IN ('loaded', 'stopped')) OR state = 'failed'`,
				[modelId]
			)
		: { rows: [] };
	const scheduled = loads
		? await pool().query<Omit<Desk['scheduled'][number], 'at'> & { at: Date }>(
				`SELECT payload ->> 'code' AS code, title, state, words, made_at AS at FROM job
				WHERE model_id = $1 AND kind = 'fetch' AND (payload ->> 'load')::boolean ORDER BY id DESC LIMIT 4`,
				[modelId]
			)
		: { rows: [] };
	const failed = reader.permissions.includes('rule.read')
		? await pool().query<Omit<Desk['failed'][number], 'at'> & { at: Date }>(
				`SELECT runbook, name, words, at FROM (
					SELECT DISTINCT ON (r.runbook_id) r.runbook_id AS runbook, b.name, r.words, r.at, r.state
					FROM run r JOIN runbook b ON b.id = r.runbook_id WHERE r.model_id = $1 AND r.state <> 'waiting' ORDER BY r.runbook_id, r.id DESC) AS latest
				WHERE state = 'failed' ORDER BY at DESC LIMIT 8`,
				[modelId]
			)
		: { rows: [] };
	const found = draft.rows[0];
	const moved = await movedFigures(reader, modelId);
	return {
		moved,
		standing: reader.permissions.includes('structure.write') ? await readStanding(reader, modelId) : null,
		mentions: await openMentions(reader, modelId),
		draft: found ? { cells: found.cells, changedAt: found.at.toISOString() } : null,
		changes: changes.rows.map((row) => ({ ...row, at: row.at.toISOString() })),
		failed: failed.rows.map((row) => ({ ...row, at: row.at.toISOString() })),
		rejects: rejects.rows.map((row) => ({ ...row, at: row.at.toISOString() })),
		scheduled: scheduled.rows.map((row) => ({ ...row, at: row.at.toISOString() }))
	};
}
