import { QueryFault } from '../../core';
import type { FormView } from './form-view';

/** A request that cannot be met, with a sentence for the person. */
export class EngineFault extends Error {
	constructor(message: string) {
		super(message);
		this.name = 'EngineFault';
	}
}

/** Cells are named by their place among the lines that were seen. @throws EngineFault when the lines are others now */
export function requireFrame(form: FormView, seen: string | undefined): void {
	if (seen !== undefined && seen !== form.frame)
		throw new EngineFault('The lines of this form have changed meanwhile. Look at the cell again.');
}

/** @throws EngineFault when a form has no such cell */
export function requireCell(form: FormView, row: number, column: number): void {
	if (row >= form.rows || column >= form.columns) throw new EngineFault('This cell is not on the form any more. Reload the page.');
}

/** Does work of the core; what it cannot do is told to the person. @throws EngineFault */
export function inWords<Result>(work: () => Result): Result {
	try {
		return work();
	} catch (failure) {
		if (failure instanceof QueryFault) throw new EngineFault(failure.message);
		throw failure;
	}
}
