import { pool } from '../database';
import { inWords, isPermission, requirePermission, type SignedIn } from '../session';

const DAYS = 90;

/** A right that somebody has in a model and has not used for so long. */
export interface UnusedRight {
	person: string;
	/** In words. */
	right: string;
	/** The roles it comes by. */
	roles: string[];
	/** When it was used last; null for never, as far as is known. */
	used: string | null;
}

/** Rights that nobody has used within 90 days: of people who are active, in this model. Their use is kept since this version. */
export async function unusedRights(person: SignedIn | undefined, modelId: number): Promise<UnusedRight[]> {
	requirePermission(person, 'access.read');
	const found = await pool().query<{ person: string; permission: string; roles: string[]; used: Date | null }>(
		`SELECT p.name AS person, rp.permission, array_agg(DISTINCT r.name) AS roles, max(u.at) AS used
		FROM person p JOIN person_role g ON g.person_id = p.id AND (g.model_id IS NULL OR g.model_id = $1)
		JOIN role r ON r.id = g.role_id JOIN role_permission rp ON rp.role_id = r.id
		LEFT JOIN permission_used u ON u.person_id = p.id AND u.permission = rp.permission AND u.model_id = $1
		WHERE p.active GROUP BY p.id, p.name, rp.permission
		HAVING max(u.at) IS NULL OR max(u.at) < now() - make_interval(days => $2) ORDER BY p.name, rp.permission`,
		[modelId, DAYS]
	);
	return found.rows.flatMap(({ permission, used, ...line }) =>
		isPermission(permission) ? [{ ...line, right: inWords(permission), used: used?.toISOString() ?? null }] : []
	);
}

/** The same as a grid, with the date. */
export async function unusedGrid(person: SignedIn | undefined, modelId: number): Promise<{ name: string; grid: string[][] }> {
	const lines = await unusedRights(person, modelId);
	return {
		name: 'Rights not used in 90 days',
		grid: [
			['Person', 'May', 'By', 'Used last'],
			...lines.map(({ person: name, right, roles, used }) => [
				name,
				right,
				roles.join(', '),
				used?.slice(0, 10) ?? 'never since it is kept'
			]),
			[],
			[`As of ${new Date().toISOString().slice(0, 16).replace('T', ' ')}`]
		]
	};
}

/** What was noted within this hour is not noted again. */
const HOUR_MILLISECONDS = 3_600_000;
const MOST_NOTED = 50_000;
const noted = new Map<string, number>();

/** Notes that somebody used a right of theirs, once an hour; nobody waits for it, and nobody misses one that was lost. */
export function noteUse({ id, acting }: SignedIn, permission: string, modelId: number): void {
	if (acting) return;
	const key = `${id} ${permission} ${modelId}`;
	if (Date.now() - (noted.get(key) ?? 0) < HOUR_MILLISECONDS) return;
	if (noted.size > MOST_NOTED) noted.clear();
	noted.set(key, Date.now());
	void pool()
		.query(
			`INSERT INTO permission_used (person_id, permission, model_id) SELECT $1, $2, id FROM model WHERE id = $3
			ON CONFLICT (person_id, permission, model_id) DO UPDATE SET at = now()`,
			[id, permission, modelId]
		)
		.catch(() => noted.delete(key));
}
