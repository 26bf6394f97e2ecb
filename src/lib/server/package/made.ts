/** A dimension of a package that has been made: its new id, and the ids of its members by code. */
export interface Made {
	id: number;
	code: string;
	kind: string;
	ids: Map<string, number>;
}

/** A member as a package names it. */
export interface PackedReference {
	dimension: string;
	member: string;
}

/** The new id of a member. @throws Fault 422 where the package does not have it */
export type MemberOf = (reference: PackedReference) => number;
