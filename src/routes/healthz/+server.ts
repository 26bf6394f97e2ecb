import { json } from '@sveltejs/kit';
import { pool } from '$lib/server/database';

/** Ready only when the database answers. */
export async function GET() {
	try {
		await pool().query('SELECT 1');
		return json({ status: 'ready' });
	} catch {
		return json({ status: 'waiting for the database' }, { status: 503 });
	}
}
