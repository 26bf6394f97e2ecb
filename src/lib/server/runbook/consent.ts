import { pool } from '../database';
import { Fault } from '../fault';
import type { SignedIn } from '../session';

/**
 * What runs with somebody's rights is written by them, or by an administrator, who may give rights to anybody; the change
 * stands in the journal.
 * @param of whose rights it runs with; null for those of whoever runs it
 */
export async function requireConsent(writer: SignedIn, of: number | null): Promise<void> {
	if (of === null || of === writer.id || writer.permissions.includes('structure.write')) return;
	const found = await pool().query<{ name: string }>('SELECT name FROM person WHERE id = $1', [of]);
	const name = found.rows[0]?.name ?? 'somebody who is no longer here';
	throw new Fault(
		403,
		'not allowed',
		`This runbook runs with the rights of ${name}: only ${name} or an administrator decides what it does. Copy it to have one of your own.`
	);
}
