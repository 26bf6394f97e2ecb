/** What no answer of this application needs: a page of another site would have to ask for it, and is not let. */
const NO_FEATURES = ['camera', 'microphone', 'geolocation', 'payment', 'usb', 'serial', 'bluetooth', 'display-capture', 'midi']
	.map((feature) => `${feature}=()`)
	.join(', ');

/** A page lets in the style elements that its own scripts make, by the nonce that lets in its scripts. */
function withStyles(policy: string): string {
	const nonce = /'nonce-[^']+'/.exec(policy)?.[0];
	return nonce ? policy.replace("style-src-elem 'self'", `style-src-elem 'self' ${nonce}`) : policy;
}

const A_YEAR = 60 * 60 * 24 * 365;

/**
 * The headers that keep an answer from being misused. Pages carry a content policy of their own; everything else may load
 * nothing and be framed by nobody.
 * @param isPrivate whether the answer is for one person: then nothing on the way keeps it
 */
export function guardAnswer(response: Response, { secure, isPrivate }: { secure: boolean; isPrivate: boolean }): Response {
	const { headers } = response;
	headers.set('x-content-type-options', 'nosniff');
	headers.set('referrer-policy', 'same-origin');
	headers.set('cross-origin-opener-policy', 'same-origin');
	headers.set('cross-origin-resource-policy', 'same-origin');
	headers.set('permissions-policy', NO_FEATURES);
	if (secure) headers.set('strict-transport-security', `max-age=${A_YEAR}; includeSubDomains`);
	const policy = headers.get('content-security-policy');
	if (policy) headers.set('content-security-policy', withStyles(policy));
	else headers.set('content-security-policy', "default-src 'none'; base-uri 'none'; form-action 'none'; frame-ancestors 'none'");
	if (isPrivate && !headers.get('cache-control')?.includes('no-store'))
		headers.set(
			'cache-control',
			['no-store', headers.get('cache-control')?.includes('no-transform') ? 'no-transform' : ''].filter(Boolean).join(', ')
		);
	return response;
}
