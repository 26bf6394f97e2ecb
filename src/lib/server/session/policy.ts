/** How this installation lets people in: read from its settings when they are asked for. */

/** A whole number from a setting. @throws RangeError naming a setting that is none */
function numberSetting(name: string, usual: number): number {
	const set = process.env[name];
	if (set === undefined || set === '') return usual;
	const value = Number(set);
	if (!Number.isInteger(value) || value < 1) throw new RangeError(`${name} is to be a whole number of one or more, not “${set}”.`);
	return value;
}

/** Days after which a session ends, whatever is done in it. */
export const sessionDays = (): number => numberSetting('SESSION_DAYS', 14);

/** Hours without a request after which a session ends. */
export const idleHours = (): number => numberSetting('SESSION_IDLE_HOURS', 24);

/** Whether people sign in with a password; where they do not, an identity provider lets them in. */
export const passwordsAllowed = (): boolean => process.env.PASSWORDS !== 'off';
