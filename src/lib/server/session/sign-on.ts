/** Single sign-on by OpenID Connect (code flow with PKCE, RFC 7636): an identity provider says who somebody is, we know what they may do. */
import {
	allowInsecureRequests,
	authorizationCodeGrant,
	buildAuthorizationUrl,
	calculatePKCECodeChallenge,
	discovery,
	randomNonce,
	randomPKCECodeVerifier,
	randomState,
	type Configuration
} from 'openid-client';
import { readFileSync } from 'node:fs';
import { z } from 'zod';
import { pool } from '../database';
import { Fault } from '../fault';
import { log } from '../log';
import { STAND_IN_CLIENT, standInSecret } from '../simulated/identity';

export interface Provider {
	issuer: string;
	client: string;
	secret: string;
	/** What it is called on the button. */
	name: string;
}

/** Whether this installation holds the demo. */
export async function holdsDemo(): Promise<boolean> {
	return ((await pool().query("SELECT FROM setting WHERE key = 'demo'")).rowCount ?? 0) > 0;
}

const LOOPBACK = new Set(['127.0.0.1', 'localhost', '[::1]']);

/**
 * Whether the stand-in lets people in: it asks for no password, so it does only where the demo is tried out on one's own
 * machine, or where an installation of the demo says so.
 */
export async function standInLetsIn(origin: string): Promise<boolean> {
	const { SIGN_ON } = process.env;
	if (SIGN_ON === 'off' || process.env.SIGN_ON_ISSUER) return false;
	return (SIGN_ON === 'stand-in' || LOOPBACK.has(new URL(origin).hostname)) && (await holdsDemo());
}

/**
 * The identity provider of this installation: the one its settings name, of the demo the stand-in that comes with it;
 * undefined where there is none, or sign-on is switched off.
 */
export async function providerOf(origin: string): Promise<Provider | undefined> {
	const { SIGN_ON, SIGN_ON_ISSUER, SIGN_ON_CLIENT, SIGN_ON_SECRET, SIGN_ON_SECRET_FILE, SIGN_ON_NAME } = process.env;
	if (SIGN_ON === 'off') return undefined;
	if (SIGN_ON_ISSUER)
		return {
			issuer: SIGN_ON_ISSUER,
			client: SIGN_ON_CLIENT ?? 'noble-lattice',
			secret: SIGN_ON_SECRET ?? (SIGN_ON_SECRET_FILE ? readFileSync(SIGN_ON_SECRET_FILE, 'utf8').trim() : ''),
			name: SIGN_ON_NAME ?? 'your organisation'
		};
	return (await standInLetsIn(origin))
		? { issuer: `${origin}/simulated/identity`, client: STAND_IN_CLIENT, secret: standInSecret(), name: 'Brinewater (simulated)' }
		: undefined;
}

/** Why somebody came back without being let in, by the code that stands in the address they are led to. */
const PROBLEMS = {
	'provider away': 'The sign-on of your organisation cannot be reached at the moment. Try again later.',
	'sign-on over': 'This took too long, or began in another browser. Sign in again.',
	'sign-on refused': 'The sign-on of your organisation did not let you through. Sign in again.',
	'not known': 'Your organisation knows you, but nobody has let you in here yet. Ask an administrator to invite you.'
} as const;
const problem = (code: keyof typeof PROBLEMS): Fault => new Fault(code === 'provider away' ? 503 : 401, code, PROBLEMS[code]);

/** The sentence of a code, null where it is none of them. */
export const signOnProblem = (code: string): string | null =>
	Object.hasOwn(PROBLEMS, code) ? PROBLEMS[code as keyof typeof PROBLEMS] : null;

const shared = globalThis as unknown as { signOn?: { key: string; configuration: Promise<Configuration> } };

