import { pool } from '../database';
import type { SignedIn } from '../session';
import { readRates, readWiring } from '../structure';

/** How a model stands: what its keeper looks at in the morning. */
export interface Standing {
	/** The last load of each import; null where it never loaded. */
	loads: { code: string; name: string; at: string | null; state: string | null; rejected: number }[];
	/** Runbooks whose last run read something that has changed since. */
	outOfDate: { runbook: number; name: string; at: string }[];
	/** What is unfinished: accounts without a kind, entities without a currency, imports without a source… */
	unfinished: { name: string; trouble: string; path: string }[];
	/** Pairs of currencies without a rate somewhere in the calendar, by rate set that scenarios of this model read with. */
	rates: { set: string; lines: string[] }[];
	/** Drafts that wait for their authors longer than three days. */
	oldDrafts: { person: string; cells: number; at: string }[];
}

/** Reads how a model stands. */
export async function readStanding(reader: SignedIn, modelId: number): Promise<Standing> {
	const loads = await pool().query<{ code: string; name: string; at: Date | null; state: string | null; rejected: number }>(
		`SELECT i.code, i.name, b.at, b.state, coalesce(b.rows_rejected, 0) AS rejected FROM import i
		LEFT JOIN LATERAL (SELECT at, state, rows_rejected FROM batch WHERE import_id = i.id AND branch_id IS NULL ORDER BY id DESC LIMIT 1) b ON true
		WHERE i.model_id = $1 ORDER BY i.name`,
		[modelId]
	);
	const outOfDate = await pool().query<{ runbook: number; name: string; at: Date }>(
		`SELECT b.id AS runbook, b.name, r.at FROM runbook b
		JOIN LATERAL (SELECT at, out_of_date FROM run WHERE runbook_id = b.id AND branch_id IS NULL AND state = 'done' ORDER BY id DESC LIMIT 1) r ON r.out_of_date
		WHERE b.model_id = $1 ORDER BY b.name`,
		[modelId]
	);
	const drafts = await pool().query<{ person: string; cells: number; at: Date }>(
		`SELECT p.name AS person, count(*)::integer AS cells, d.changed_at AS at FROM draft d JOIN person p ON p.id = d.person_id
		JOIN draft_cell c ON c.draft_id = d.id WHERE d.model_id = $1 AND d.branch_id IS NULL AND d.changed_at < now() - interval '3 days'
		GROUP BY p.name, d.changed_at ORDER BY d.changed_at LIMIT 10`,
		[modelId]
	);
	const { nodes } = await readWiring(reader, modelId);
	const { sets } = await readRates(reader, modelId);
	return {
		loads: loads.rows.map((load) => ({ ...load, at: load.at?.toISOString() ?? null })),
		outOfDate: outOfDate.rows.map((run) => ({ ...run, at: run.at.toISOString() })),
		// What never loaded stands among the loads already.
		unfinished: nodes.flatMap(({ kind, name, trouble, path }) => (trouble && kind !== 'import' ? [{ name, trouble, path }] : [])),
		rates: sets.flatMap(({ name, usedBy, lines }) => {
			const gaps = lines.filter((line) => line.gaps.length > 0).map(({ currency, kind }) => `${currency} ${kind}`);
			return usedBy.length > 0 && gaps.length > 0 ? [{ set: name, lines: gaps }] : [];
		}),
		oldDrafts: drafts.rows.map((draft) => ({ ...draft, at: draft.at.toISOString() }))
	};
}
