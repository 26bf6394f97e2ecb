import { ZxcvbnFactory } from '@zxcvbn-ts/core';
import { adjacencyGraphs, dictionary } from '@zxcvbn-ts/language-common';
import { Fault } from '../fault';

export const LEAST_LENGTH = 12;
export const MOST_LENGTH = 128;
/** Characters besides one's own name and address. */
const LEAST_LEFT = 8;
/** Of 4: guessed only with an effort nobody makes for one person. */
const LEAST_SCORE = 3;

let estimator: ZxcvbnFactory | undefined;

/**
 * What a new password must be: long enough, and none that is guessed early (common ones, keyboard walks, dates, one's own
 * name). @throws Fault 422 with what to do better
 */
export function requireGoodPassword(password: string, of: { email: string; name: string }): void {
	if (password.length < LEAST_LENGTH)
		throw new Fault(
			422,
			'weak password',
			`Take at least ${LEAST_LENGTH} characters; a few words that do not belong together are easy to keep in mind.`
		);
	if (password.length > MOST_LENGTH) throw new Fault(422, 'weak password', `Take at most ${MOST_LENGTH} characters.`);
	estimator ??= new ZxcvbnFactory({ dictionary, graphs: adjacencyGraphs });
	const known = [...of.email.split(/[@.]/), ...of.name.split(' '), 'noble', 'lattice'].filter((word) => word.length > 2);
	const left = known.reduce((rest, word) => rest.replaceAll(word.toLowerCase(), ''), password.toLowerCase());
	if (left.length < LEAST_LEFT || estimator.check(password, known).score < LEAST_SCORE)
		throw new Fault(422, 'weak password', 'This password would be guessed early. Take a few words that do not belong together.');
}
