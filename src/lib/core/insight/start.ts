import type { Selection } from '../dimension';
import type { FormLayout, SelectorPart } from '../form';

/** Codes of views begin with this; they live among forms, whose own codes never have a dot. */
export const VIEW_PREFIX = 'view.';

/** Whether a code is a view's: it is read in the explorer. */
export const isViewCode = (code: string): boolean => code.startsWith(VIEW_PREFIX);

/** A dimension as views and boards begin with it. */
export interface ViewAxis {
	id: number;
	kind: 'account' | 'period' | 'scenario' | 'entity' | 'general';
	/** The member a reader begins at: of periods a year. */
	top: number;
	/** All that stand at the top: of periods the years. */
	tops: readonly number[];
	/** How many members it has. */
	members: number;
	/** The model's reporting currency (ISO code). */
	currency: string;
}

/** Dimensions with more members offer the one that is chosen only; another one is looked for. */
const MOST_OFFERED = 500;

/**
 * How a dimension is chosen in beside rows and columns. A member outside the main hierarchy is offered too, so that what is
 * shown is what was asked for.
 */
export function selectorOf({ id, kind, top, tops, members }: ViewAxis, member = top): SelectorPart {
	const these: Selection = { kind: 'these', members: [member] };
	const offered: Selection =
		kind === 'period' ? { kind: 'these', members: tops } : members > MOST_OFFERED ? { kind: 'level', depth: 0 } : { kind: 'all' };
	return { dimension: id, selection: { kind: 'any of', selections: [offered, these] }, initial: member };
}

/** A layout to begin with: accounts down, the months of a year across with their total, all else to be chosen. */
export function askedLayout(axes: readonly ViewAxis[]): FormLayout {
	const account = axes.find(({ kind }) => kind === 'account')!;
	const period = axes.find(({ kind }) => kind === 'period')!;
	return {
		version: 2,
		rows: [{ kind: 'cells', id: 0, parts: [{ dimension: account.id, selection: { kind: 'under', of: account.top } }] }],
		columns: [
			{ kind: 'cells', id: 0, parts: [{ dimension: period.id, selection: { kind: 'leaves', of: 'chosen' } }] },
			{ kind: 'cells', id: 1, parts: [{ dimension: period.id, selection: { kind: 'these', members: ['chosen'] } }] }
		],
		selectors: axes.filter(({ id }) => id !== account.id).map((axis) => selectorOf(axis)),
		pinned: [],
		currencies: [account.currency, 'local']
	};
}

/** A layout that begins at a member of a dimension: with its children down or across, or chosen. */
export function memberLayout(axes: readonly ViewAxis[], dimension: number, member: number): FormLayout {
	const layout = askedLayout(axes);
	const kind = axes.find(({ id }) => id === dimension)!.kind;
	const cells = (block: number): FormLayout['rows'][number] => ({
		kind: 'cells',
		id: block,
		parts: [
			{
				dimension,
				selection: {
					kind: 'any of',
					selections: [
						{ kind: 'these', members: [member] },
						{ kind: 'children', of: member }
					]
				}
			}
		]
	});
	if (kind === 'scenario')
		return {
			...layout,
			selectors: axes
				.filter(({ kind: each }) => each !== 'account')
				.map((axis) => selectorOf(axis, axis.id === dimension ? member : undefined))
		};
	if (kind === 'period')
		return { ...layout, columns: [cells(0)], selectors: layout.selectors.filter((part) => part.dimension !== dimension) };
	return {
		...layout,
		rows: [cells(0)],
		selectors: axes.filter(({ id }) => id !== dimension).map((axis) => selectorOf(axis))
	};
}

/**
 * A layout that shows a figure with what it is made of: its account and period with their children, all else as it is at
 * the figure.
 * @param place the figure's members by dimension (ids)
 */
export function figureLayout(axes: readonly ViewAxis[], place: Readonly<Record<number, number>>): FormLayout {
	const account = axes.find(({ kind }) => kind === 'account')!;
	const period = axes.find(({ kind }) => kind === 'period')!;
	const withChildren = (of: number): Selection => ({
		kind: 'any of',
		selections: [
			{ kind: 'children', of },
			{ kind: 'these', members: [of] }
		]
	});
	return {
		version: 2,
		rows: [{ kind: 'cells', id: 0, parts: [{ dimension: account.id, selection: withChildren(place[account.id]!) }] }],
		columns: [{ kind: 'cells', id: 0, parts: [{ dimension: period.id, selection: withChildren(place[period.id]!) }] }],
		selectors: axes.filter(({ id }) => id !== account.id && id !== period.id).map((axis) => selectorOf(axis, place[axis.id])),
		pinned: [],
		currencies: [account.currency, 'local']
	};
}
