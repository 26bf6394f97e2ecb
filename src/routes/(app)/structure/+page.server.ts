import { redirect } from '@sveltejs/kit';

export const load = async ({ parent }) => {
	const { dimensions } = await parent();
	redirect(307, `/structure/dimension/${dimensions[0]?.code ?? ''}`);
};
