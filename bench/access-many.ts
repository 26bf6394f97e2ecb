// Access in a large house: 2,000 people, 200 groups and 5,000 grants over three guarded dimensions, with 2,000 members in one.
import type pg from 'pg';
import { changeAccess, reachRows } from '../src/lib/server/access';
import { readAccessRules } from '../src/lib/server/access/rules';
import { openForm } from '../src/lib/server/form';
import { personById } from '../src/lib/server/session';
import { withDemo } from './application';
import { inTurns, measure, medianOf, type Measure } from './timing';

const PEOPLE = 2_000;
const GROUPS = 200;
const GRANTS = 5_000;
const MEMBERS = 2_000;
const MODEL = 1;

/** What a large house measures. */
export const accessOfMany = (): Promise<Measure[]> =>
	withDemo(async (pool) => {
		const route = await fill(pool);
		return [await rightsOfOne(pool), await changedGrant(pool), await report(pool, route)];
	});

/** @returns the dimension (id) that has so many members */
async function fill(pool: pg.Pool): Promise<number> {
	const dimension = async (code: string) =>
		(await pool.query<{ id: number }>('SELECT id FROM dimension WHERE code = $1', [code])).rows[0]!.id;
	const [route, line, department] = [await dimension('route'), await dimension('line'), await dimension('department')];
	await pool.query(
		`WITH made AS (INSERT INTO member (dimension_id, code, name) SELECT $1, 'X' || n, 'Route ' || n FROM generate_series(1, $2) n RETURNING id)
		INSERT INTO hierarchy_node (hierarchy_id, dimension_id, member_id, parent_id, weight, position)
		SELECT h.id, $1, made.id, (SELECT n.member_id FROM hierarchy_node n WHERE n.hierarchy_id = h.id AND n.parent_id IS NULL ORDER BY n.position LIMIT 1), 1, 1000 + made.id
		FROM made CROSS JOIN hierarchy h WHERE h.dimension_id = $1 AND h.main`,
		[route, MEMBERS]
	);
	await pool.query('INSERT INTO guarded_dimension (model_id, dimension_id) SELECT $1, unnest($2::integer[])', [
		MODEL,
		[route, line, department]
	]);
	await pool.query(
		"INSERT INTO person (email, name, title, password_hash) SELECT 'many' || n || '@brinewater.example', 'Many ' || n, '', 'none' FROM generate_series(1, $1) n",
		[PEOPLE]
	);
	await pool.query("INSERT INTO people_group (name) SELECT 'Group ' || n FROM generate_series(1, $1) n", [GROUPS]);
	await pool.query(
		"INSERT INTO people_group_member (group_id, person_id) SELECT DISTINCT 1 + p.id % $1, p.id FROM person p WHERE p.email LIKE 'many%' AND 1 + p.id % $1 IN (SELECT id FROM people_group)",
		[GROUPS]
	);
	await pool.query(
		"INSERT INTO role_given (person_id, role_id) SELECT p.id, r.id FROM person p, role r WHERE p.email LIKE 'many%' AND r.code = 'planner'"
	);
	await pool.query(
		`INSERT INTO access_grant (model_id, person_id, group_id, name, level)
		SELECT $1, CASE WHEN n % 5 > 0 THEN p.id END, CASE WHEN n % 5 = 0 THEN g.id END, 'g' || n, (ARRAY['read', 'write', 'write'])[1 + n % 3]
		FROM generate_series(1, $2) n
		JOIN LATERAL (SELECT id FROM person WHERE email = 'many' || (1 + n * 7 % $3) || '@brinewater.example') p ON true
		JOIN LATERAL (SELECT id FROM people_group WHERE name = 'Group ' || (1 + n % $4)) g ON true`,
		[MODEL, GRANTS, PEOPLE, GROUPS]
	);
	// A route each, some with a line and a department besides.
	await pool.query(
		`INSERT INTO access_grant_member (grant_id, member_id)
		SELECT g.id, m.id FROM access_grant g JOIN LATERAL (SELECT id FROM member WHERE dimension_id = $1 AND code = 'X' || (1 + g.id * 11 % $2)) m ON true WHERE g.name ~ '^g[0-9]+$'
		UNION SELECT g.id, m.id FROM access_grant g JOIN LATERAL (SELECT id FROM member WHERE dimension_id = $3 ORDER BY id OFFSET g.id % 4 LIMIT 1) m ON true WHERE g.name ~ '^g[0-9]+$' AND g.id % 2 = 0
		UNION SELECT g.id, m.id FROM access_grant g JOIN LATERAL (SELECT id FROM member WHERE dimension_id = $4 ORDER BY id OFFSET g.id % 8 LIMIT 1) m ON true WHERE g.name ~ '^g[0-9]+$' AND g.id % 3 = 0`,
		[route, MEMBERS, line, department]
	);
	await pool.query('ANALYZE');
	return route;
}

