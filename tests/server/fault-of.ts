import { Fault } from '../../src/lib/server/fault';

/** The sentence for the person that some work ends with. @throws where it went through, or failed otherwise */
export async function faultOf(work: Promise<unknown>): Promise<Fault> {
	try {
		await work;
	} catch (error) {
		if (error instanceof Fault) return error;
		throw error;
	}
	throw new Error('It went through.');
}
