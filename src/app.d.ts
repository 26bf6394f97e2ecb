import type { SignedIn, TokenHolder } from '$lib/server/session';

declare global {
	namespace App {
		interface Locals {
			person: SignedIn | undefined;
			/** What the session is known by: streams end with it. */
			token: string | undefined;
			/** Of a program: whom its token stands for. */
			holder?: TokenHolder | undefined;
			/** The models the person may do anything in. */
			models: { id: number; code: string; name: string }[];
			/** The model the address names. */
			modelId: number;
		}
		interface Error {
			message: string;
			code?: string;
		}
	}
}
