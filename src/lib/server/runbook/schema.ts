import { z } from 'zod';
import { PRESET_SETTINGS } from '../../core';
import type { Answers, Driver, MemberMap, ParameterDefinition, Selection, Slice, StepKind } from '../../core';
import { selectionSchema } from '../definition/layout-schema';

const id = z.number().int();
const reference = z.union([id, z.object({ variable: z.string().max(200) })]);
const byDimension = <Value extends z.ZodType>(value: Value) => z.record(z.string().regex(/^\d+$/), value);

export const sliceSchema = byDimension(selectionSchema) as unknown as z.ZodType<Slice>;

/** The text of a script travels; which members its names are is found when it is stored. */
const formula = z.object({ kind: z.literal('formula'), text: z.string().max(200_000, 'A script has at most 200,000 characters.') });
/** Lines of a table that says which member becomes which. */
const MOST_LINES = 5_000;
const memberMap = z.object({
	lines: z.array(z.object({ from: id, to: id, reverse: z.boolean() })),
	others: z.enum(['stay', 'left out'])
}) satisfies z.ZodType<MemberMap>;
const copy = z.object({
	kind: z.literal('copy'),
	from: sliceSchema,
	onto: byDimension(z.union([reference, z.object({ map: memberMap })])).refine(
		(onto) => Object.values(onto).every((each) => typeof each !== 'object' || !('map' in each) || each.map.lines.length <= MOST_LINES),
		`a table of members has at most ${MOST_LINES.toLocaleString('en')} lines`
	) as unknown as z.ZodType<Readonly<Record<number, number | { variable: string } | { map: MemberMap }>>>,
	shift: z.object({ level: z.string().max(40), by: z.number().int().min(-1_000).max(1_000) }).nullable(),
	factor: z.union([z.number().finite(), z.object({ parameter: z.string().max(60) })]),
	over: z
		.discriminatedUnion('way', [
			z.object({ way: z.literal('one period'), period: z.number().int().min(1).max(400) }),
			z.object({ way: z.literal('evenly') }),
			z.object({ way: z.literal('season'), account: id.nullable() })
		])
		.optional(),
	adds: z.boolean().optional(),
	onlyWhereValues: z.boolean().optional(),
	pricesToo: z.boolean().optional()
});
const carriedInto = z.enum(['every period', 'first period of the year', 'later periods of the year']);
const rollForward = z.object({
	kind: z.literal('roll-forward'),
	lines: z
		.array(
			z.object({
				from: id.nullable(),
				accounts: selectionSchema.optional() as z.ZodOptional<z.ZodType<Selection>>,
				to: id.nullable(),
				members: z
					.array(z.object({ dimension: id, from: id, to: id }))
					.max(20)
					.optional(),
				reverse: z.boolean(),
				into: carriedInto.optional()
			})
		)
		.max(200),
	into: carriedInto
});
const clear = z.object({ kind: z.literal('clear'), what: z.array(z.enum(['entries', 'loads', 'results'])).max(3) });

const numberOrParameter = z.union([z.number().finite(), z.object({ parameter: z.string().max(60) })]);
const driver = z.object({ account: id.nullable(), at: byDimension(reference) as unknown as z.ZodType<Driver['at']> });
const drivers = z.array(driver).max(20);
const basis = z.discriminatedUnion('by', [
	z.object({ by: z.literal('even') }),
	z.object({
		by: z.literal('fixed'),
		shares: z
			.array(
				z.object({
					members: byDimension(id) as unknown as z.ZodType<Record<number, number>>,
					share: z.number().finite().min(0).max(1e15)
				})
			)
			.max(MOST_LINES)
	}),
	z.object({ by: z.literal('driver'), drivers, atNamed: z.boolean().optional() }),
	z.object({ by: z.literal('standard'), drivers, rate: z.union([numberOrParameter, driver]) })
]);
/** What a preset of allocations says. */
const preset = {
	contra: z.union([z.enum(['none', 'same account']), z.object({ account: id.nullable() })]),
	noDriver: z.enum(['stranded', 'evenly', 'stop']),
	negative: z.enum(['refuse', 'absolute']),
	currency: z
		.string()
		.regex(/^[A-Z]{3}$/)
		.nullable()
};
export const presetSettingsSchema = z.object({ ...preset, basis: basis.nullable() });
const allocation = z.object({
	kind: z.literal('allocation'),
	lines: z
		.array(
			z.object({
				name: z.string().trim().min(1, 'give the line a name').max(200),
				pool: sliceSchema,
				receivers: sliceSchema,
				basis,
				share: numberOrParameter,
				capacity: driver.optional(),
				keeps: z.object({ unitCost: id.optional(), used: id.optional(), unused: id.optional() }).optional()
			})
		)
		.max(60),
	...preset,
	preset: z.object({ id, own: z.array(z.enum(PRESET_SETTINGS)).max(10) }).optional(),
	together: z.boolean().optional()
});

const importStep = z.object({ kind: z.literal('import'), import: id.nullable() });

const lock = z.object({ kind: z.literal('lock'), state: z.enum(['open', 'closed']) });

const snapshot = z.object({ kind: z.literal('snapshot'), called: z.string().trim().max(60) });

const head = {
	/** Null for a step that is new. */
	id: id.nullable(),
	name: z.string().trim().min(1, 'give the step a name').max(200),
	description: z.string().max(4_000),
	active: z.boolean(),
	limits: sliceSchema,
	group: z.string().trim().max(80).optional()
};
/** Complete, or it does not compile: what each kind of step has of its own. */
const CONTENT = { formula, copy, 'roll-forward': rollForward, allocation, clear, import: importStep, lock, snapshot } satisfies Record<
	StepKind,
	z.ZodType
>;

export const stepSchema = z.discriminatedUnion('kind', [
	CONTENT.formula.extend(head),
	CONTENT.copy.extend(head),
	CONTENT['roll-forward'].extend(head),
	CONTENT.allocation.extend(head),
	CONTENT.clear.extend(head),
	CONTENT.import.extend(head),
	CONTENT.lock.extend(head),
	CONTENT.snapshot.extend(head)
]);
/** A step as the page has it: scripts as text. */
export type StepDraft = z.infer<typeof stepSchema>;

export const parameterSchema = z.object({
	name: z.string().regex(/^[\p{L}_][\p{L}\p{N}_]{0,59}$/u, 'a parameter’s name is one word'),
	label: z.string().trim().min(1).max(200),
	kind: z.enum(['member', 'members', 'number', 'percent', 'text']),
	dimension: id.nullable(),
	choices: selectionSchema.nullable(),
	initial: z.union([z.number().finite(), z.string().max(500), z.array(id).max(1_000)]).nullable()
}) satisfies z.ZodType<ParameterDefinition>;

export const runbookSchema = z.object({
	name: z.string().trim().min(1, 'give the runbook a name').max(200),
	description: z.string().max(4_000),
	parameters: z.array(parameterSchema).max(30),
	onRefused: z.enum(['skip', 'stop']),
	/** When another run of the model is under way. */
	whenBusy: z.enum(['wait', 'refuse']),
	runsAs: id.nullable(),
	steps: z.array(stepSchema).max(200),
	/** The version it was made from. */
	version: id
});
export type RunbookDraft = z.infer<typeof runbookSchema>;

export const answersSchema = z.record(
	z.string().max(60),
	z.union([z.number(), z.string().max(500), z.array(id).max(1_000)]).nullable()
) as unknown as z.ZodType<Answers>;
