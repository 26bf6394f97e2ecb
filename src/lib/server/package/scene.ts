import type pg from 'pg';
import { Model } from '../../core';
import { readModelDefinition } from '../database/definitions';
import { Fault } from '../fault';
import type { SignedIn } from '../session';
import type { Made, MemberOf } from './made';

/** A model that definitions of a package are written into: what its keys, codes and names are here. */
export class Scene {
	/** By key in the package: dimensions, and lists of choices. */
	readonly dimensions: ReadonlyMap<string, Made>;
	/** By name in the package. */
	readonly rateSets: Map<string, { id: number; name: string }>;
	/** By name. */
	readonly origins: Map<string, number>;
	readonly client: pg.PoolClient;
	readonly person: SignedIn;
	readonly modelId: number;
	/** Maps (ids) by their name in the package: one that several imports go through is one map here. */
	readonly maps = new Map<string, number>();
	#model: Model | undefined;

	constructor(
		client: pg.PoolClient,
		person: SignedIn,
		modelId: number,
		{ dimensions, rateSets, origins }: Pick<Scene, 'dimensions' | 'rateSets' | 'origins'>
	) {
		this.client = client;
		this.person = person;
		this.modelId = modelId;
		this.dimensions = dimensions;
		this.rateSets = rateSets;
		this.origins = origins;
	}

	/** The model with its members as they stand; formulas that came since may be missing. */
	async model(): Promise<Model> {
		return (this.#model ??= new Model((await readModelDefinition(this.client, this.modelId))!));
	}

	/** The member (id) a package names. @throws Fault 422 where the model does not have it */
	readonly memberOf: MemberOf = ({ dimension, member }) => {
		const made = this.dimensions.get(dimension);
		const id = made?.ids.get(member);
		if (id === undefined)
			throw new Fault(
				422,
				'not understood',
				made
					? `It names the member ${member} of ${dimension}, which is not there.`
					: `It names the dimension ${dimension}, which is not there.`
			);
		return id;
	};

	/** The dimension of a kind of which a model has one. */
	ofKind(kind: 'account' | 'scenario' | 'period'): { key: string; made: Made } {
		const found = [...this.dimensions].find(([, made]) => made.kind === kind)!;
		return { key: found[0], made: found[1] };
	}
}