/** Everybody against every member, against the same pairs asked of PostgreSQL by a join over the tree, without what is kept out. */
async function report(pool: pg.Pool, dimension: number): Promise<Measure> {
	const maren = await personById((await pool.query<{ id: number }>("SELECT id FROM person WHERE email LIKE 'maren%'")).rows[0]!.id, MODEL);
	const ours = await medianOf(3, async () => {
		const { rows } = await reachRows(maren, MODEL, dimension);
		let lines = 0;
		for await (const part of rows()) lines += part.length;
		return lines;
	});
	const peer = await medianOf(3, () =>
		pool.query(
			`WITH RECURSIVE over AS (
				SELECT n.member_id AS leaf, n.member_id AS member FROM hierarchy_node n JOIN hierarchy h ON h.id = n.hierarchy_id AND h.main AND h.dimension_id = $2
				UNION ALL SELECT o.leaf, n.parent_id FROM over o JOIN hierarchy_node n ON n.member_id = o.member JOIN hierarchy h ON h.id = n.hierarchy_id AND h.main
				WHERE n.parent_id IS NOT NULL)
			SELECT p.id, p.name, coalesce(string_agg(DISTINCT x.leaf || ' ' || x.level, ','), '') FROM person p LEFT JOIN LATERAL (
				SELECT o.leaf, s.level FROM granted_slice s JOIN json_array_elements_text(s.slice -> $2::text) AS named ON true
				JOIN over o ON o.member = named::integer WHERE s.person_id = p.id AND s.model_id = $1) x ON true
			GROUP BY p.id ORDER BY p.name`,
			[MODEL, dimension]
		)
	);
	console.log(`everybody (${PEOPLE}) against ${MEMBERS} members: ${ours.toFixed(0)} ms (aim: ≤ 2,000)`);
	return measure(`who reaches what: ${PEOPLE} people × ${MEMBERS} members`, ours, peer, 1);
}

/** Knowing one person and their grants, as every request does, against an empty round trip. */
async function rightsOfOne(pool: pg.Pool): Promise<Measure> {
	const { id } = (await pool.query<{ id: number }>("SELECT id FROM person WHERE email = 'many777@brinewater.example'")).rows[0]!;
	const [ours, peer] = await inTurns(
		41,
		async () => readAccessRules(await personById(id, MODEL), MODEL),
		() => pool.query('SELECT 1')
	);
	console.log(`rights of one among ${PEOPLE}: ${ours.toFixed(1)} ms (aim: ≤ 50)`);
	return measure(`the rights of one among ${PEOPLE} people (peer: an empty round trip)`, ours, peer, 60);
}

/** A grant changed by one, and the open form of another with it, against opening that form again with nothing changed. */
async function changedGrant(pool: pg.Pool): Promise<Measure> {
	const who = async (name: string) =>
		personById((await pool.query<{ id: number }>('SELECT id FROM person WHERE name = $1', [name])).rows[0]!.id, MODEL);
	const maren = await who('Maren Kvist');
	const tove = await who('Tove Brandal');
	const { code } = (await pool.query<{ code: string }>('SELECT code FROM form WHERE model_id = 1 ORDER BY id LIMIT 1')).rows[0]!;
	const { id: member } = (
		await pool.query<{ id: number }>(
			"SELECT m.id FROM member m JOIN dimension d ON d.id = m.dimension_id WHERE d.code = 'line' AND m.code = 'NOR'"
		)
	).rows[0]!;
	const grant = { holder: { person: tove.id }, name: 'For a moment', level: 'read', members: [member] };
	let given: number | null = null;
	const open = () => openForm(tove, MODEL, code, { members: {} });
	const [ours, peer] = await inTurns(
		11,
		async () => {
			const change = { kind: 'grant' as const, id: given, before: given === null ? null : grant, after: given === null ? grant : null };
			const { id } = await changeAccess(maren, MODEL, change);
			given = given === null ? id : null;
			await open();
		},
		open
	);
	console.log(`a changed grant in an open form of somebody else: ${ours.toFixed(0)} ms (aim: ≤ 1,000)`);
	return measure('a changed grant in the open form of another (peer: the form unchanged)', ours, peer, 40);
}
