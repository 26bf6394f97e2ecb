import { z } from 'zod';

const day = z.iso.date();

/** Who is named at a member of a dimension: its owner, its reviewers, or the people of an attribute (id). */
export const namerSchema = z.object({ dimension: z.int(), by: z.union([z.enum(['owner', 'reviewers']), z.int()]) });
export type Namer = z.infer<typeof namerSchema>;

/** All that is defined of a round; ids, so that nothing is lost by renaming. */
export const settingsSchema = z.object({
	/** The dimensions of its units: the second beneath the leaves of the first. */
	dimensions: z.array(z.int()).min(1).max(2),
	/** Units that are no part of it, by their members. */
	leaveOut: z.array(z.string().max(40)).max(20_000).default([]),
	/** Who owns a unit: the first of these that names somebody. */
	owners: z.array(namerSchema).max(4),
	/** The reviews a submission passes, one after the other; of each, the first that names somebody. */
	reviews: z.array(z.array(namerSchema).max(4)).min(1).max(4),
	/** Named for single units, by their members; what is left out comes from above. */
	named: z
		.array(z.object({ unit: z.string().max(40), owner: z.int().nullable(), reviewers: z.array(z.int()).max(20).default([]) }))
		.max(5_000)
		.default([]),
	/** Days on which units are due, by their depth in the tree; the top is 0. */
	due: z.array(z.object({ depth: z.int().min(0).max(20), on: day })).max(20),
	/** Days before it is due on which an owner is reminded. */
	remind: z.int().min(0).max(30).default(2),
	/** When a snapshot is taken of a unit at the top. */
	snapshots: z.enum(['never', 'submitted', 'approved', 'both']).default('never'),
	/** Forms (ids) to fill. */
	forms: z.array(z.int()).max(30),
	/** Forms (ids) nobody fills, whose checks must hold too: those of the model. */
	alsoChecked: z.array(z.int()).max(30).default([]),
	/** Whether a check that does not hold bars a submission or warns. */
	checks: z.enum(['bar', 'warn']).default('bar'),
	/** The scenario (id) whose figures say how many are expected. */
	compared: z.int().nullable().default(null),
	instructions: z.string().max(20_000).default('')
});
export type RoundSettings = z.infer<typeof settingsSchema>;

export const roundSchema = z.object({
	name: z.string().trim().min(1).max(120),
	scenario: z.int(),
	from: z.int(),
	to: z.int(),
	settings: settingsSchema
});
export type RoundDefinition = z.infer<typeof roundSchema>;

/** The forms (ids) whose checks are asked at a unit: those to fill, and those that are only checked. */
export const checkedForms = ({ forms, alsoChecked }: RoundSettings): number[] => [...new Set([...forms, ...alsoChecked])];

/** How a unit is called in settings: its members, in the order of the round's dimensions. */
export const unitKey = (members: readonly number[]): string => members.join(' ');
