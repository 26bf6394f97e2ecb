/** What somebody does first in a model, by what they may do there: shown until it is done, or until they do not want it. */
import { pool } from '../database';
import { requirePermission, type Permission, type SignedIn } from '../session';

interface Step {
	permission: Permission;
	words: string;
	/** Where it is done, within the model. */
	path: string;
	/** The chapter of the handbook that tells how. */
	chapter: string;
	/** Whether it was done, asked of the person ($1) and the model ($2). */
	done: string;
	/** Only where this holds too. */
	where?: string;
}

const OWN_UNITS = 'SELECT FROM cycle_unit u JOIN round r ON r.id = u.round_id AND r.model_id = $2';

const STEPS: readonly Step[] = [
	{
		permission: 'form.enter',
		words: 'Type a figure in a form, and save it',
		path: '/forms',
		chapter: 'filling',
		done: "SELECT FROM change_set WHERE person_id = $1 AND model_id = $2 AND kind = 'save'"
	},
	{
		permission: 'form.enter',
		words: 'Say why, with a note on a figure',
		path: '/forms',
		chapter: 'explaining',
		done: 'SELECT FROM note WHERE person_id = $1 AND model_id = $2'
	},
	{
		permission: 'cycle.read',
		words: 'Hand in a unit that is yours',
		path: '/cycle',
		chapter: 'handing-in',
		where: `${OWN_UNITS} WHERE u.owner_id = $1`,
		done: "SELECT FROM unit_move m JOIN cycle_unit u ON u.id = m.unit_id JOIN round r ON r.id = u.round_id AND r.model_id = $2 WHERE m.person_id = $1 AND m.move = 'submit'"
	},
	{
		permission: 'cycle.read',
		words: 'Return or approve what was handed in',
		path: '/cycle',
		chapter: 'reviewing',
		where: `${OWN_UNITS} JOIN unit_reviewer v ON v.unit_id = u.id AND v.person_id = $1`,
		done: "SELECT FROM unit_move m JOIN cycle_unit u ON u.id = m.unit_id JOIN round r ON r.id = u.round_id AND r.model_id = $2 WHERE m.person_id = $1 AND m.move IN ('return', 'approve')"
	},
	{
		permission: 'structure.write',
		words: 'Change a member, or add one',
		path: '/structure',
		chapter: 'shaping',
		done: 'SELECT FROM structure_change c WHERE c.person_id = $1 AND (c.model_id = $2 OR EXISTS (SELECT FROM model_dimension o WHERE o.dimension_id = c.dimension_id AND o.model_id = $2))'
	},
	{
		permission: 'data.load',
		words: 'Load a file',
		path: '/data-in',
		chapter: 'loading',
		done: "SELECT FROM batch b JOIN import i ON i.id = b.import_id AND i.model_id = $2 WHERE b.person_id = $1 AND b.state = 'loaded'"
	},
	{
		permission: 'form.design',
		words: 'Make a form, or change one',
		path: '/forms',
		chapter: 'forms',
		done: 'SELECT FROM form_version v JOIN form f ON f.id = v.form_id AND f.model_id = $2 WHERE v.person_id = $1'
	},
	{
		permission: 'rule.run',
		words: 'Run a runbook',
		path: '/rules',
		chapter: 'runbooks',
		done: "SELECT FROM run WHERE person_id = $1 AND model_id = $2 AND state = 'done'"
	},
	{
		permission: 'access.write',
		words: 'Let somebody in',
		path: '/access',
		chapter: 'access',
		done: 'SELECT FROM access_change WHERE person_id = $1'
	},
	{
		permission: 'form.read',
		words: 'Make a board of what you look at',
		path: '/insight',
		chapter: 'boards',
		done: 'SELECT FROM board WHERE owner_id = $1 AND model_id = $2'
	}
];

export interface FirstStep {
	words: string;
	path: string;
	chapter: string;
	done: boolean;
}

/** The first steps of somebody; none once all are done, or they do not want to see them. */
export async function firstSteps(person: SignedIn, modelId: number): Promise<FirstStep[]> {
	const own = STEPS.filter(({ permission }) => (person.permissions as string[]).includes(permission));
	if (own.length === 0) return [];
	const asked = own.map(({ done, where }, at) => `EXISTS (${done}) AS done${at}, ${where ? `EXISTS (${where})` : 'true'} AS counts${at}`);
	const found = await pool().query<Record<string, boolean>>(
		`SELECT ${asked.join(', ')} WHERE $1::integer IS NOT NULL AND $2::integer IS NOT NULL
			AND NOT EXISTS (SELECT FROM first_steps_left l WHERE l.person_id = $1 AND l.model_id = $2)`,
		[person.id, modelId]
	);
	const [row] = found.rows;
	if (!row) return [];
	const steps = own.flatMap(({ words, path, chapter }, at) =>
		row[`counts${at}`] ? [{ words, path, chapter, done: row[`done${at}`]! }] : []
	);
	return steps.every(({ done }) => done) ? [] : steps;
}

/** Does not show somebody their first steps in a model any more. */
export async function leaveFirstSteps(person: SignedIn | undefined, modelId: number): Promise<void> {
	const { id } = requirePermission(person, 'form.read');
	await pool().query('INSERT INTO first_steps_left (person_id, model_id) VALUES ($1, $2) ON CONFLICT DO NOTHING', [id, modelId]);
}
