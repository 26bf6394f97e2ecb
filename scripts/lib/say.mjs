// What the commands print: one line a step, and one plain sentence with a remedy when a step fails.

/** A failure the person at the keyboard can mend; printed without a stack. */
export class StepError extends Error {
	/**
	 * @param {string} message what happened
	 * @param {string} remedy what to do next
	 */
	constructor(message, remedy) {
		super(message);
		this.name = 'StepError';
		this.remedy = remedy;
	}
}

/** @param {string} text */
export const say = (text) => console.log(text);

/**
 * Runs one named step and prints how long it took.
 * @template T
 * @param {string} name
 * @param {() => T | Promise<T>} action
 * @returns {Promise<T>}
 */
export async function step(name, action) {
	const from = performance.now();
	const result = await action();
	const seconds = ((performance.now() - from) / 1000).toFixed(1);
	say(`  ${name.padEnd(58, ' ')} ${seconds} s`);
	return result;
}

/**
 * Runs a command's main function; a StepError ends it with its sentence and exit code 1.
 * @param {() => Promise<void>} main
 */
export async function run(main) {
	try {
		await main();
	} catch (error) {
		if (error instanceof StepError) console.error(`\n${error.message}\n${error.remedy}\n`);
		else console.error(error);
		process.exit(1);
	}
}