/** What a provider says of itself, asked once. @throws Fault 503 */
async function configurationOf({ issuer, client, secret }: Provider): Promise<Configuration> {
	const address = new URL(issuer);
	// In the open only on this very machine.
	const isPlain = address.protocol === 'http:';
	if (isPlain && !LOOPBACK.has(address.hostname)) {
		log.error({ issuer }, 'an identity provider is to be asked over https');
		throw problem('provider away');
	}
	const key = JSON.stringify([issuer, client, secret]);
	if (shared.signOn?.key !== key)
		shared.signOn = {
			key,
			configuration: discovery(address, client, secret || undefined, undefined, {
				timeout: 10,
				...(isPlain && { execute: [allowInsecureRequests] })
			})
		};
	try {
		return await shared.signOn.configuration;
	} catch (failure) {
		delete shared.signOn;
		log.warn({ err: failure, issuer }, 'the identity provider cannot be reached');
		throw problem('provider away');
	}
}

/** What the browser keeps between going there and coming back. */
const leftSchema = z.object({ state: z.string(), nonce: z.string(), verifier: z.string(), to: z.string().max(2_000) });
export type LeftForProvider = z.infer<typeof leftSchema>;

/** Where to send somebody to sign in, and what to keep until they are back. @throws Fault 503 */
export async function goToProvider(provider: Provider, returnTo: string, to: string): Promise<{ address: string; kept: string }> {
	const configuration = await configurationOf(provider);
	const left: LeftForProvider = { state: randomState(), nonce: randomNonce(), verifier: randomPKCECodeVerifier(), to };
	const address = buildAuthorizationUrl(configuration, {
		redirect_uri: returnTo,
		scope: 'openid email profile',
		state: left.state,
		nonce: left.nonce,
		code_challenge: await calculatePKCECodeChallenge(left.verifier),
		code_challenge_method: 'S256'
	});
	return { address: address.href, kept: Buffer.from(JSON.stringify(left)).toString('base64url') };
}

/**
 * Somebody is back from the provider.
 * @param kept what the browser kept
 * @returns the person (id) it says they are, and where they were going
 * @throws Fault 401 where it does not hold, or nobody is known by what it says; 503
 */
export async function backFromProvider(
	provider: Provider,
	address: URL,
	kept: string | undefined
): Promise<{ person: number; to: string }> {
	const left = readLeft(kept);
	if (!left) throw problem('sign-on over');
	const configuration = await configurationOf(provider);
	let claims;
	try {
		const tokens = await authorizationCodeGrant(configuration, address, {
			pkceCodeVerifier: left.verifier,
			expectedState: left.state,
			expectedNonce: left.nonce,
			idTokenExpected: true
		});
		claims = tokens.claims();
	} catch (failure) {
		log.warn({ err: failure }, 'a sign-on did not hold');
		throw problem('sign-on refused');
	}
	const person = claims && (await personOf(provider.issuer, claims.sub, claims.email_verified === true ? claims.email : undefined));
	if (person === undefined) throw problem('not known');
	return { person, to: left.to };
}

function readLeft(kept: string | undefined): LeftForProvider | undefined {
	try {
		return leftSchema.parse(JSON.parse(Buffer.from(kept ?? '', 'base64url').toString('utf8')));
	} catch {
		return undefined;
	}
}

/** Whom a provider means: known by what it calls them, at first by an address it vouches for; from then on only by the former. */
async function personOf(issuer: string, subject: string, email: unknown): Promise<number | undefined> {
	const known = await pool().query<{ id: number; active: boolean }>(
		'SELECT p.id, p.active FROM person_identity i JOIN person p ON p.id = i.person_id WHERE i.issuer = $1 AND i.subject = $2',
		[issuer, subject]
	);
	if (known.rows[0]) return known.rows[0].active ? known.rows[0].id : undefined;
	if (typeof email !== 'string') return undefined;
	const linked = await pool().query<{ id: number }>(
		`INSERT INTO person_identity (issuer, subject, person_id)
		SELECT $1, $2, p.id FROM person p WHERE p.active AND lower(p.email) = lower($3)
			AND NOT EXISTS (SELECT FROM person_identity o WHERE o.issuer = $1 AND o.person_id = p.id)
		ON CONFLICT DO NOTHING RETURNING person_id AS id`,
		[issuer, subject, email]
	);
	return linked.rows[0]?.id;
}
