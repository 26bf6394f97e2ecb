import { json } from '@sveltejs/kit';

/** Whether this process answers at all: what a supervisor asks before it starts another. */
export const GET = () => json({ status: 'alive' });
