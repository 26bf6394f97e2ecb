import type pg from 'pg';
import { addsUp, type Model } from '../../../core';

/** What stands beside a load at one series: other loads' and results' values, the newest at each place. */
interface Beside {
	newest: Float64Array;
	/** Places at which the newest is a result. */
	isResult: Uint8Array;
	/** The origins of results that hold something here. */
	results: number[];
}

/**
 * Results, and other loads where they do not add up, that stand at series of an import. A load is newer than what stood there
 * before, also where it brings the same figure once more; which cells that concerns is found here, so that an identical load
 * writes nothing else.
 */
export class Contention {
	readonly #model: Model;
	readonly #besides: ReadonlyMap<string, Beside>;
	/** Cells at which a result is set aside by this load. */
	setsAside = 0;
	readonly #aside = new Set<number>();

	private constructor(model: Model, besides: ReadonlyMap<string, Beside>) {
		this.#model = model;
		this.#besides = besides;
	}

	/** Reads what other origins hold in some years at series where results stand. */
	static async read(client: pg.PoolClient, model: Model, origin: number, years: readonly number[]): Promise<Contention> {
		const id = Math.trunc(model.definition.id);
		const others = model.definition.origins.filter((each) => each.id !== origin && (each.mode === 'sets' || each.mode === 'loads'));
		const accountAxis = model.accountAxis;
		const columns = model.dimensions.map((dimension) => `s.d${Math.trunc(dimension.id)}`);
		const alone = model.definition.accounts
			.filter(({ member }) => !addsUp(model, model.accounts.ordinal(member)!))
			.map(({ member }) => member);
		const found = await client.query<{
			members: number[];
			year: number;
			origin: number;
			mode: string;
			amounts: (number | null)[];
			stamps: number[] | null;
			revision: number;
		}>(
			`SELECT ARRAY[${columns.join(', ')}] AS members, s.fiscal_year AS year, s.origin_id AS origin, o.mode, s.amounts, s.stamps,
				coalesce(c.revision, 0)::integer AS revision
			FROM cells_${id} s JOIN origin o ON o.id = s.origin_id
			LEFT JOIN change_set c ON c.model_id = $1 AND c.number = s.change_set
			WHERE s.origin_id = ANY ($2) AND s.fiscal_year = ANY ($3) AND (o.mode = 'sets' OR ${columns[accountAxis]} = ANY ($4))`,
			[id, others.map((each) => each.id), [...new Set(years)], alone]
		);
		const besides = new Map<string, Beside>();
		for (const { members, year, origin: other, mode, amounts, stamps, revision } of found.rows) {
			const address = members.map((member, axis) => model.dimensions[axis]!.ordinal(member) ?? -1);
			const key = keyOf(address, year);
			const width = amounts.length;
			const beside = besides.get(key) ?? { newest: new Float64Array(width).fill(-1), isResult: new Uint8Array(width), results: [] };
			besides.set(key, beside);
			if (mode === 'sets') beside.results.push(other);
			amounts.forEach((amount, place) => {
				const stamp = stamps?.[place] || revision;
				if (amount === null || stamp < beside.newest[place]!) return;
				beside.newest[place] = stamp;
				beside.isResult[place] = mode === 'sets' ? 1 : 0;
			});
		}
		return new Contention(model, besides);
	}

	/** What stands beside the load at a series; undefined when nothing does. */
	of(address: Int32Array, year: number) {
		if (this.#besides.size === 0) return undefined;
		const beside = this.#besides.get(keyOf(address, year));
		if (!beside) return undefined;
		return {
			/**
			 * Marks the places at which an equal value is to be written anew, as something newer stands above it. Counts the
			 * results that are set aside.
			 * @param stated what the load says; empty where it says nothing
			 */
			writtenAgain: (
				stated: Float64Array,
				amounts: Float64Array,
				before: Float64Array,
				stamps: Float64Array | undefined
			): Uint8Array | undefined => {
				const again = new Uint8Array(stated.length);
				let any = false;
				for (let place = 0; place < stated.length; place++) {
					const own = stamps?.[place] ?? 0;
					if (
						stated[place] !== stated[place] ||
						beside.newest[place]! < 0 ||
						(before[place] === before[place] && own > beside.newest[place]!)
					)
						continue;
					if (beside.isResult[place]) {
						this.setsAside++;
						for (const origin of beside.results) this.#aside.add(origin);
					}
					if (amounts[place] !== before[place]) continue;
					again[place] = 1;
					any = true;
				}
				return any ? again : undefined;
			}
		};
	}

	/** The last runs whose results this load sets aside are out of date. */
	async markRuns(client: pg.PoolClient): Promise<void> {
		if (this.#aside.size === 0) return;
		await client.query(
			`UPDATE run SET out_of_date = true WHERE model_id = $1 AND branch_id IS NULL AND state = 'done' AND NOT out_of_date
				AND runbook_id IN (SELECT runbook_id FROM origin WHERE id = ANY ($2))`,
			[this.#model.definition.id, [...this.#aside]]
		);
	}
}

const keyOf = (address: ArrayLike<number>, year: number): string => `${Array.from(address).join(' ')} ${year}`;
