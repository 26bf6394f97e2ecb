import { pool, transaction } from '../database';
import { lockAccess } from '../database/locks';
import { Fault } from '../fault';
import { personById, sendPasswordLink } from '../session';
import { createModel } from '../structure/new-model';
import { insertAs } from '../access/kinds/kind';
import { READY_ROLES } from '../access/ready-roles';

/**
 * Lets somebody in who may do everything, from outside the application: into an installation that has nobody yet, or whose
 * administrators have lost their way in. Roles are made where there are none, and a first model where there is none, since
 * everything else is done in one.
 * @returns the letter with a link by which they set a password
 */
export async function makeAdministrator(of: { email: string; name: string; origin: string }): Promise<string> {
	const email = of.email.trim().toLowerCase();
	if (!/^[^\s@]+@[^\s@]+$/.test(email)) throw new Fault(422, 'not understood', `“${of.email}” is no e-mail address.`);
	const id = await transaction(async (client) => {
		await lockAccess(client);
		for (const { code, name, description, permissions } of READY_ROLES) {
			const made = await client.query<{ id: number }>(
				'INSERT INTO role (code, name, description) VALUES ($1, $2, $3) ON CONFLICT (code) DO NOTHING RETURNING id',
				[code, name, description]
			);
			if (made.rows[0])
				await client.query('INSERT INTO role_permission (role_id, permission) SELECT $1, unnest($2::text[])', [
					made.rows[0].id,
					permissions
				]);
		}
		const known = await client.query<{ id: number }>('UPDATE person SET active = true WHERE lower(email) = $1 RETURNING id', [email]);
		const person = known.rows[0]?.id ?? (await insertAs(client, 'person', null, { email, name: of.name.trim() || email, active: true }));
		await client.query(
			"INSERT INTO role_given (role_id, person_id) SELECT id, $1 FROM role WHERE code = 'administrator' ON CONFLICT DO NOTHING",
			[person]
		);
		return person;
	});
	const models = await pool().query('SELECT FROM model LIMIT 1');
	if (models.rowCount === 0) {
		const firstYear = new Date().getFullYear();
		await createModel(await personById(id, 0), {
			name: 'First model',
			reportingCurrency: 'EUR',
			currencies: [],
			calendar: {
				grain: 'month',
				pattern: 'calendar months',
				fiscalStartMonth: 1,
				namedBy: 'first year',
				firstYear,
				years: 3,
				levels: ['quarter']
			},
			scenarios: [
				{ name: 'Actual', firstYear, lastYear: firstYear + 2, takesEntries: false },
				{ name: 'Plan', firstYear, lastYear: firstYear + 2, takesEntries: true }
			],
			shared: [],
			fresh: [],
			entityName: 'Entity',
			entities: true
		});
	}
	await sendPasswordLink(pool(), id, 'reset', of.origin);
	const letter = await pool().query<{ body: string }>('SELECT body FROM outbox WHERE lower(address) = $1 ORDER BY id DESC LIMIT 1', [
		email
	]);
	return letter.rows[0]!.body;
}
