/** A form that cannot be shown, with the reasons for its maker. */
export class FormFault extends Error {
	constructor(readonly reasons: string[]) {
		super(reasons.join(' '));
		this.name = 'FormFault';
	}
}
