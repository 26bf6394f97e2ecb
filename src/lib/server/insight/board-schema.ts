/** Boards as they are stored and sent. */
import { z } from 'zod';
import { CHARTS, type BoardContent, type Tile } from '../../core';
import { selectionSchema } from '../definition/layout-schema';

const id = z.int().min(1).max(2_147_483_647);
const at = z.record(z.string().regex(/^\d{1,9}$/), id);
const part = z.object({ dimension: id, selection: selectionSchema });
const source = z.object({ rows: part, columns: part.optional(), at, compare: z.boolean() });
const frame = {
	id: z.int().min(1).max(100_000),
	title: z.string().trim().max(120),
	width: z.int().min(2).max(12),
	height: z.int().min(1).max(12)
};
const code = z.string().min(1).max(80);

const tile: z.ZodType<Tile> = z.discriminatedUnion('kind', [
	z.object({ ...frame, kind: z.literal('figure'), source }),
	z.object({ ...frame, kind: z.literal('chart'), chart: z.enum(CHARTS), source }),
	z.object({ ...frame, kind: z.literal('table'), source }),
	z.object({ ...frame, kind: z.literal('waterfall'), account: id, by: id, at }),
	z.object({ ...frame, kind: z.literal('view'), code }),
	z.object({ ...frame, kind: z.literal('form'), code }),
	z.object({ ...frame, kind: z.literal('note'), text: z.string().max(5_000) }),
	z.object({ ...frame, kind: z.literal('picture'), picture: z.int().min(0).max(2_147_483_647), alt: z.string().trim().max(300) }),
	z.object({ ...frame, kind: z.literal('runbook'), runbook: id, label: z.string().trim().max(80) }),
	z.object({ ...frame, kind: z.literal('checks'), code }),
	z.object({ ...frame, kind: z.literal('progress') }),
	z.object({ ...frame, kind: z.literal('out of date') })
]) as z.ZodType<Tile>;

/** Tiles of a board at most: more than anybody sees, and each is read with every figure typed. */
export const MOST_TILES = 40;

export const boardContentSchema: z.ZodType<BoardContent> = z
	.object({
		version: z.literal(1),
		selectors: z.array(z.object({ dimension: id, initial: z.int().min(0), initialVariable: z.string().max(200).optional() })).max(20),
		against: z.union([z.object({ scenario: id }), z.object({ years: z.int().min(1).max(20) })]).nullable(),
		currencies: z
			.array(z.string().regex(/^([A-Z]{3}|local)$/))
			.min(1)
			.max(20),
		scale: z.union([z.literal(1), z.literal(1_000), z.literal(1_000_000)]),
		tabs: z
			.array(z.object({ name: z.string().trim().min(1, 'give the page a name').max(60), tiles: z.array(tile).max(MOST_TILES) }))
			.min(1)
			.max(12)
	})
	.refine(({ tabs }) => tabs.reduce((count, { tiles }) => count + tiles.length, 0) <= MOST_TILES, {
		message: `A board has at most ${MOST_TILES} tiles. Begin another one.`
	})
	.refine(
		({ tabs }) => {
			const ids = tabs.flatMap(({ tiles }) => tiles.map((each) => each.id));
			return new Set(ids).size === ids.length;
		},
		{ message: 'Two tiles have the same number.' }
	) as z.ZodType<BoardContent>;
