import { redirect } from '@sveltejs/kit';

export const load = async ({ parent, params }) => {
	const { dimensions } = await parent();
	redirect(307, `/m/${params.model}/structure/dimension/${dimensions[0]?.code ?? ''}`);
};
