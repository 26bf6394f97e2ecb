/** What closed figures a change would move, as the server tells it. */
export interface ClosedFigures {
	count: number;
	lines: { lock: string; where: string; account: string; scenario: string; period: string; before: number | null; after: number | null }[];
}

/** The question that is open: whether closed figures shall move, and why. Any page may raise it by what it asks of the server. */
class Restatement {
	asked = $state.raw<(ClosedFigures & { answer: (reason: string | null) => void }) | null>(null);

	/** @returns the reason; null where it shall not be */
	ask(figures: ClosedFigures): Promise<string | null> {
		this.asked?.answer(null);
		return new Promise((done) => {
			this.asked = {
				...figures,
				answer: (reason) => {
					this.asked = null;
					done(reason);
				}
			};
		});
	}
}

export const restatement = new Restatement();
