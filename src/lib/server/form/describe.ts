import { blockLabels, selectionInWords, type AxisBlock } from '../../core';
import { pool } from '../database';
import type { FormDesign } from './design';
import { expressionReader } from './expressions';
import { membersNamed } from '../definition/layout-members';

/** A form in plain lines, one thing each: two versions are compared by them. */
export async function describeDesign(modelId: number, design: Omit<FormDesign, 'version'>): Promise<string[]> {
	const { layout } = design;
	const names = await memberNames([...membersNamed(layout)]);
	const dimensions = new Map(
		(await pool().query<{ id: number; name: string }>('SELECT id, name FROM dimension')).rows.map(({ id, name }) => [id, name])
	);
	const roles = await pool().query<{ name: string }>('SELECT name FROM role WHERE id = ANY ($1::integer[]) ORDER BY id', [design.roles]);
	const reader = await expressionReader(modelId);
	const dimension = (id: number) => dimensions.get(id) ?? `dimension ${id}`;
	const axis = (name: string, blocks: AxisBlock[]) =>
		blocks.map(
			(block, index) => `${name} ${index + 1}: ${describeBlock(block, blockLabels(blocks, names), names, dimension, reader.print)}`
		);
	const flags = [
		layout.scale && layout.scale > 1 ? `Shown in units of ${layout.scale}` : '',
		layout.hideEmptyRows ? 'Empty rows hidden' : '',
		layout.hideEmptyColumns ? 'Empty columns hidden' : '',
		layout.spread ? `Spreads ${layout.spread}` : '',
		layout.methods ? 'Rows may be filled by a method' : '',
		layout.methods && layout.methodsLive ? 'Rows are filled again when what their method reads moves' : '',
		layout.ownLines ? `Own lines in ${dimension(layout.ownLines.dimension)}` : ''
	];
	return [
		`Name: ${design.name}`,
		`Folder: ${design.folder || 'none'}`,
		`Description: ${design.description || 'none'}`,
		...design.instructions.split('\n').map((line) => (line.trim() ? `Instructions: ${line.trim()}` : '')),
		`Seen by: ${roles.rows.map(({ name }) => name).join(', ') || 'everybody'}`,
		...axis('Rows', layout.rows),
		...axis('Columns', layout.columns),
		...layout.selectors.map(
			({ dimension: id, selection, initial, initialVariable, asks }) =>
				`Selector ${dimension(id)}: ${selectionInWords(selection, names)}, ${asks ? 'asked first, else' : 'at first'} ${initialVariable ? `$${initialVariable}` : (names.get(initial) ?? 'a member that is gone')}`
		),
		...layout.pinned.map(({ dimension: id, member }) => `Pinned ${dimension(id)}: ${names.get(member) ?? 'a member that is gone'}`),
		`Currencies: ${layout.currencies.join(', ')}`,
		...(layout.checks ?? []).map(
			({ label, left, compare, right, bars }) =>
				`Check ${label}: ${reader.print(left)} ${compare} ${reader.print(right)}${bars ? ', bars submission' : ''}`
		),
		...flags
	].filter(Boolean);
}

function describeBlock(
	block: AxisBlock,
	labels: { id: number; label: string }[],
	names: ReadonlyMap<number, string>,
	dimension: (id: number) => string,
	print: (expression: never, blocks: typeof labels) => string
): string {
	const label = (id: number) => labels.find((each) => each.id === id)?.label ?? `block ${id}`;
	const look = [
		block.heading ? `headed “${block.heading}”` : '',
		block.beside === undefined ? '' : `each beside the lines of ${label(block.beside)}`,
		block.decimals === undefined ? '' : `${block.decimals} decimals`,
		block.width === undefined ? '' : `${block.width} wide`,
		...(block.emphasis ?? []).map(({ when, value, look }) => `${look} ${when} ${value}`)
	];
	if (block.kind === 'text') return block.label ? `heading “${block.label}”` : 'empty line';
	if (block.kind === 'derived') {
		const { derivation } = block;
		const how =
			derivation.how === 'expression'
				? print(derivation.expression as never, labels)
				: derivation.how === 'to date'
					? `${label(derivation.of)} since the start of the ${derivation.since}`
					: `${derivation.how} of ${label(derivation.of)} and ${label(derivation.base)}`;
		return [`${block.label} = ${how}`, ...look].filter(Boolean).join(', ');
	}
	return [
		block.parts.map(({ dimension: id, selection }) => `${dimension(id)} ${selectionInWords(selection, names)}`).join(' by '),
		block.toDate ? `since the start of the ${block.toDate}` : '',
		block.called ? `called “${block.called}”` : '',
		block.totalsAfter ? 'totals after' : '',
		block.reading?.currency ? `in ${block.reading.currency}` : '',
		block.reading?.rateSet === undefined ? '' : `at the rates of set ${block.reading.rateSet}`,
		block.readOnly ? 'only shown' : '',
		block.names && block.names !== 'name' ? `by ${block.names === 'code' ? 'code' : 'code and name'}` : '',
		block.flat ? 'not indented' : '',
		block.sort && block.sort !== 'tree' ? `sorted by ${block.sort}` : '',
		block.openLevels === undefined ? '' : `${block.openLevels} levels open`,
		...Object.entries(block.guidance ?? {}).map(([member, words]) => `advice at ${names.get(Number(member)) ?? member}: ${words}`),
		...look
	]
		.filter(Boolean)
		.join(', ');
}

async function memberNames(members: readonly number[]): Promise<Map<number, string>> {
	const found = await pool().query<{ id: number; name: string }>('SELECT id, name FROM member WHERE id = ANY ($1::integer[])', [members]);
	return new Map(found.rows.map(({ id, name }) => [id, name]));
}
