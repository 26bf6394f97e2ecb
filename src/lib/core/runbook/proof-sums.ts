import type { ProofRow } from './kinds/proof';

/** Rows of a proof added up. */
export interface ProofSum {
	/** Null for quantities. */
	currency: string | null;
	in: number;
	out: number;
	kept: number;
	stranded: number;
	rounding: number;
	/** In, less everything that went somewhere; 0 where it ties. */
	difference: number;
	incomplete: boolean;
}

/** Amounts that tie on paper differ by binary dust: what is less than a thousandth of a cent is nothing. */
const DUST = 1e-5;
const clean = (value: number): number => (Math.abs(value) < DUST ? 0 : Math.round(value * 1e6) / 1e6);

/** What went in and where it went, by currency. */
export function sumsOf(rows: readonly ProofRow[]): ProofSum[] {
	const sums = new Map<string | null, ProofSum>();
	for (const row of rows) {
		const known = sums.get(row.currency) ?? {
			currency: row.currency,
			in: 0,
			out: 0,
			kept: 0,
			stranded: 0,
			rounding: 0,
			difference: 0,
			incomplete: false
		};
		known.in += row.in;
		known.out += row.out;
		known.kept += row.kept;
		known.stranded += row.stranded;
		known.rounding += row.rounding;
		known.incomplete ||= row.incomplete;
		sums.set(row.currency, known);
	}
	return [...sums.values()].map((sum) => ({
		...sum,
		in: clean(sum.in),
		out: clean(sum.out),
		kept: clean(sum.kept),
		stranded: clean(sum.stranded),
		rounding: clean(sum.rounding),
		difference: clean(sum.in - sum.out - sum.kept - sum.stranded)
	}));
}

/** Whether everything that was to go somewhere did: nothing is stranded, nothing is missing. */
export const isTied = ({ stranded, difference, incomplete }: ProofSum): boolean => stranded === 0 && difference === 0 && !incomplete;

/** A step of a chain of allocations, added up. */
export interface StepProof {
	step: string;
	/** The step (id). */
	of: number;
	sums: ProofSum[];
	rows: readonly ProofRow[];
}

/** The allocations among the steps of a run. */
export const proofsOf = (log: readonly { step: number; name: string; proof?: { rows: readonly ProofRow[] } }[]): StepProof[] =>
	log.flatMap(({ step, name, proof }) => (proof ? [{ step: name, of: step, rows: proof.rows, sums: sumsOf(proof.rows) }] : []));

/** What a chain of allocations comes to in one currency. */
export interface ChainSum {
	currency: string | null;
	/** What was put in and no step above had brought. */
	firstIn: number;
	/** What ended with receivers that no step beneath took it from. */
	finalOut: number;
	passedThrough: number;
	kept: number;
	stranded: number;
}

/** The steps of a run together: first in = final out + kept + stranded; what was passed on counts once. */
export function chainOf(proofs: readonly StepProof[]): ChainSum[] {
	const sums = new Map<string | null, ChainSum>();
	for (const { rows } of proofs)
		for (const row of rows) {
			const known = sums.get(row.currency) ?? { currency: row.currency, firstIn: 0, finalOut: 0, passedThrough: 0, kept: 0, stranded: 0 };
			known.firstIn += row.in - (row.passed ?? 0);
			known.passedThrough += row.passed ?? 0;
			known.finalOut += row.out - (row.passed ?? 0);
			known.kept += row.kept;
			known.stranded += row.stranded;
			sums.set(row.currency, known);
		}
	return [...sums.values()].map((sum) => ({
		...sum,
		firstIn: clean(sum.firstIn),
		finalOut: clean(sum.finalOut),
		passedThrough: clean(sum.passedThrough),
		kept: clean(sum.kept),
		stranded: clean(sum.stranded)
	}));
}
