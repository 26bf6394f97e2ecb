import { cellSources } from './cells';
import type { Database } from './pool';
import { journalStretches, type JournalStretch } from './shape';

export interface HistoryLine {
	revision: number;
	at: string;
	person: string | null;
	through: string;
	kind: 'save' | 'load' | 'take back';
	/** The cell's value before and after; null for empty. Left out where a whole batch is meant. */
	before?: number | null;
	after?: number | null;
	/** Which cell beneath a parent: account and period by name. */
	cell?: string;
}

/** Entries shown for a figure at most. */
const MOST_LINES = 12;

/**
 * What was typed at or beneath a cell, newest first, and for a leaf cell also the load each origin's value came with.
 * @param beneath leaf member ids per dimension, and leaf periods; `year` for a leaf cell
 */
export async function valueHistory(
	database: Database,
	modelId: number,
	beneath: { members: number[][]; periods: number[]; year: number | undefined }
): Promise<HistoryLine[]> {
	// A figure the form computes has no cells of its own.
	if (beneath.members.length === 0) return [];
	const stretches = await journalStretches(database, modelId);
	const now = stretches.at(-1)!.dimensions;
	const typed: TypedLine[] = [];
	for (const stretch of stretches.toReversed())
		if (typed.length < MOST_LINES) typed.push(...(await typedIn(database, modelId, beneath, stretch, now)));
	const isLeaf = beneath.year !== undefined;
	const lines: HistoryLine[] = typed.slice(0, MOST_LINES).map(({ cell, at, ...row }) => ({
		...row,
		at: at.toISOString(),
		kind: 'save' as const,
		...(isLeaf ? {} : { cell })
	}));
	if (isLeaf) {
		const address = beneath.members.map((members) => members[0]!);
		for (const source of await cellSources(database, modelId, address, beneath.year!))
			lines.push({ ...source, at: source.at.toISOString() });
	}
	return lines.sort((a, b) => b.revision - a.revision);
}

/** An entry as the journal has it. */
interface TypedLine {
	revision: number;
	at: Date;
	person: string | null;
	through: string;
	before: number | null;
	after: number | null;
	cell: string;
}

/** What was typed in a stretch of the journal: of dimensions that were taken out since at whatever member. */
async function typedIn(
	database: Database,
	modelId: number,
	beneath: { members: number[][]; periods: number[] },
	{ from, to, dimensions }: JournalStretch,
	now: readonly number[]
): Promise<TypedLine[]> {
	const conditions = now
		.flatMap((dimension, axis) => {
			const place = dimensions.indexOf(dimension);
			return place < 0 ? [] : [`e.address[${place + 1}] = ANY ($${axis + 5})`];
		})
		.join(' AND ');
	const found = await database.query<TypedLine>(
		`SELECT c.revision, c.at, doer(c.person_id, c.acting_id) AS person, c.through, coalesce(e.before, nullif(e.beneath, 'NaN')) AS before, e.after, a.name || ', ' || m.name AS cell
		FROM entry_change e
		JOIN change_set c ON c.model_id = e.model_id AND c.revision = e.revision
		JOIN member a ON a.id = e.address[1]
		JOIN member m ON m.id = e.period_id
		WHERE e.model_id = $1 AND e.period_id = ANY ($2) AND e.revision > $3 AND e.revision <= $4 AND ${conditions}
		ORDER BY e.revision DESC LIMIT ${MOST_LINES}`,
		[modelId, beneath.periods, from, to, ...beneath.members]
	);
	return found.rows;
}
