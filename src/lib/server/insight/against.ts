/** What figures are held against: other scenarios where they speak about something, and years before. */
import type { Against } from '../../core';
import { reachedMembers } from '../access';
import { pool } from '../database';
import type { SignedIn } from '../session';
import type { InsightAxis } from './axes';

export interface AgainstChoice {
	/** A scenario (`m12`), or years before (`y1`). */
	key: string;
	name: string;
	/** The scenario (id) and the years before, as they are read. */
	scenario?: number;
	years: number;
}

/** Years looked back for one a scenario speaks about. */
const MOST_YEARS = 5;

/**
 * What a figure of a period can be held against. A scenario is read in the same period where it speaks about it, else in the
 * nearest year before of which it does: a budget stands beside the outlook of the year before it.
 */
export async function againstChoices(
	reader: SignedIn,
	modelId: number,
	axes: readonly InsightAxis[],
	at: { scenario: number | undefined; period: number }
): Promise<AgainstChoice[]> {
	const scenarioAxis = axes.find(({ kind }) => kind === 'scenario')!;
	const found = await pool().query<{ member: number; name: string; years: number | null }>(
		`SELECT m.id AS member, m.name, (
				SELECT min(n) FROM generate_series(0, $3) AS n, period p
				WHERE p.member_id = $2 AND p.start_date - make_interval(years => n) <= t.end_date AND p.end_date - make_interval(years => n) >= f.start_date) AS years
		FROM scenario s JOIN member m ON m.id = s.member_id JOIN period f ON f.member_id = s.span_from JOIN period t ON t.member_id = s.span_to
		WHERE m.dimension_id = $1 AND NOT m.retired ORDER BY m.id`,
		[scenarioAxis.id, at.period, MOST_YEARS]
	);
	const seen = await reachedMembers(
		reader,
		modelId,
		scenarioAxis.id,
		found.rows.map(({ member }) => member)
	);
	const inYears = (years: number) => (years === 0 ? '' : years === 1 ? ', a year before' : `, ${years} years before`);
	return [
		...found.rows.flatMap(({ member, name, years }, index): AgainstChoice[] =>
			member === at.scenario || !seen[index] || years === null
				? []
				: [{ key: `m${member}`, name: `${name}${inYears(years)}`, scenario: member, years }]
		),
		{ key: 'y1', name: 'The year before', years: 1 },
		{ key: 'y2', name: 'Two years before', years: 2 }
	];
}

export const keyOfAgainst = (against: Against): string => ('scenario' in against ? `m${against.scenario}` : `y${against.years}`);
